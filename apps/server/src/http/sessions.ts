import connectPgSimple from 'connect-pg-simple';
import type { Person } from '@moorage/contract/people';
import type { Request } from 'express';
import session, { type Session, type SessionData } from 'express-session';
import type pg from 'pg';
import type { Logger } from 'pino';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { sessionAndPerson } from './sessions.sql';

/** A session that is not used ends after this. */
export const sessionMs = 12 * 3_600_000;
/** Its end is put off this often at most: each time is a write that the request waits for. */
const putOffMs = 10 * 60_000;
const mostKnown = 10_000;

const PgStore = connectPgSimple(session);

/** Sessions in PostgreSQL, shared by all servers. */
export class SessionStore extends PgStore {
  private readonly putOff = new Map<string, number>();
  /** Whom what was read is of, until it becomes a request's session, and then whom the request is of. */
  private readonly persons = new WeakMap<object, Person>();

  constructor(
    pool: pg.Pool,
    private readonly database: Database,
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

  override get(sid: string, done: (error: unknown, data?: SessionData | null) => void): void {
    void first(sessionAndPerson(this.database, sid)).then(
      (found) => {
        if (found?.person) this.persons.set(found.sess, found.person);
        done(null, found?.sess);
      },
      (error: unknown) => done(error),
    );
  }

  override createSession(request: Request, data: SessionData): Session & SessionData {
    const person = this.persons.get(data);
    if (person) this.persons.set(request, person);
    return super.createSession(request, data);
  }

  /** Whom a request is of, as its session was read; undefined for nobody. */
  personOf = (request: Request): Person | undefined => this.persons.get(request);

  override touch(sid: string, data: SessionData, done?: () => void): void {
    const now = this.clock();
    if (now - (this.putOff.get(sid) ?? -Infinity) < putOffMs) return done?.();
    if (this.putOff.size >= mostKnown) this.putOff.clear();
    this.putOff.set(sid, now);
    super.touch(sid, data, done);
  }
}
