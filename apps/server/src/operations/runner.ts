import type { Logger } from 'pino';
import { BackendProblem } from '../backends/connector';
import type { Database } from '../database/database';
import { isDatabaseGone } from '../database/database';
import { announce } from '../live/announce';
import type { Metrics } from '../metrics/metrics';
import { PlatformProblem } from '../platform/connector';
import { nextStep, type Operation, type OperationError, type Step } from './operation';
import { callForWork, giveBack, lookAgain, noteFailure, take } from './operations';
import type { OperationQueue } from './queue';

/** Nothing failed; there is more to see in a while. */
export interface LookAgain {
  readonly againAfterS: number;
}
/** Does one step; gives the operation as it then is, or undefined when it rests or was moved by somebody else. */
export type Performer = (operation: Operation, step: Step['do']) => Promise<Operation | LookAgain | undefined>;

const slots = 48;
const pollMs = 1000;

function describe(error: unknown): OperationError {
  if (error instanceof BackendProblem) return { code: `backend-${error.code}`, detail: error.message };
  if (error instanceof PlatformProblem) return { code: `platform-${error.code}`, detail: error.message };
  return { code: 'internal', detail: error instanceof Error ? error.message : String(error) };
}

/** Takes jobs as long as it has free slots, and carries each operation as far as it goes. */
export class Runner {
  private busy = 0;
  private pumping = false;
  private wanted = false;
  private stopped = false;
  private timer?: NodeJS.Timeout;

  constructor(
    private readonly database: Database,
    private readonly queue: OperationQueue,
    private readonly serverKey: number,
    private readonly perform: Performer,
    private readonly metrics: Metrics,
    private readonly log: Logger,
    /** Told after each step that was done; tests use it to end the server at every point. */
    private readonly onStep: (operation: Operation) => void,
  ) {}

  start(): void {
    this.timer = setInterval(() => void this.pump(), pollMs);
    void this.pump();
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

  private begin(operation: string, job?: string): void {
    this.busy += 1;
    void this.run(operation, job).finally(() => {
      this.busy -= 1;
      if (this.busy >= slots - 1) void this.pump();
    });
  }

  private async run(id: string, job: string | undefined): Promise<void> {
    try {
      const operation = await take(this.database, id, this.serverKey);
      if (operation) {
        await this.carry(operation);
        if (await giveBack(this.database, id, this.serverKey)) await this.enqueue([id]);
      }
      if (job !== undefined) await this.queue.done(job);
    } catch (error) {
      // without the database nothing can be noted: the job comes back by itself, and the lease dies with this server's lock
      this.log[isDatabaseGone(error) ? 'warn' : 'error']({ err: error, operation: id }, 'an operation was interrupted');
      await giveBack(this.database, id, this.serverKey).catch(() => undefined);
    }
  }

  private async carry(start: Operation): Promise<void> {
    let operation = start;
    while (!this.stopped) {
      const step = nextStep(operation.state);
      if (step.do === 'rest') return;
      try {
        const moved = await this.perform(operation, step.do);
        if (!moved) return;
        if ('againAfterS' in moved) {
          await lookAgain(this.database, operation.id, moved.againAfterS);
          return;
        }
        operation = moved;
        this.metrics.operations.inc({ kind: moved.kind, state: moved.state });
        this.onStep(moved);
      } catch (error) {
        if (isDatabaseGone(error)) throw error;
        const problem = describe(error);
        if (problem.code === 'internal')
          this.log.error({ err: error, operation: operation.id }, 'a step failed for a reason not foreseen');
        const seconds = await noteFailure(this.database, operation, problem, Math.random());
        await announce(this.database, [{ topic: operation.kind === 'reshape' ? 'reshapes' : 'claims' }]);
        await this.queue.put([operation.id], seconds);
        return;
      }
    }
  }

  /**
   * Begins operations at once as far as this server has slots to spare, and puts the others on the queue for all servers. What
   * is begun at once needs no job: its lease dies with this server, and the sweep of another finds it.
   */
  async enqueue(ids: readonly string[]): Promise<void> {
    if (this.stopped) return;
    const here = Math.max(0, slots / 2 - this.busy);
    for (const id of ids.slice(0, here)) this.begin(id);
    const others = ids.slice(here);
    if (others.length === 0) return;
    await this.queue.put(others);
    await callForWork(this.database);
  }

  async stop(): Promise<void> {
    this.stopped = true;
    clearInterval(this.timer);
    while (this.busy > 0) await new Promise((resolve) => setTimeout(resolve, 20));
  }
}
