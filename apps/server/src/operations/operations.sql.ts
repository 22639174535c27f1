import { relaxed } from '../database/relaxed.sql';
import { statement } from '../database/statement';
import { runnerIsDead } from '../live/living.sql';
import { stepTo } from './kind';
import type { Operation } from './operation';

/** What a runner knows of an operation. */
export const operationFields = 'id, kind, subject, state, attempts, stopped, cancelled_by AS "cancelledBy"';

/** Begins an operation for each subject that has none which holds the same; gives those that are new. */
export const beginFree = statement<
  { id: string },
  [
    kind: string,
    state: string,
    holds: string,
    subjects: readonly string[],
    about: string | undefined,
    namespace: string | undefined,
    person: string | undefined,
  ]
>(
  `INSERT INTO operations (kind, subject, state, holds, about, namespace, person)
   SELECT $1, s, $2, $3, coalesce($5, s), $6, $7 FROM unnest($4::text[]) s
   ON CONFLICT (holds, subject) DO NOTHING RETURNING id`,
);

/** Takes an operation under a lease, unless it is finished, stopped, not due, or another living server has it. */
export const takeUnderLease = statement<Operation, [id: string, lease: number]>(
  `UPDATE operations SET runner = $2, again = false WHERE id = $1 AND ended_at IS NULL AND stopped IS NULL
     AND (runner IS NULL OR ${runnerIsDead}) AND coalesce(next_attempt_at, '-infinity') < now() + interval '0.5 seconds'
   RETURNING ${operationFields}, ${relaxed}`,
  'planned once',
);

/** Ends the lease of an operation; tells whether somebody asked for another look meanwhile. */
export const endLease = statement<{ again: boolean }, [id: string, lease: number]>(
  `UPDATE operations o SET runner = NULL, again = false FROM (SELECT again FROM operations WHERE id = $1 FOR UPDATE) old
   WHERE o.id = $1 AND o.runner = $2 RETURNING old.again, ${relaxed}`,
  'planned once',
);

/** Moves an operation on from where it was thought to be. What paused it goes on pausing it. */
export const moveOn = statement<
  Operation,
  [
    id: string,
    from: string,
    to: string,
    resting: boolean,
    ended: boolean,
    holds: string | null,
    waitingFor: string | undefined,
    decisionId: number | undefined,
    cause: string | undefined,
  ]
>(
  `UPDATE operations SET state = $3, ${stepTo('$3::text')}, resting = $4, ended_at = CASE WHEN $5 THEN now() END, holds = $6, waiting_for = $7,
     decision_id = coalesce($8, decision_id), cause = coalesce($9, cause), stopped = CASE WHEN NOT $5 AND stopped = 'paused' THEN stopped END,
     attempts = 0, error = NULL, next_attempt_at = NULL, updated_at = now()
   WHERE id = $1 AND state = $2 RETURNING ${operationFields}`,
);

/** Notes a failed attempt, and when the next is due; without a next, that the step was refused for good. */
export const noteAttempt = statement<object, [id: string, error: string, seconds: number | undefined]>(
  `UPDATE operations SET attempts = attempts + 1, error = $2::jsonb, next_attempt_at = now() + make_interval(secs => $3),
     stopped = CASE WHEN $3::float8 IS NULL THEN 'refused' ELSE stopped END, updated_at = now()
   WHERE id = $1`,
);

/** Lets an operation rest for a while although nothing failed. */
export const restFor = statement<object, [id: string, seconds: number]>(
  `UPDATE operations SET attempts = 0, error = NULL, next_attempt_at = now() + make_interval(secs => $2) WHERE id = $1`,
);

/** Notes how much is still to be done; more than ever before begins the reckoning of the time anew. */
export const noteRemaining = statement<object, [id: string, remaining: number, unit: 'bytes' | 'steps']>(
  `UPDATE operations SET remaining = $2, total = greatest(coalesce(total, 0), $2), unit = $3,
     moved_since = CASE WHEN $2 > coalesce(total, 0) THEN now() ELSE moved_since END WHERE id = $1`,
);

/** Operations that nobody works on and that are due. */
export const dueAndFree = statement<{ id: string }, [limit: number]>(
  `SELECT id FROM operations WHERE ended_at IS NULL AND NOT resting AND stopped IS NULL
     AND (runner IS NULL OR ${runnerIsDead}) AND coalesce(next_attempt_at, updated_at + interval '5 seconds') < now()
   ORDER BY updated_at LIMIT $1`,
);

/** Operations of servers that are dead. */
export const leftByTheDead = statement<{ id: string }, [limit: number]>(
  `SELECT id FROM operations WHERE ended_at IS NULL AND stopped IS NULL AND runner IS NOT NULL AND ${runnerIsDead} LIMIT $1`,
);
