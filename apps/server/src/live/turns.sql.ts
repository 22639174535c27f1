import { statement } from '../database/statement';
import { runnerIsDead } from './living.sql';

/** Ends turns at these things whose server is dead. */
export const endDeadTurns = statement<object, [things: readonly string[]]>(
  `DELETE FROM turns t WHERE thing = ANY($1) AND t.${runnerIsDead}`,
);
