import { statement } from '../database/statement';

/** Forgets some counts whose time is over; the library keeps the table by itself. */
export const forgetFailures = statement<{ key: string }, [before: number]>(
  'DELETE FROM sign_in_failures WHERE key IN (SELECT key FROM sign_in_failures WHERE expire < $1 LIMIT 1000) RETURNING key',
);
