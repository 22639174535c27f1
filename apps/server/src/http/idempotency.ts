import { createHmac } from 'node:crypto';
import type { Request } from 'express';
import type { Database } from '../database/database';
import { runnerIsDead } from '../operations/operations';
import { HttpProblem } from './problem';

/** What a key came with, as a keyed digest: the request itself, with whatever it held, is kept nowhere. */
export const digestOf = (secret: Buffer, request: string): string =>
  createHmac('sha256', secret).update(request).digest('base64');

interface Key {
  readonly key: string;
  readonly person: string;
  readonly digest: string;
}

export interface Answer {
  readonly status: number;
  readonly body: unknown;
}

/** Runs a creation once for each Idempotency-Key; a repeated call gets the first answer. Keys are kept for a day. */
export class Idempotency {
  /** Calls under way here, as `person key`; a key has no space. */
  private readonly mine = new Set<string>();

  constructor(
    private readonly database: Database,
    private readonly secret: Buffer,
    /** The lease under which this server works now; undefined without PostgreSQL. */
    private readonly lease: () => number | undefined,
  ) {}

  /** Frees keys of this server's that no call works under any more: PostgreSQL did not take their release when they ended. */
  async clear(): Promise<void> {
    const lease = this.lease();
    if (lease !== undefined)
      await this.database.rows(
        `DELETE FROM idempotency WHERE runner = $1 AND status IS NULL AND NOT person || ' ' || key = ANY($2)`,
        [lease, [...this.mine]],
      );
  }

  async once(request: Request, person: string, run: () => Promise<Answer>): Promise<Answer> {
    const key = request.header('Idempotency-Key');
    if (!key || request.method !== 'POST' || person === '') return run();
    if (!/^[\x21-\x7e]{1,200}$/.test(key))
      throw HttpProblem.invalid('Idempotency-Key', 'A key is 1 to 200 printable characters without spaces.');
    const digest = digestOf(this.secret, `${request.path} ${JSON.stringify(request.body)}`);
    const call = `${person} ${key}`;
    // the second of two at once is told of the first, and must not end what the first has
    if (this.mine.has(call)) return this.known(key, person, digest);
    this.mine.add(call);
    try {
      return await this.begin({ key, person, digest }, run);
    } finally {
      this.mine.delete(call);
    }
  }

  private async begin({ key, person, digest }: Key, run: () => Promise<Answer>): Promise<Answer> {
    const lease = this.lease();
    // a key is free again when a day has passed, or when the server died that began its request
    const begun = await this.database.rows(
      `INSERT INTO idempotency AS i (key, person, digest, runner) VALUES ($1, $2, $3, $4)
       ON CONFLICT (key, person) DO UPDATE SET digest = excluded.digest, runner = excluded.runner, status = NULL, body = NULL, created_at = now()
       WHERE i.created_at < now() - interval '24 hours' OR (i.status IS NULL AND (i.runner IS NULL OR i.${runnerIsDead}))
       RETURNING key`,
      [key, person, digest, lease],
    );
    if (begun.length === 0) return this.known(key, person, digest);
    try {
      const answer = await run();
      await this.database.rows(
        'UPDATE idempotency SET status = $3, body = $4::jsonb WHERE key = $1 AND person = $2 AND runner = $5',
        [key, person, answer.status, JSON.stringify(answer.body ?? null), lease],
      );
      return answer;
    } catch (error) {
      await this.database
        .rows('DELETE FROM idempotency WHERE key = $1 AND person = $2 AND runner = $3 AND status IS NULL', [
          key,
          person,
          lease,
        ])
        // what PostgreSQL does not take now goes with the next round of `clear`, or with this server's lease
        .catch(() => undefined);
      throw error;
    }
  }

  private async known(key: string, person: string, digest: string): Promise<Answer> {
    const known = await this.database.one<{ digest: string; status: number | null; body: unknown }>(
      'SELECT digest, status, body FROM idempotency WHERE key = $1 AND person = $2',
      [key, person],
    );
    if (known && known.digest !== digest)
      throw new HttpProblem(
        422,
        'key-reused',
        'Key used before',
        'This Idempotency-Key came with another request before. Use a new key.',
      );
    if (!known || known.status === null)
      throw new HttpProblem(
        409,
        'in-progress',
        'Still in progress',
        'The first call with this Idempotency-Key is not finished yet.',
      );
    return { status: known.status, body: known.body };
  }
}

/** Forgets keys that are older than a day, in small steps. True when there may be more. */
export async function purgeKeys(database: Database): Promise<boolean> {
  const gone = await database.rows(
    `DELETE FROM idempotency WHERE (key, person) IN (
       SELECT key, person FROM idempotency WHERE created_at < now() - interval '24 hours' ORDER BY created_at LIMIT 1000)
     RETURNING key`,
  );
  return gone.length === 1000;
}
