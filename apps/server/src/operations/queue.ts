import PgBoss from 'pg-boss';
import type { Logger } from 'pino';

// one job for each operation at most; the queue of the releases before took any number
const queueName = 'operations-once';

/** Operations to look at, in PostgreSQL, shared by all servers, each queued once at most. What a job means stands in the operation's own row. */
export class OperationQueue {
  private readonly boss: PgBoss;

  constructor(url: string, log: Logger) {
    // a job lost in a crash of the database is put again by the sweep, so its writes need not wait for the disk
    const relaxed = new URL(url);
    relaxed.searchParams.set('options', '-c synchronous_commit=off');
    this.boss = new PgBoss({
      connectionString: relaxed.toString(),
      max: 4,
      schema: 'queue',
      supervise: true,
      schedule: false,
    });
    this.boss.on('error', (error) => log.warn({ err: error }, 'the queue met an error'));
  }

  async start(): Promise<void> {
    await this.boss.start();
    await this.boss.createQueue(queueName, {
      name: queueName,
      policy: 'short',
      retryLimit: 2,
      expireInSeconds: 120,
      retentionMinutes: 60 * 24,
    });
  }

  async put(ids: readonly string[], afterSeconds = 0): Promise<void> {
    if (ids.length === 0) return;
    const startAfter = afterSeconds > 0 ? new Date(Date.now() + afterSeconds * 1000) : undefined;
    // a try that is due later must not keep one at once from being queued
    const keyed = (id: string) => ({
      singletonKey: startAfter ? `${id}/later` : id,
      ...(startAfter && { startAfter }),
    });
    if (ids.length === 1) await this.boss.send(queueName, { id: ids[0]! }, keyed(ids[0]!));
    else await this.boss.insert(ids.map((id) => ({ name: queueName, data: { id }, ...keyed(id) })));
  }

  async take(most: number): Promise<{ job: string; operation: string }[]> {
    const jobs = await this.boss.fetch<{ id: string }>(queueName, { batchSize: most });
    return jobs.map((j) => ({ job: j.id, operation: j.data.id }));
  }

  async done(job: string): Promise<void> {
    await this.boss.complete(queueName, job);
  }

  async stop(): Promise<void> {
    await this.boss.stop({ graceful: false, close: true });
  }
}
