import { join } from 'node:path';
import type { ReadObject } from '@moorage/manifests/text';
import { pool, Promise as PoolPromise, type Pool } from 'workerpool';
import { Refusal } from '../refusals/refusal';

const usualLimitMs = 3000;
const startLimitMs = 30_000;
const mostWaiting = 20;
const memoryMegabytes = 128;

/** Reads manifests in a thread of its own, which ends with a text that takes too long. */
export class ManifestReader {
  private threads?: Pool;

  /** `programs` is the folder of the built programs, where the thread's own stands. */
  constructor(
    private readonly programs: string,
    private readonly limitMs = usualLimitMs,
  ) {}

  async read(text: string): Promise<ReadObject[]> {
    this.threads ??= pool(join(this.programs, 'reading-worker.mjs'), {
      workerType: 'thread',
      maxWorkers: 1,
      workerThreadOpts: { resourceLimits: { maxOldGenerationSizeMb: memoryMegabytes } },
    });
    if (this.threads.stats().pendingTasks >= mostWaiting)
      throw new Refusal(
        'unavailable',
        'busy',
        'Busy with other manifests',
        'Many manifests are being read just now, and this one was not begun. Send it again in a few seconds.',
      );
    await this.started(this.threads);
    try {
      return (await this.threads.exec('read', [text]).timeout(this.limitMs)) as ReadObject[];
    } catch (error) {
      if (error instanceof PoolPromise.TimeoutError)
        throw Refusal.invalid(
          'text',
          `Reading the manifest took longer than ${this.limitMs / 1000} s and was stopped. Split it into smaller ones.`,
        );
      if (
        (error as { code?: string }).code === 'ERR_WORKER_OUT_OF_MEMORY' ||
        /terminated/i.test((error as Error).message)
      )
        throw Refusal.invalid('text', 'Reading the manifest took too much memory. Split it into smaller ones.');
      throw error;
    }
  }

  /** Until the thread answers: a start that a busy machine draws out takes none of the time that reading may. */
  private async started(threads: Pool): Promise<void> {
    try {
      await threads.exec('methods').timeout(startLimitMs);
    } catch (error) {
      if (!(error instanceof PoolPromise.TimeoutError)) throw error;
      throw new Refusal(
        'unavailable',
        'busy',
        'The machine is busy',
        `The thread that reads manifests did not start within ${startLimitMs / 1000} s. Nothing was done; send it again.`,
      );
    }
  }

  async stop(): Promise<void> {
    await this.threads?.terminate(true);
  }
}
