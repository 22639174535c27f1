import type { Logger } from 'pino';
import type { Database } from '../database/database';
import { reckonRunways } from '../forecast/reckon';
import { announce } from '../live/announce';
import type { Metrics } from '../metrics/metrics';
import { Recounter } from '../mirror/recount';
import { reckonWaste } from './waste';

/** Runways and waste are days old: they are reckoned anew every minute, and less often where that takes long: a hundredth of the time at most. */
const fewestMs = 60_000;
const restTimes = 100;

/** Reckons what follows from what was. One server does it at a time. */
export class Reckoner {
  private next = 0;
  private readonly recounter: Recounter;

  constructor(
    private readonly database: Database,
    metrics: Metrics,
    private readonly log: Logger,
    private readonly isOver: () => boolean,
  ) {
    this.recounter = new Recounter(database, metrics, log);
  }

  async tidy(): Promise<void> {
    await this.recounter.some();
    const began = Date.now();
    if (began < this.next) return;
    await reckonRunways(this.database, this.isOver);
    if (!this.isOver()) await reckonWaste(this.database, this.isOver);
    const took = Date.now() - began;
    this.next = Date.now() + Math.max(fewestMs, restTimes * took);
    this.log.debug({ took }, 'runways and waste are reckoned');
    await announce(this.database, [{ topic: 'runways' }]);
  }
}
