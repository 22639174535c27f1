import type { Logger } from 'pino';
import type { Database } from '../database/database';
import { endGrants } from './limit-requests';
import type { MirrorListener } from '../mirror/mirror';
import { onNamespaces, onQuotas, QuotaKeeper, type QuotaPlatform } from './quota-objects';

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

  /** What the mirror tells it of, inside its transactions. */
  readonly listeners: Readonly<Record<'namespaces' | 'resourcequotas', MirrorListener>> = {
    namespaces: (changed) => onNamespaces(this.database, changed),
    resourcequotas: (changed, gone) => onQuotas(this.database, changed, gone),
  };

  async keep(): Promise<void> {
    await endGrants(this.database);
    await this.quotas.keep();
  }
}
