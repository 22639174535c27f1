import { randomUUID } from 'node:crypto';
import { objectOf, type PlatformStep } from '@moorage/core/acts/platform-step';
import type { LiveEvent } from '@moorage/contract/live';
import { isDatabaseGone, type Database } from '../database/database';
import { announce } from '../live/announce';
import type { Turns } from '../live/turns';
import { record } from '../logbook/logbook';
import type { AfterFailure, Kind, Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { operations } from '../operations/operation-model';
import { advance, beginOperations, noteProgress } from '../operations/operations';
import { PlatformProblem, type PlatformConnector } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { actHolds, acts, actSteps, type ActStep, type Entry, type StoredAct } from './act-model';
import type { ActState } from './kind';
import { restore, store } from './problem';
import { carry, carryBack, didNothing, mayHaveChanged } from './steps';

/** An act as its room declares it. */
export interface ActRoom<Inside = unknown, Outcome = unknown> {
  readonly kind: Kind<ActState>;
  /** Writes what is ours, in the transaction that ends the act; what it throws takes the act back. */
  write(act: { readonly id: string; readonly person: string; readonly inside: Inside }): Promise<Outcome>;
  /** Which pages are told when it is done, and when it is taken back. */
  tells(inside: Inside): readonly LiveEvent[];
  /** What is told of an act that has stopped half way; when left out, the error itself. */
  readonly unfinished?: (error: Error, steps: readonly ActStep[]) => Error;
  /** Throws what keeps an object that was made from being taken away again. */
  readonly assertUnused?: (object: PlatformStep['object']) => Promise<void>;
  /** What is done about a step that failed; when left out, all is taken back. */
  readonly afterFailure?: (steps: readonly ActStep[], error: unknown) => AfterFailure;
}

export interface PlannedStep {
  readonly step: PlatformStep;
  /** Told to the logbook as soon as it stands, where the whole need not stand or fall together. */
  readonly entry?: Entry;
}

export interface PlannedAct<Inside> {
  /** As people name it. */
  readonly about: string;
  readonly namespace?: string;
  readonly steps: readonly PlannedStep[];
  readonly inside: Inside;
  /** Told to the logbook when all of it stands. */
  readonly entries: readonly Entry[];
}

/** Acts that touch platform and database: planned, kept, carried step by step, and taken back, by whichever server lives. */
export class Acts {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly turns: Turns,
    private readonly carryHere: (operation: string) => Promise<void>,
  ) {}

  /**
   * Carries an act in turn with others at the same things, and gives its outcome. `plan` is asked when nobody else is at them;
   * planning nothing is an answer. Throws what refused the act, when all of it was taken back.
   */
  inTurn<Inside, Outcome>(
    room: ActRoom<Inside, Outcome>,
    things: readonly string[],
    person: string,
    plan: () => Promise<PlannedAct<Inside> | undefined>,
  ): Promise<Outcome | undefined> {
    return this.turns.at(things, async () => {
      await this.clearTheWay(things);
      const planned = await plan();
      if (!planned) return undefined;
      const { act, operation } = await this.begin(room.kind, things, person, planned);
      await this.carryHere(operation);
      return (await this.outcomeOf(room, act, operation)) as Outcome;
    });
  }

  /** What a server that was killed left at these things is carried to its end first. */
  private async clearTheWay(things: readonly string[]): Promise<void> {
    const left = async () => {
      const held = await actHolds
        .in(this.database)
        .findAll({ where: { thing: [...things] }, order: ['actId'], limit: things.length });
      const where = { subject: held.map((h) => h.actId) };
      return operations.in(this.database).scope('open').findAll({ where, limit: things.length });
    };
    for (const { id } of await left()) await this.carryHere(id);
    const [still] = await left();
    if (still)
      throw new Refusal(
        'conflict',
        'act-under-way',
        'An earlier change has not ended',
        `What ${still.person ?? 'somebody'} began at ${still.about} has not come to its end${still.error ? ` (${still.error.detail})` : ''}. Nothing of this one was begun; look under what is under way.`,
      );
  }

  private begin<Inside>(
    kind: Kind<ActState>,
    things: readonly string[],
    person: string,
    { about, namespace, steps, inside, entries }: PlannedAct<Inside>,
  ): Promise<{ act: string; operation: string }> {
    const id = randomUUID();
    return this.database.transaction(async () => {
      await acts.in(this.database).create({ id, kind: kind.kind, person, inside, entries: [...entries] });
      await actSteps
        .in(this.database)
        .bulkCreate(steps.map(({ step, entry }, number) => ({ actId: id, number, step, entry: entry ?? null })));
      await actHolds.in(this.database).bulkCreate([...new Set(things)].map((thing) => ({ thing, actId: id })));
      const [operation] = await beginOperations(this.database, kind, [id], { about, namespace, person });
      await noteProgress(this.database, { id: operation! }, steps.length, 'steps');
      return { act: id, operation: operation! };
    });
  }

  private async outcomeOf(room: ActRoom<never>, id: string, operation: string): Promise<unknown> {
    const [act, stands] = await Promise.all([
      acts.in(this.database).findByPk(id, { rejectOnEmpty: true }),
      operations.in(this.database).findByPk(operation, { rejectOnEmpty: true }),
    ]);
    if (stands.state === 'done') return act.outcome;
    const error = act.problem ? restore(act.problem) : undefined;
    if (stands.endedAt !== null)
      throw (
        error ??
        new Refusal(
          'conflict',
          'called-off',
          'Called off',
          `It was ${stands.cause ?? 'called off'}. What was done before was taken back.`,
        )
      );
    const steps = await this.stepsOf(id);
    const standing = steps.filter((s) => s.state === 'asked' || s.state === 'done');
    const names = [...new Set(standing.map((s) => s.step.object.metadata.name))].slice(0, 20).join(', ');
    if (error && stands.state === 'undoing')
      throw new Refusal(
        'outside',
        'half-applied',
        'Done in part',
        `It failed (${error.message}), and what was done to ${names} on the platform could not be taken back yet. It is tried again by itself; how far it is stands under what is under way.`,
      );
    if (error) throw room.unfinished?.(error, steps) ?? error;
    throw new Refusal(
      'unavailable',
      'not-ended',
      'Not ended yet',
      'It was begun and has not come to its end here; another server goes on with it. Look under what is under way before you try again.',
    );
  }

  /** The kind of operations of a room's acts. */
  workOf<Inside, Outcome>(room: ActRoom<Inside, Outcome>): Work<ActState> {
    const { kind } = room;
    const at =
      (step: (operation: Operation, act: StoredAct) => Promise<Operation | undefined>) =>
      async (operation: Operation) =>
        step(operation, await acts.in(this.database).findByPk(operation.subject, { rejectOnEmpty: true }));
    return {
      kind,
      tells: () => ({ topic: 'operations' }),
      afterFailure: async (operation, error) => {
        // what is in use is taken away when a person says so once more; the platform is asked until it does it
        if (operation.state === 'undoing') return error instanceof Refusal ? 'stop' : 'again';
        const steps = await this.stepsOf(operation.subject);
        return room.afterFailure?.(steps, error) ?? 'undo';
      },
      steps: {
        asking: at((o, act) => this.noting(act, () => this.ask(kind, o, act))),
        writing: at((o, act) => this.noting(act, () => this.write(room, o, act))),
        undoing: at((o, act) => this.undo(room, o, act)),
      },
    };
  }

  /** Keeps why it went no further, for whoever asks. */
  private async noting<T>(act: StoredAct, work: () => Promise<T>): Promise<T> {
    try {
      return await work();
    } catch (error) {
      if (!isDatabaseGone(error)) await act.update({ problem: store(error) });
      throw error;
    }
  }

  private stepsOf = (actId: string) =>
    actSteps.in(this.database).findAll({ where: { actId }, order: ['number'], limit: 10_000 });

  /** The next step of which it is not known that it stands. It is written that the platform is asked before it is. */
  private async ask(kind: Kind<ActState>, operation: Operation, act: StoredAct): Promise<Operation | undefined> {
    const { database, platform } = this;
    const table = actSteps.in(database);
    const open = { actId: act.id, state: ['waiting', 'asked'] };
    const next = await table.findOne({ where: open, order: ['number'] });
    if (!next) return advance(database, kind, operation, 'writing');
    const isRepeated = next.state === 'asked';
    const now = (state: 'waiting' | 'asked') =>
      table.update({ state }, { where: { actId: act.id, number: next.number } });
    if (!isRepeated) await now('asked');
    const { uid, note } = await carry({ database, platform }, next).catch(async (error: unknown) => {
      // of a try before this one, the answer is not known
      if (didNothing(error) && !isRepeated && !mayHaveChanged(next.step)) await now('waiting');
      throw naming(next, error);
    });
    return database.transaction(async () => {
      await note();
      await table.update({ state: 'done', uid }, { where: { actId: act.id, number: next.number } });
      if (next.entry) await record(database, { person: act.person, ...next.entry });
      const left = await table.count({ where: open });
      await noteProgress(database, operation, left, 'steps');
      return advance(database, kind, operation, left > 0 ? 'asking' : 'writing');
    });
  }

  /** Everything of ours, the logbook and the end of the act: all or nothing. */
  private write<Inside, Outcome>(
    room: ActRoom<Inside, Outcome>,
    operation: Operation,
    { id, person, inside, entries }: StoredAct,
  ): Promise<Operation | undefined> {
    const { database } = this;
    return database.transaction(async () => {
      const outcome = await room.write({ id, person, inside: inside as Inside });
      for (const entry of entries) await record(database, { person, ...entry });
      await acts.in(database).update({ outcome: outcome as object, problem: null }, { where: { id } });
      return this.end(room, operation, id, inside as Inside, 'done');
    });
  }

  private async end<Inside>(
    { kind, tells }: Pick<ActRoom<Inside>, 'kind' | 'tells'>,
    operation: Operation,
    actId: string,
    inside: Inside,
    state: 'done' | 'undone',
  ): Promise<Operation | undefined> {
    await actHolds.in(this.database).destroy({ where: { actId } });
    await announce(this.database, [...tells(inside), { topic: 'operations' }]);
    return advance(this.database, kind, operation, state);
  }

  /** Takes back what was done, the last first; a step that cannot be taken back keeps none of the others. */
  private async undo<Inside, Outcome>(
    room: ActRoom<Inside, Outcome>,
    operation: Operation,
    act: StoredAct,
  ): Promise<Operation | undefined> {
    const { database, platform } = this;
    const done = (await this.stepsOf(act.id)).filter((s) => s.state === 'asked' || s.state === 'done').reverse();
    let failed: unknown;
    for (const step of done)
      try {
        if (step.step.do === 'make') await room.assertUnused?.(step.step.object);
        const { note } = await carryBack({ database, platform }, step);
        await database.transaction(async () => {
          await note();
          if (step.entry && step.state === 'done') await record(database, undoneEntry(act.person, step.entry));
          await step.update({ state: 'undone' });
        });
      } catch (error) {
        if (isDatabaseGone(error)) throw error;
        failed ??= error;
      }
    if (failed !== undefined) throw failed;
    return database.transaction(() => this.end(room, operation, act.id, act.inside as Inside, 'undone'));
  }
}

/** The platform's words, with what they are about. */
function naming({ step }: ActStep, error: unknown): unknown {
  if (!(error instanceof PlatformProblem) || error.message.includes(step.object.metadata.name)) return error;
  return new PlatformProblem(error.code, `${objectOf(step)}: ${error.message}`, error.causes);
}

const undoneEntry = (person: string, { kind, subject, after }: Entry) => ({
  person,
  action: 'delete' as const,
  kind,
  subject,
  before: after,
});

/** What an act is about, from the objects that it touches. */
export function aboutOf(steps: readonly PlatformStep[]): string {
  const names = [...new Set(steps.map(objectOf))];
  return names.length > 3 ? `${names.slice(0, 2).join(', ')} and ${names.length - 2} more` : names.join(', ');
}
