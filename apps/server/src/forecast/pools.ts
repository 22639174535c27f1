import { usualCopies } from '@moorage/contract/pool-state';
import { footprintFactor, iopsLimit, thinState } from '@moorage/core/pools/pool';
import type { Pool } from '@moorage/core/pools/pool-state';
import { corePools, livePools, type LivePool } from '../pools/pools';
import type { Database } from '../database/database';

/** A pool in raw bytes: what there is, may be promised, is promised and is written. */
export interface RawPool {
  readonly live: LivePool;
  readonly core: Pool;
  readonly capacity: number;
  readonly ceiling: number;
  readonly promised: number;
  readonly written: number;
  readonly promisableIops: number;
}

/** All pools that their backends list, in raw bytes. */
export async function rawPools(database: Database): Promise<RawPool[]> {
  const live = (await livePools(database, 'all')).filter((p) => p.goneSince === null);
  const core = corePools(live);
  return live.map((pool) => {
    const known = core.get(pool.id)!;
    const copies = usualCopies(pool);
    const capacity = Math.floor(thinState(known, copies).usable * footprintFactor(known, copies));
    return {
      ...{ live: pool, core: known, capacity, promised: known.subscribedRaw, written: known.consumedRaw },
      ceiling: known.overcommit * capacity,
      promisableIops: iopsLimit(known),
    };
  });
}
