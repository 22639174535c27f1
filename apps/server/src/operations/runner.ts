import type { Logger } from 'pino';
import type { Database } from '../database/database';
import { isDatabaseGone } from '../database/database';
import { announce } from '../live/announce';
import type { Metrics } from '../metrics/metrics';
import { OutsideProblem } from '../refusals/outside';
import { Refusal } from '../refusals/refusal';
import { afterFailure, assertSound, mayMove, type Work } from './kind';
import type { Operation, OperationError } from './operation';
import { advance, callForWork, freeUnworked, giveBack, lookAgain, noteFailure, noteRefusal, take } from './operations';
import type { OperationQueue } from './queue';

const slots = 48;
const pollMs = 1000;
const freeMs = 3000;

function describe(error: unknown): OperationError {
  if (error instanceof Refusal) return { code: error.code, detail: error.detail };
  if (error instanceof OutsideProblem) return { code: `${error.world}-${error.code}`, detail: error.message };
  return { code: 'internal', detail: error instanceof Error ? error.message : String(error) };
}

/** Takes jobs as long as it has free slots, and carries each operation as far as it goes. */
export class Runner {
  /** What this server works on, and whether somebody asked for another look meanwhile. */
  private readonly inHand = new Map<string, boolean>();
  private pumping = false;
  private wanted = false;
  private freeing = false;
  private stopped = false;
  private timers: NodeJS.Timeout[] = [];
  private readonly works: ReadonlyMap<string, Work>;
  /** Who waits here for an operation to be given back. */
  private readonly waiters = new Map<string, (() => void)[]>();

  constructor(
    private readonly database: Database,
    private readonly queue: OperationQueue,
    /** The lease under which this server works now; undefined without PostgreSQL. */
    private readonly lease: () => number | undefined,
    works: readonly Work[],
    private readonly metrics: Metrics,
    private readonly log: Logger,
    /** Told after each step that was done; tests use it to end the server at every point. */
    private readonly onStep: (operation: Operation) => void,
  ) {
    for (const work of works) assertSound(work);
    this.works = new Map(works.map((work) => [work.kind.kind, work]));
  }

  start(): void {
    this.timers = [setInterval(() => void this.pump(), pollMs), setInterval(() => void this.freeUnworked(), freeMs)];
    void this.pump();
  }

  private get busy(): number {
    return this.inHand.size;
  }

  /** Fetches and starts jobs until there are none or no slot is free. */
  async pump(): Promise<void> {
    if (this.stopped) return;
    this.wanted = true;
    if (this.pumping) return;
    this.pumping = true;
    try {
      while (this.wanted && !this.stopped) {
        this.wanted = false;
        const free = slots - this.busy;
        if (free <= 0) break;
        const jobs = await this.queue.take(free);
        for (const { job, operation } of jobs) this.begin(operation, job);
        if (jobs.length === free) this.wanted = true;
      }
    } catch (error) {
      this.log.warn({ err: error }, 'no work could be fetched; trying again');
    } finally {
      this.pumping = false;
    }
  }

  /** Gives back what stands under this server's lease although it does not work on it: a hand-back that failed. */
  private async freeUnworked(): Promise<void> {
    const lease = this.lease();
    if (this.freeing || lease === undefined || this.stopped) return;
    this.freeing = true;
    try {
      const freed = await freeUnworked(this.database, lease, [...this.inHand.keys()]);
      if (freed > 0) this.log.warn({ operations: freed }, 'gave back operations that nobody worked on');
    } catch (error) {
      this.log.warn({ err: error }, 'looking for operations that nobody works on failed; the next round tries again');
    } finally {
      this.freeing = false;
    }
  }

  private begin(operation: string, job?: string): void {
    if (this.inHand.has(operation)) {
      this.inHand.set(operation, true);
      if (job !== undefined) void this.finishJob(job);
      return;
    }
    this.inHand.set(operation, false);
    void this.run(operation, job);
  }

  private async run(id: string, job: string | undefined): Promise<void> {
    let again = false;
    try {
      const lease = this.lease();
      const operation = lease === undefined ? undefined : await take(this.database, id, lease);
      if (operation && lease !== undefined) {
        await this.carry(operation, lease);
        again = await giveBack(this.database, id, lease);
      }
    } catch (error) {
      // the database went away: whoever has a lease then finds the operation where it stands
      this.log.warn({ err: error, operation: id }, 'an operation was left where it stands');
    }
    again ||= this.inHand.get(id) === true;
    this.inHand.delete(id);
    const waiters = this.waiters.get(id) ?? [];
    this.waiters.delete(id);
    for (const tell of waiters) tell();
    if (job !== undefined) await this.finishJob(job);
    if (again)
      await this.enqueue([id]).catch((error: unknown) =>
        this.log.warn({ err: error, operation: id }, 'another look was asked for; the sweep gives it'),
      );
    if (this.busy >= slots - 1) void this.pump();
  }

  private async finishJob(job: string): Promise<void> {
    try {
      await this.queue.done(job);
    } catch (error) {
      this.log.warn({ err: error }, 'a job could not be taken off the queue; it runs out by itself');
    }
  }

  private async carry(start: Operation, lease: number): Promise<void> {
    const work = this.works.get(start.kind);
    // of a kind that only a newer server knows
    if (!work) return;
    let operation: Operation | undefined = start;
    // under a lost lease the operation may be another server's by now
    while (operation && operation.stopped === null && !this.stopped && this.lease() === lease) {
      const moved: Operation | undefined = await this.step(work, operation);
      if (moved) {
        this.metrics.operations.inc({ kind: moved.kind, state: moved.state });
        this.onStep(moved);
      }
      operation = moved;
    }
  }

  /** One step; gives the operation as it then is, undefined when there is nothing more to do for now. */
  private async step(work: Work, operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    const { kind, steps } = work;
    const perform = steps[operation.state];
    if (!perform) return undefined;
    if (operation.cancelledBy !== null && kind.undo !== undefined && mayMove(kind, operation.state, kind.undo))
      return this.turnBack(work, operation, `called off by ${operation.cancelledBy}`);
    try {
      const moved = await perform(operation);
      if (moved === undefined || 'id' in moved) return moved;
      await lookAgain(database, operation.id, moved.againAfterS);
    } catch (error) {
      if (isDatabaseGone(error)) throw error;
      return this.failed(work, operation, error);
    }
    return undefined;
  }

  /** A step that failed is tried again, undone, or stops for a person, as its kind says. */
  private async failed(work: Work, operation: Operation, error: unknown): Promise<Operation | undefined> {
    const { database } = this;
    const { kind } = work;
    const problem = describe(error);
    if (problem.code === 'internal')
      this.log.error({ err: error, operation: operation.id }, 'a step failed for a reason not foreseen');
    const then = await (work.afterFailure?.(operation, error) ?? afterFailure(kind, operation, error));
    if (then === 'undo') return this.turnBack(work, operation, problem.detail);
    if (then === 'stop') await noteRefusal(database, operation, problem);
    else await this.queue.put([operation.id], await noteFailure(database, operation, problem, Math.random()));
    await this.tell(work, operation);
    return undefined;
  }

  private async turnBack(work: Work, operation: Operation, cause: string): Promise<Operation | undefined> {
    const moved = await advance(this.database, work.kind, operation, work.kind.undo!, { cause });
    await this.tell(work, operation);
    return moved;
  }

  private tell = (work: Work, operation: Operation) =>
    announce(this.database, [work.tells(operation), { topic: 'operations' }]);

  /** Begins an operation here, and waits until it is finished, or rests, or waits for its next try. */
  async carryHere(id: string): Promise<void> {
    const given = new Promise<void>((resolve) => this.waiters.set(id, [...(this.waiters.get(id) ?? []), resolve]));
    this.begin(id);
    await given;
  }

  /**
   * Begins operations at once as far as this server has slots to spare, and puts the others on the queue for all servers. What
   * is begun at once needs no job: its lease dies with this server, and the sweep of another finds it.
   */
  async enqueue(ids: readonly string[]): Promise<void> {
    if (this.stopped) return;
    const fresh = ids.filter((id) => {
      if (!this.inHand.has(id)) return true;
      this.inHand.set(id, true);
      return false;
    });
    const here = Math.max(0, slots / 2 - this.busy);
    for (const id of fresh.slice(0, here)) this.begin(id);
    const others = fresh.slice(here);
    if (others.length === 0) return;
    await this.queue.put(others);
    await callForWork(this.database);
  }

  async stop(): Promise<void> {
    this.stopped = true;
    for (const timer of this.timers) clearInterval(timer);
    while (this.busy > 0) await new Promise((resolve) => setTimeout(resolve, 20));
  }
}
