import type { ReadObject } from '@moorage/contract/manifest-text';
import { join } from 'node:path';
import { Piscina } from 'piscina';
import { HttpProblem } from '../http/problem';

const usualLimitMs = 3000;
const mostWaiting = 20;

/** Reads manifests in a thread of its own, which ends with a text that takes too long. */
export class ManifestReader {
  private threads?: Piscina<string, ReadObject[]>;

  /** `programs` is the folder of the built programs, where the thread's own stands. */
  constructor(
    private readonly programs: string,
    private readonly limitMs = usualLimitMs,
  ) {}

  async read(text: string): Promise<ReadObject[]> {
    this.threads ??= new Piscina<string, ReadObject[]>({
      filename: join(this.programs, 'reading-worker.mjs'),
      minThreads: 0,
      maxThreads: 1,
      idleTimeout: 30_000,
      maxQueue: mostWaiting,
      resourceLimits: { maxOldGenerationSizeMb: 128 },
    });
    if (this.threads.queueSize >= mostWaiting)
      throw new HttpProblem(
        503,
        'busy',
        'Busy with other manifests',
        'Many manifests are being read just now, and this one was not begun. Send it again in a few seconds.',
      );
    const signal = AbortSignal.timeout(this.limitMs);
    try {
      return await this.threads.run(text, { signal });
    } catch (error) {
      const { name, message } = error as Error;
      if (signal.aborted && name === 'AbortError')
        throw HttpProblem.invalid(
          'text',
          `Reading the manifest took longer than ${this.limitMs / 1000} s and was stopped. Split it into smaller ones.`,
        );
      if (/memory limit|ERR_WORKER_OUT_OF_MEMORY/.test(`${message} ${(error as { code?: string }).code ?? ''}`))
        throw HttpProblem.invalid('text', 'Reading the manifest took too much memory. Split it into smaller ones.');
      throw error;
    }
  }

  async stop(): Promise<void> {
    await this.threads?.destroy();
  }
}
