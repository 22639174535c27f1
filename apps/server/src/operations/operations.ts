import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { workChannel } from '../live/announce';
import { notifyAll } from '../live/announce.sql';
import { mayMove, standing, type Kind } from './kind';
import { pauseAfter, type Operation, type OperationError } from './operation';
import { operations } from './operation-model';
import {
  beginFree,
  dueAndFree,
  endLease,
  leftByTheDead,
  moveOn,
  noteAttempt,
  noteRemaining,
  restFor,
  takeUnderLease,
} from './operations.sql';

/** What is told of an operation to people. */
export interface About {
  /** Its subject as a person knows it. */
  readonly about?: string;
  readonly namespace?: string;
  readonly person?: string;
}

/** Begins an operation for each subject of which nothing holds the same yet; the ids of those that are new. */
export async function beginOperations(
  database: Database,
  kind: Kind,
  subjects: readonly string[],
  { about, namespace, person }: About = {},
): Promise<string[]> {
  const made = await beginFree(database, kind.kind, kind.begins, kind.holds, subjects, about, namespace, person);
  return made.map((o) => o.id);
}

/** Takes an operation under a server's lease; undefined when it is finished or stopped, or another living server has it. */
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
export async function advance<S extends string>(
  database: Database,
  kind: Kind<S>,
  { id, state }: Pick<Operation, 'id' | 'state'>,
  to: NoInfer<S>,
  extra: { waitingFor?: string; decisionId?: number; cause?: string } = {},
): Promise<Operation<S> | undefined> {
  if (!mayMove(kind, state, to)) throw new Error(`no operation of kind ${kind.kind} goes from ${state} to ${to}`);
  const { resting, ended, holds } = standing(kind, to);
  const { waitingFor, decisionId, cause } = extra;
  const [moved] = await moveOn(database, id, state, to, resting, ended, holds, waitingFor, decisionId, cause);
  return moved as Operation<S> | undefined;
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

/** Notes that a step was refused for good: nothing is tried again until a person says so. */
export const noteRefusal = (database: Database, { id }: Operation, error: OperationError) =>
  noteAttempt(database, id, JSON.stringify(error), undefined);

/** Notes how much of an operation is still to be done. */
export const noteProgress = (
  database: Database,
  { id }: Pick<Operation, 'id'>,
  remaining: number,
  unit: 'bytes' | 'steps',
) => noteRemaining(database, id, remaining, unit);

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
