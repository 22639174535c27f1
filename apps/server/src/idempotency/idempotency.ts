import type { Request } from 'express';
import type { Database } from '../database/database';
import { Refusal } from '../refusals/refusal';
import { digestOf } from '../secrets/digest';
import { keys } from './idempotency-model';
import { forgetKeys, freeKeys, takeKey } from './idempotency.sql';

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
    if (lease !== undefined) await freeKeys(this.database, lease, [...this.mine]);
  }

  async once(request: Request, person: string, run: () => Promise<Answer>): Promise<Answer> {
    const key = request.header('Idempotency-Key');
    if (!key || request.method !== 'POST' || person === '') return run();
    if (!/^[\x21-\x7e]{1,200}$/.test(key))
      throw Refusal.invalid('Idempotency-Key', 'A key is 1 to 200 printable characters without spaces.');
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
    const begun = await takeKey(this.database, key, person, digest, lease);
    if (begun.length === 0) return this.known(key, person, digest);
    try {
      const answer = await run();
      await keys
        .in(this.database)
        .update(
          { status: answer.status, body: answer.body ?? null },
          { where: { key, person, runner: lease ?? null } },
        );
      return answer;
    } catch (error) {
      await keys
        .in(this.database)
        .destroy({ where: { key, person, runner: lease ?? null, status: null } })
        // what PostgreSQL does not take now goes with the next round of `clear`, or with this server's lease
        .catch(() => undefined);
      throw error;
    }
  }

  private async known(key: string, person: string, digest: string): Promise<Answer> {
    const known = await keys.in(this.database).findOne({ where: { key, person } });
    if (known && known.digest !== digest)
      throw new Refusal(
        'invalid',
        'key-reused',
        'Key used before',
        'This Idempotency-Key came with another request before. Use a new key.',
      );
    if (!known || known.status === null)
      throw new Refusal(
        'conflict',
        'in-progress',
        'Still in progress',
        'The first call with this Idempotency-Key is not finished yet.',
      );
    return { status: known.status, body: known.body };
  }
}

/** Forgets keys that are older than a day, in small steps. True when there may be more. */
export async function purgeKeys(database: Database): Promise<boolean> {
  const gone = await forgetKeys(database);
  return gone.length === 1000;
}
