import { statement } from '../database/statement';
import { runnerIsDead } from '../live/living.sql';
import { ends, type Operation, type OperationState } from './operation';

/** What a runner knows of an operation. */
export const operationFields = 'id, kind, subject, state, attempts';
export const finished = `(${ends.map((state) => `'${state}'`).join(', ')})`;
/** Begins an operation once for each subject; gives those that are new. */
export const beginOnce = statement<
  { id: string },
  [kind: Operation['kind'], state: OperationState, subjects: readonly string[]]
>(
  `INSERT INTO operations (kind, subject, state) SELECT $1, s, $2 FROM unnest($3::text[]) s
   ON CONFLICT (kind, subject) DO NOTHING RETURNING id`,
);

/** Takes an operation under a lease, unless it is finished, rests, or another living server has it. */
export const takeUnderLease = statement<Operation, [id: string, lease: number]>(
  `UPDATE operations SET runner = $2, again = false WHERE id = $1 AND state NOT IN ${finished}
     AND (runner IS NULL OR ${runnerIsDead}) AND coalesce(next_attempt_at, '-infinity') < now() + interval '0.5 seconds'
   RETURNING ${operationFields}`,
);

/** Ends the lease of an operation; tells whether somebody asked for another look meanwhile. */
export const endLease = statement<{ again: boolean }, [id: string, lease: number]>(
  `UPDATE operations o SET runner = NULL, again = false FROM (SELECT again FROM operations WHERE id = $1 FOR UPDATE) old
   WHERE o.id = $1 AND o.runner = $2 RETURNING old.again`,
);

/** Moves an operation on from where it was thought to be. */
export const moveOn = statement<
  Operation,
  [id: string, from: OperationState, to: OperationState, waitingFor: string | undefined, decisionId: number | undefined]
>(
  `UPDATE operations SET state = $3, waiting_for = $4, decision_id = coalesce($5, decision_id), attempts = 0, error = NULL,
   next_attempt_at = NULL, updated_at = now() WHERE id = $1 AND state = $2 RETURNING ${operationFields}`,
);

/** Notes a failed attempt, and when the next is due. */
export const noteAttempt = statement<object, [id: string, error: string, seconds: number]>(
  `UPDATE operations SET attempts = attempts + 1, error = $2::jsonb, next_attempt_at = now() + make_interval(secs => $3), updated_at = now()
   WHERE id = $1`,
);

/** Lets an operation rest for a while although nothing failed. */
export const restFor = statement<object, [id: string, seconds: number]>(
  `UPDATE operations SET attempts = 0, error = NULL, next_attempt_at = now() + make_interval(secs => $2) WHERE id = $1`,
);

/** Operations that nobody works on and that are due. */
export const dueAndFree = statement<{ id: string }, [limit: number]>(
  `SELECT id FROM operations WHERE state NOT IN ${finished} AND state NOT IN ('waiting', 'written')
     AND (runner IS NULL OR ${runnerIsDead}) AND coalesce(next_attempt_at, updated_at + interval '5 seconds') < now()
   ORDER BY updated_at LIMIT $1`,
);

/** Operations of servers that are dead. */
export const leftByTheDead = statement<{ id: string }, [limit: number]>(
  `SELECT id FROM operations WHERE state NOT IN ${finished} AND runner IS NOT NULL AND ${runnerIsDead} LIMIT $1`,
);

/** Claims that wait because nothing fits, by id after one of them; those alone that a change of such a kind can help. */
export const waitingClaims = statement<
  { id: string },
  [
    limit: number,
    after: string | undefined,
    pool: string | undefined,
    backend: string | undefined,
    namespace: string | undefined,
    className: string | undefined,
  ]
>(
  `SELECT op.id FROM operations op JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = op.subject
   WHERE op.state = 'waiting' AND op.kind = 'bind' AND op.waiting_for IN ('capacity', 'class') AND ($2::uuid IS NULL OR op.id > $2::uuid)
     AND ($3::text IS NULL OR EXISTS (SELECT 1 FROM moorings m WHERE m.class_name = o.class_name AND m.pool_id = $3))
     AND ($4::text IS NULL OR EXISTS (SELECT 1 FROM moorings m JOIN pools p ON p.id = m.pool_id
       WHERE m.class_name = o.class_name AND p.backend_id = $4))
     AND ($5::text IS NULL OR o.namespace = $5) AND ($6::text IS NULL OR o.class_name = $6)
   ORDER BY op.id LIMIT $1`,
);
