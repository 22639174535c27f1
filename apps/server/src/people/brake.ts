import { createHash } from 'node:crypto';
import { RateLimiterPostgres, RateLimiterRes } from 'rate-limiter-flexible';
import type { Database } from '../database/database';
import { Refusal } from '../refusals/refusal';
import { forgetFailures } from './brake.sql';

/** Wrong passwords that are free of a wait, for one account and from one address, within a window. */
const limits = {
  account: { points: 5, duration: 300, blockDuration: 60 },
  address: { points: 20, duration: 300, blockDuration: 60 },
} as const;

/** Passwords that are hashed at the same time, and those that may wait for it. */
const atOnce = 1;
const mostWaiting = 16;

/**
 * Slows down who tries passwords: by account and by address, in all servers together, and never more than a few at once,
 * since each costs tens of milliseconds of a core.
 */
export class SignInBrake {
  private readonly by: Readonly<Record<keyof typeof limits, RateLimiterPostgres>>;
  private hashing = 0;
  private readonly waiting: (() => void)[] = [];

  constructor(database: Database) {
    const limiter = (of: keyof typeof limits) =>
      new RateLimiterPostgres({
        storeClient: database.sequelize,
        storeType: 'sequelize',
        tableName: 'sign_in_failures',
        tableCreated: true,
        keyPrefix: of,
        clearExpiredByTimeout: false,
        ...limits[of],
      });
    this.by = { account: limiter('account'), address: limiter('address') };
  }

  /** Who is counted; names are kept as digests, since people mistake the field and type a password there. */
  private keys(name: string, address: string) {
    const account = createHash('sha256').update(name).digest('base64url').slice(0, 22);
    return { account, address: address.slice(0, 64) } as const;
  }

  /**
   * Runs a check of name and password, unless there were too many wrong ones. `check` gives undefined for a wrong one; the one
   * that passes a limit is told to `onStopped`, once.
   */
  async through<T>(
    name: string,
    address: string,
    check: () => Promise<T | undefined>,
    onStopped: (by: keyof typeof limits, waitS: number) => Promise<void>,
  ): Promise<T | undefined> {
    const keys = this.keys(name, address);
    for (const by of ['account', 'address'] as const) {
      const state = await this.by[by].get(keys[by]);
      if (state !== null && state.consumedPoints > limits[by].points) throw refusal(state.msBeforeNext);
    }
    const found = await this.inTurn(check);
    if (found !== undefined) {
      await this.by.account.delete(keys.account);
      return found;
    }
    for (const by of ['account', 'address'] as const)
      try {
        await this.by[by].consume(keys[by]);
      } catch (stopped) {
        // the limiter rejects with its state when the limit is passed, with an error when something failed
        if (!(stopped instanceof RateLimiterRes)) throw stopped;
        await onStopped(by, Math.ceil(stopped.msBeforeNext / 1000));
      }
    return undefined;
  }

  private async inTurn<T>(work: () => Promise<T>): Promise<T> {
    if (this.hashing >= atOnce) {
      if (this.waiting.length >= mostWaiting)
        throw new Refusal(
          'unavailable',
          'busy',
          'Too many at once',
          'Many people are signing in at this moment. Try again in a few seconds.',
        );
      await new Promise<void>((resolve) => this.waiting.push(resolve));
    }
    this.hashing += 1;
    try {
      return await work();
    } finally {
      this.hashing -= 1;
      this.waiting.shift()?.();
    }
  }
}

function refusal(waitMs: number): Refusal {
  const waitS = Math.max(1, Math.ceil(waitMs / 1000));
  return new Refusal(
    'too-many',
    'too-many-tries',
    'Too many wrong passwords',
    `There were too many wrong passwords for this account or from this address. Wait ${waitS} s, then try again.`,
    'password',
    undefined,
    waitS,
  );
}

/** Forgets counts whose time is over. */
export const purgeFailures = (database: Database) => forgetFailures(database, Date.now());
