import type { Logger } from 'pino';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { reckonRunways } from './reckon';

/** Runways are days long: they are reckoned anew every minute, and less often where that takes long: a hundredth of the time at most. */
const fewestMs = 60_000;
const restTimes = 100;

/** Keeps the runways. One server does it at a time. */
export class RunwayKeeper {
  private next = 0;

  constructor(
    private readonly database: Database,
    private readonly log: Logger,
    private readonly isOver: () => boolean,
  ) {}

  async tidy(): Promise<void> {
    const began = Date.now();
    if (began < this.next) return;
    await reckonRunways(this.database, this.isOver);
    const took = Date.now() - began;
    this.next = Date.now() + Math.max(fewestMs, restTimes * took);
    this.log.debug({ took }, 'runways are reckoned');
    await announce(this.database, [{ topic: 'runways' }]);
  }
}
