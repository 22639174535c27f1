import type { Counted } from '@moorage/core/usage/sampled';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { LastCounts } from './sample-model';
import { countedLast, noteCounted } from './sample.sql';

/** What a backend had counted of its volumes, by their ids, and when. */
interface CountedThen {
  readonly at: Date;
  readonly counts: ReadonlyMap<string, Counted>;
}

/** How old what is kept may be: rates are reckoned from counts of the last ten minutes, so a server that comes after goes on from it. */
const keptMs = 4 * 60_000;

const listed = (counts: ReadonlyMap<string, Counted>): LastCounts => {
  const all = [...counts.values()];
  return {
    volumes: [...counts.keys()],
    operations: all.map((c) => c.operations),
    bytes: all.map((c) => c.bytes),
    busyMs: all.map((c) => c.busyMs),
  };
};
const read = ({ volumes, operations, bytes, busyMs }: LastCounts): ReadonlyMap<string, Counted> =>
  new Map(volumes.map((id, i) => [id, { operations: operations[i]!, bytes: bytes[i]!, busyMs: busyMs[i]! }]));

/** What backends had counted when they were sampled last: in memory, and every few minutes in the database. */
export class LastCounted {
  private readonly known = new Map<string, CountedThen>();
  private readonly keptAt = new Map<string, number>();

  constructor(private readonly database: Database) {}

  async of(backend: string): Promise<CountedThen | undefined> {
    const known = this.known.get(backend);
    if (known) return known;
    const kept = await first(countedLast(this.database, backend));
    return kept && { at: kept.at, counts: read(kept.counts) };
  }

  async note(backend: string, now: CountedThen): Promise<void> {
    this.known.set(backend, now);
    const agoMs = Math.abs(now.at.getTime() - (this.keptAt.get(backend) ?? 0));
    if (agoMs < keptMs) return;
    await noteCounted(this.database, backend, now.at, JSON.stringify(listed(now.counts)));
    this.keptAt.set(backend, now.at.getTime());
  }
}
