import connectPgSimple from 'connect-pg-simple';
import session, { type SessionData } from 'express-session';
import type pg from 'pg';
import type { Logger } from 'pino';

/** A session that is not used ends after this. */
export const sessionMs = 12 * 3_600_000;
/** Its end is put off this often at most: each time is a write that the request waits for. */
const putOffMs = 10 * 60_000;
const mostKnown = 10_000;

const PgStore = connectPgSimple(session);

/** Sessions in PostgreSQL, shared by all servers. */
export class SessionStore extends PgStore {
  private readonly putOff = new Map<string, number>();

  constructor(
    pool: pg.Pool,
    log: Logger,
    private readonly clock: () => number = Date.now,
  ) {
    super({
      pool,
      tableName: 'session',
      pruneSessionInterval: 3600,
      errorLog: (...words: unknown[]) => log.warn({ words }, 'the session store met an error'),
    });
  }

  override touch(sid: string, data: SessionData, done?: () => void): void {
    const now = this.clock();
    if (now - (this.putOff.get(sid) ?? -Infinity) < putOffMs) return done?.();
    if (this.putOff.size >= mostKnown) this.putOff.clear();
    this.putOff.set(sid, now);
    super.touch(sid, data, done);
  }
}
