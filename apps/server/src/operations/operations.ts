import type { Database } from '../database/database';
import { livingServers } from '../live/anchor';
import { workChannel } from '../live/announce';
import { pauseAfter, type Operation, type OperationError, type OperationState } from './operation';

const fields = 'id, kind, subject, state, attempts';
export const finished = `('bound', 'released', 'abandoned', 'settled', 'undone')`;
/** A server is dead when nobody holds the advisory lock of its key. */
export const runnerIsDead = `runner NOT IN (SELECT objid::int FROM pg_locks WHERE locktype = 'advisory' AND classid = ${livingServers} AND granted)`;

/** Begins an operation once for its subject; the id when it is new. */
export async function ensureOperations(
  database: Database,
  kind: Operation['kind'],
  state: OperationState,
  subjects: readonly string[],
): Promise<string[]> {
  const made = await database.rows<{ id: string }>(
    `INSERT INTO operations (kind, subject, state) SELECT $1, s, $2 FROM unnest($3::text[]) s
     ON CONFLICT (kind, subject) DO NOTHING RETURNING id`,
    [kind, state, subjects],
  );
  return made.map((o) => o.id);
}

/** Takes an operation under a server's lease; undefined when it is finished or another living server has it. */
export async function take(database: Database, id: string, lease: number): Promise<Operation | undefined> {
  const taken = await database.one<Operation>(
    `UPDATE operations SET runner = $2, again = false WHERE id = $1 AND state NOT IN ${finished}
       AND (runner IS NULL OR ${runnerIsDead}) AND coalesce(next_attempt_at, '-infinity') < now() + interval '0.5 seconds'
     RETURNING ${fields}`,
    [id, lease],
  );
  // another server works on it: ask it to look once more when it is through
  if (!taken) await database.rows('UPDATE operations SET again = true WHERE id = $1 AND runner IS NOT NULL', [id]);
  return taken;
}

/** Gives an operation back. True when somebody asked for another look meanwhile. */
export async function giveBack(database: Database, id: string, lease: number): Promise<boolean> {
  const row = await database.one<{ again: boolean }>(
    `UPDATE operations o SET runner = NULL, again = false FROM (SELECT again FROM operations WHERE id = $1 FOR UPDATE) old
     WHERE o.id = $1 AND o.runner = $2 RETURNING old.again`,
    [id, lease],
  );
  return row?.again ?? false;
}

/** Gives back what stands under a server's lease and is not in its hands: what it could not give back when it should have. */
export const freeUnworked = (database: Database, lease: number, inHand: readonly string[]) =>
  database.rows('UPDATE operations SET runner = NULL WHERE runner = $1 AND NOT id = ANY($2::uuid[]) RETURNING id', [
    lease,
    inHand,
  ]);

/** Moves an operation on, if it is still where it was thought to be. Zero rows is an answer: somebody else moved it. */
export async function advance(
  database: Database,
  operation: Pick<Operation, 'id' | 'state'>,
  to: OperationState,
  extra: { waitingFor?: string; decisionId?: number } = {},
): Promise<Operation | undefined> {
  return database.one<Operation>(
    `UPDATE operations SET state = $3, waiting_for = $4, decision_id = coalesce($5, decision_id), attempts = 0, error = NULL,
       next_attempt_at = NULL, updated_at = now() WHERE id = $1 AND state = $2 RETURNING ${fields}`,
    [operation.id, operation.state, to, extra.waitingFor, extra.decisionId],
  );
}

/** Notes a failed attempt; gives the seconds until the next. */
export async function noteFailure(
  database: Database,
  operation: Operation,
  error: OperationError,
  random: number,
): Promise<number> {
  const seconds = pauseAfter(operation.attempts + 1, random);
  await database.rows(
    `UPDATE operations SET attempts = attempts + 1, error = $2::jsonb, next_attempt_at = now() + make_interval(secs => $3), updated_at = now()
     WHERE id = $1`,
    [operation.id, JSON.stringify(error), seconds],
  );
  return seconds;
}

/** Lets an operation rest for a while although nothing failed; the sweep finds it when it is due. */
export const lookAgain = (database: Database, id: string, seconds: number) =>
  database.rows(
    `UPDATE operations SET attempts = 0, error = NULL, next_attempt_at = now() + make_interval(secs => $2) WHERE id = $1`,
    [id, seconds],
  );

/** Tells all servers that there is work. */
export const callForWork = (database: Database) => database.rows(`SELECT pg_notify('${workChannel}', '')`);

/** Operations that nobody works on and that are due: a dead server's, and those whose next try has come. */
export async function findStranded(database: Database, limit: number): Promise<string[]> {
  const rows = await database.rows<{ id: string }>(
    `SELECT id FROM operations WHERE state NOT IN ${finished} AND state NOT IN ('waiting', 'written')
       AND (runner IS NULL OR ${runnerIsDead}) AND coalesce(next_attempt_at, updated_at + interval '5 seconds') < now()
     ORDER BY updated_at LIMIT $1`,
    [limit],
  );
  const dead = await database.rows<{ id: string }>(
    `SELECT id FROM operations WHERE state NOT IN ${finished} AND runner IS NOT NULL AND ${runnerIsDead} LIMIT $1`,
    [limit],
  );
  return [...new Set([...dead, ...rows].map((r) => r.id))];
}

/** What changed, as far as waiting claims rest on it. */
export interface Helped {
  readonly pool?: string;
  readonly backend?: string;
  readonly namespace?: string;
  readonly className?: string;
}

/**
 * Claims that wait because nothing fits, in pages by id. With `helped`, only those that such a change can help: whose class is
 * moored there, whose namespace or class it is.
 */
export async function findWaiting(
  database: Database,
  limit: number,
  after: string | undefined,
  helped: Helped = {},
): Promise<string[]> {
  const rows = await database.rows<{ id: string }>(
    `SELECT op.id FROM operations op JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = op.subject
     WHERE op.state = 'waiting' AND op.kind = 'bind' AND op.waiting_for IN ('capacity', 'class') AND ($2::uuid IS NULL OR op.id > $2::uuid)
       AND ($3::text IS NULL OR EXISTS (SELECT 1 FROM moorings m WHERE m.class_name = o.class_name AND m.pool_id = $3))
       AND ($4::text IS NULL OR EXISTS (SELECT 1 FROM moorings m JOIN pools p ON p.id = m.pool_id
         WHERE m.class_name = o.class_name AND p.backend_id = $4))
       AND ($5::text IS NULL OR o.namespace = $5) AND ($6::text IS NULL OR o.class_name = $6)
     ORDER BY op.id LIMIT $1`,
    [limit, after, helped.pool, helped.backend, helped.namespace, helped.className],
  );
  return rows.map((r) => r.id);
}
