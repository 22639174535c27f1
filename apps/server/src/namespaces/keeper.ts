import type { Logger } from 'pino';
import type { Database } from '../database/database';
import { endGrants } from './limit-requests';
import { QuotaKeeper, type QuotaPlatform } from './quota-objects';

/** Keeps limits: those that were given until a day end with it, and the platform keeps the same. One server does it at a time. */
export class LimitKeeper {
  private readonly quotas: QuotaKeeper;

  constructor(
    private readonly database: Database,
    platform: QuotaPlatform,
    log: Logger,
    isOver: () => boolean,
  ) {
    this.quotas = new QuotaKeeper(database, platform, log, isOver);
  }

  async keep(): Promise<void> {
    await endGrants(this.database);
    await this.quotas.keep();
  }
}
