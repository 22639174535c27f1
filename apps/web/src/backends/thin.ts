import type { PoolRow } from '@moorage/contract/backends';
import { toCorePool, usualCopies } from '@moorage/contract/pool-state';
import type { ThinState } from '@moorage/core/capacity/thin';
import { thinState } from '@moorage/core/pools/pool';

/** How full a pool is, at the copies that it usually keeps. */
export const thinOf = (pool: PoolRow): ThinState =>
  thinState(toCorePool({ ...pool, reachable: true, healthy: true, diskUse: {} }), usualCopies(pool));
