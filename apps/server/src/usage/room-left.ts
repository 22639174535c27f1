import { statfs } from 'node:fs/promises';
import type { Logger } from 'pino';
import type { Database } from '../database/database';
import { samplingStops } from './sample-model';
import { diskFullCode, siteMoments } from './use.sql';
import { first } from '../database/statement';

/** Room on the database's disk that is left to what must go on: where there is less, nothing is sampled. */
export const reserveBytes = 2 ** 30;
/** How long nothing is written after the database said that its disk is full. */
const restMs = 10 * 60_000;

/** Free bytes on the disk of a folder; null where that is not known: a folder that cannot be looked at is no reason to stop. */
export async function freeOn(folder: string | undefined): Promise<number | null> {
  if (folder === undefined) return null;
  try {
    const { bavail, bsize } = await statfs(folder);
    return bavail * bsize;
  } catch {
    return null;
  }
}

export const isDiskFull = (error: unknown): boolean => {
  const { parent } = error as { parent?: { code?: string } };
  return parent?.code === diskFullCode;
};

/** Whether samples may be written. The disk of the database is shared with binding, which has the last of it. */
export class RoomLeft {
  private fullUntil = 0;
  private isStopped: boolean | undefined;

  constructor(
    private readonly database: Database,
    private readonly log: Logger,
    /** Free bytes; null where nobody knows. */
    private readonly free: () => Promise<number | null>,
  ) {}

  /** Looks whether there is room; what changes is told, in the log and as a finding. */
  async isThere(): Promise<boolean> {
    if (Date.now() < this.fullUntil) return false;
    const free = await this.free();
    if (free !== null && free < reserveBytes) await this.stop(free);
    else await this.goOn();
    return !this.isStopped;
  }

  /** Does what writes samples; where the disk is full, it stops and tells of it. Gives whether it was done. */
  async guard(work: () => Promise<void>): Promise<boolean> {
    try {
      await work();
      return true;
    } catch (error) {
      if (!isDiskFull(error)) throw error;
      this.fullUntil = Date.now() + restMs;
      await this.stop(0);
      return false;
    }
  }

  private async stop(free: number): Promise<void> {
    if (this.isStopped) return;
    this.isStopped = true;
    this.log.error(
      { free, reserve: reserveBytes },
      'no room for samples on the disk of the database: nothing is sampled until there is',
    );
    try {
      const { now } = (await first(siteMoments(this.database)))!;
      await samplingStops.in(this.database).upsert({ id: 1, since: now, free });
    } catch (error) {
      // not even the finding fits: the log has told of it
      if (!isDiskFull(error)) throw error;
    }
  }

  private async goOn(): Promise<void> {
    if (this.isStopped === false) return;
    if ((await samplingStops.in(this.database).destroy({ where: { id: 1 } })) > 0)
      this.log.info('there is room for samples again');
    this.isStopped = false;
  }
}
