import { randomUUID } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { Refusal } from '../refusals/refusal';
import { turns } from './turn-model';
import { endDeadTurns } from './turns.sql';

const patienceMs = 15_000;

/**
 * Turns at things that are changed in several steps, some of them outside of the database: nothing is locked meanwhile, and no
 * connection held. A turn ends with its work, or with the lease of the server that took it.
 */
export class Turns {
  private readonly mine = new Set<string>();

  constructor(
    private readonly database: Database,
    private readonly lease: () => number | undefined,
  ) {}

  /** Runs `work` while nobody else has a turn at any of `things`. Who waits too long is told of it. */
  async at<T>(things: readonly string[], work: () => Promise<T>): Promise<T> {
    const turn = randomUUID();
    const names = [...new Set(things)].sort();
    const deadline = performance.now() + patienceMs;
    this.mine.add(turn);
    try {
      for (let waitMs = 20; !(await this.take(names, turn)); waitMs = Math.min(waitMs * 1.5, 500)) {
        if (performance.now() > deadline)
          throw new Refusal(
            'conflict',
            'others-turn',
            'Somebody else is at it',
            `Another change of ${names.join(', ')} has been under way for ${patienceMs / 1000} s. This one was not begun; try again when that one has ended.`,
          );
        await pause(waitMs * (0.5 + Math.random()));
      }
      return await work();
    } finally {
      this.mine.delete(turn);
      // what cannot be given back now is taken by the next round of `clear`, or ends with the lease
      await turns
        .in(this.database)
        .destroy({ where: { turn } })
        .catch(() => undefined);
    }
  }

  private async take(names: readonly string[], turn: string): Promise<boolean> {
    const lease = this.lease();
    if (lease === undefined)
      throw new Refusal(
        'unavailable',
        'database-unavailable',
        'The database does not answer',
        'PostgreSQL cannot be reached. This was not begun; try again when it is back.',
      );
    return this.database.transaction(async () => {
      await endDeadTurns(this.database, names);
      const mine = turns.in(this.database);
      await mine.bulkCreate(
        names.map((thing) => ({ thing, turn, runner: lease })),
        { ignoreDuplicates: true },
      );
      if ((await mine.count({ where: { turn } })) === names.length) return true;
      await mine.destroy({ where: { turn } });
      return false;
    });
  }

  /** Ends turns of this server that nothing here runs under any more. */
  async clear(): Promise<void> {
    const lease = this.lease();
    if (lease !== undefined)
      await turns.in(this.database).destroy({ where: { runner: lease, turn: { [Op.notIn]: [...this.mine] } } });
  }
}
