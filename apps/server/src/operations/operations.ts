import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { workChannel } from '../live/announce';
import { notifyAll } from '../live/announce.sql';
import { mayMove, pauseAfter, type Operation, type OperationError, type OperationState } from './operation';
import { operations } from './operation-model';
import {
  beginOnce,
  dueAndFree,
  endLease,
  leftByTheDead,
  moveOn,
  noteAttempt,
  restFor,
  takeUnderLease,
  waitingClaims,
} from './operations.sql';

/** Begins an operation once for its subject; the id when it is new. */
export const ensureOperations = async (
  database: Database,
  kind: Operation['kind'],
  state: OperationState,
  subjects: readonly string[],
): Promise<string[]> => (await beginOnce(database, kind, state, subjects)).map((o) => o.id);

/** Takes an operation under a server's lease; undefined when it is finished or another living server has it. */
export async function take(database: Database, id: string, lease: number): Promise<Operation | undefined> {
  const [taken] = await takeUnderLease(database, id, lease);
  // another server works on it: ask it to look once more when it is through
  if (!taken) await operations.in(database).update({ again: true }, { where: { id, runner: { [Op.not]: null } } });
  return taken;
}

/** Gives an operation back. True when somebody asked for another look meanwhile. */
export async function giveBack(database: Database, id: string, lease: number): Promise<boolean> {
  const [row] = await endLease(database, id, lease);
  return row?.again ?? false;
}

/** Gives back what stands under a server's lease and is not in its hands, and how many: what it could not give back when it should have. */
export async function freeUnworked(database: Database, lease: number, inHand: readonly string[]): Promise<number> {
  const where = { runner: lease, id: { [Op.notIn]: [...inHand] } };
  const [freed] = await operations.in(database).update({ runner: null }, { where });
  return freed;
}

/** Moves an operation on, if it is still where it was thought to be. Undefined is an answer: somebody else moved it. Throws for a move that its kind does not have. */
export async function advance(
  database: Database,
  { id, state }: Pick<Operation, 'id' | 'state'>,
  to: OperationState,
  extra: { waitingFor?: string; decisionId?: number } = {},
): Promise<Operation | undefined> {
  if (!mayMove(state, to)) throw new Error(`no operation goes from ${state} to ${to}`);
  const [moved] = await moveOn(database, id, state, to, extra.waitingFor, extra.decisionId);
  return moved;
}

/** Notes a failed attempt; gives the seconds until the next. */
export async function noteFailure(
  database: Database,
  operation: Operation,
  error: OperationError,
  random: number,
): Promise<number> {
  const seconds = pauseAfter(operation.attempts + 1, random);
  await noteAttempt(database, operation.id, JSON.stringify(error), seconds);
  return seconds;
}

/** Lets an operation rest for a while although nothing failed; the sweep finds it when it is due. */
export const lookAgain = (database: Database, id: string, seconds: number) => restFor(database, id, seconds);

/** Tells all servers that there is work. */
export const callForWork = (database: Database) => notifyAll(database, workChannel, ['']);

/** Operations that nobody works on and that are due: a dead server's, and those whose next try has come. */
export async function findStranded(database: Database, limit: number): Promise<string[]> {
  const due = await dueAndFree(database, limit);
  const dead = await leftByTheDead(database, limit);
  return [...new Set([...dead, ...due].map((r) => r.id))];
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
  { pool, backend, namespace, className }: Helped = {},
): Promise<string[]> {
  return (await waitingClaims(database, limit, after, pool, backend, namespace, className)).map((r) => r.id);
}
