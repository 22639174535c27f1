import type { Logger } from 'pino';
import type { Backends } from '../backends/backends';
import type { Database } from '../database/database';
import type { PlatformConnector } from '../platform/connector';
import type { BackendView } from '../swordfish/connector';
import { LastCounted } from './last-counted';
import { noteNames } from './prices';
import { RoomLeft } from './room-left';
import { catchUp, forgetSamples, rollUp, takeView } from './sampling';
import { followClock, keepDays } from './use';

/** Pause between looks at a backend's reports of what was. */
const catchUpMs = 60_000;

/** Keeps what was: takes samples, rolls them up, and forgets them in their time. One server does it at a time. */
export class UsageKeeper {
  /** When the reports of each backend are next asked for. */
  private readonly caughtUp = new Map<string, number>();

  private readonly room: RoomLeft;
  private readonly last: LastCounted;

  constructor(
    private readonly database: Database,
    private readonly platform: Pick<PlatformConnector, 'fetchTime'>,
    private readonly backends: Pick<Backends, 'connector'>,
    private readonly log: Logger,
    private readonly isOver: () => boolean,
    free: () => Promise<number | null>,
  ) {
    this.last = new LastCounted(database);
    this.room = new RoomLeft(database, log, free);
  }

  /** Takes what a backend told of itself at a moment; what it told while nobody here sampled it is read beside that. */
  async take(backend: string, { view, at }: { readonly view: BackendView; readonly at: Date }): Promise<void> {
    if (!(await this.room.isThere())) return;
    if (!(await this.room.guard(() => takeView(this.database, backend, view, at, this.last)))) return;
    if (Date.now() < (this.caughtUp.get(backend) ?? 0)) return;
    this.caughtUp.set(backend, Infinity);
    void this.readReports(backend);
  }

  private async readReports(backend: string): Promise<void> {
    try {
      const connector = await this.backends.connector(backend);
      await this.room.guard(async () => {
        await catchUp(this.database, backend, connector, this.isOver);
        await rollUp(this.database, this.isOver);
      });
    } catch (error) {
      this.log.warn({ err: error, backend }, 'what a backend told of the past was not read whole; it is asked again');
    }
    this.caughtUp.set(backend, Date.now() + catchUpMs);
  }

  /** What was, is dated by the platform's own clock. */
  async look(): Promise<void> {
    if (await followClock(this.database, await this.platform.fetchTime()))
      this.log.info('the clock of the platform stands elsewhere now: what was, is dated by it');
  }

  /** Keeps the sums of days that are over, rolls up, and drops what had its time. */
  async tidy(): Promise<void> {
    if (await this.room.isThere())
      await this.room.guard(async () => {
        await noteNames(this.database);
        await keepDays(this.database, this.isOver);
        await rollUp(this.database, this.isOver);
      });
    await forgetSamples(this.database);
  }
}
