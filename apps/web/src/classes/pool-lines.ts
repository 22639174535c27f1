import { isHere, type PlacementState } from '@moorage/contract/moorings';
import { toCorePool } from '@moorage/contract/pool-state';
import { subscriptionRoom } from '@moorage/core/capacity/thin';
import { offsiteClass } from '@moorage/core/classes/elsewhere';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { rateFor } from '@moorage/core/performance/term';
import { roomFor } from '@moorage/core/placement/decide';
import { makeOffer, offerRules, type OfferRule } from '@moorage/core/placement/offer';
import { ruleContext } from '@moorage/core/placement/rules';
import { footprintFactor } from '@moorage/core/pools/pool';
import type { Pool } from '@moorage/core/pools/pool-state';
import { bytes, gibibytes, TiB } from '@moorage/core/sizes/bytes';

/** Sizes that the figures of a class are given for. */
export const samples = [gibibytes(10), gibibytes(100), bytes(TiB)] as const;

/** How a pool is at this moment; what a class promises is judged without it. */
const passing: ReadonlySet<OfferRule> = new Set(['backend', 'writable', 'fill']);

/** The first demand of a class that a pool does not meet, all its answers taken together; undefined when it serves. */
export function shutOutBy(pool: Pool, cls: StorageClass): OfferRule | undefined {
  const { checks } = makeOffer(pool, cls);
  return offerRules.find((rule) => !passing.has(rule) && !checks[rule].passed);
}

export const servingPools = (pools: readonly Pool[], cls: StorageClass): Pool[] =>
  pools.filter((p) => shutOutBy(p, cls) === undefined);

/** What a class comes to on one pool that serves it. */
export interface PoolLine {
  readonly pool: string;
  /** Bytes taken of the pool for each byte of a volume. */
  readonly takes: number;
  /** The copies are the pool's own affair: asking for more takes no more. */
  readonly inner: boolean;
  readonly usable: number;
  readonly left: number;
  /** Operations per second that the pool keeps for a volume of each sample size, as it pays for them. */
  readonly kept: readonly number[];
  /** Claims of 100 GiB that still fit. */
  readonly claims: number;
  /** Price of 100 GiB a month with every copy the class keeps; null where a pool of it has none. */
  readonly price: number | null;
}

const factorOf = (pool: Pool): number =>
  pool.redundancy.kind === 'spread' && pool.redundancy.scheme.kind === 'copies'
    ? pool.redundancy.scheme.copies
    : footprintFactor(pool, 1);

/** A pool's price is for a byte kept as it usually keeps them: fewer copies cost less, more cost more. */
function ownPrice(pool: Pool, cls: StorageClass, priceOf: ReadonlyMap<string, number | null>): number | null {
  const price = priceOf.get(pool.id) ?? null;
  return price === null ? null : (100 * price * footprintFactor(pool, cls.copies)) / factorOf(pool);
}

const cheapest = (prices: readonly (number | null)[]): number | null => {
  const known = prices.filter((p): p is number => p !== null);
  return known.length > 0 ? Math.min(...known) : null;
};

/** The pools that serve a class, each with what the class comes to there. */
export function poolLines(cls: StorageClass, state: PlacementState): PoolLine[] {
  const all = state.pools.map(toCorePool);
  const here = new Set(state.pools.filter((p) => isHere(state, p)).map((p) => p.id));
  const priceOf = new Map(state.pools.map((p) => [p.id, p.price]));
  const near = all.filter((p) => here.has(p.id));
  const remote = servingPools(
    all.filter((p) => !here.has(p.id)),
    offsiteClass(cls),
  );
  return servingPools(near, cls).map((pool): PoolLine => {
    const offer = makeOffer(pool, cls);
    const { thin } = offer;
    const contextAt = (size: (typeof samples)[number]) =>
      ruleContext(
        {
          claim: { namespace: '', size, modes: [], volumeMode: 'Filesystem' },
          storageClass: cls,
          moorings: [],
          pools: new Map([[pool.id, pool]]),
          quotas: [],
        },
        pool,
        { pool: pool.id, enabled: true, order: 1, weight: 1 },
      );
    const parts = [
      ownPrice(pool, cls, priceOf),
      ...(cls.secondCopy
        ? [cheapest(near.filter((p) => p.backend !== pool.backend).map((p) => ownPrice(p, cls, priceOf)))]
        : []),
      ...(cls.offsite ? [cheapest(remote.map((p) => ownPrice(p, offsiteClass(cls), priceOf)))] : []),
    ];
    return {
      pool: pool.name,
      takes: footprintFactor(pool, cls.copies),
      inner: pool.redundancy.kind === 'inner',
      usable: thin.usable,
      left: Math.max(0, Math.min(subscriptionRoom(thin), offer.allotmentRoom, offer.capRoom)),
      kept: samples.map((size) => (rateFor(cls.iopsFloor, size) > 0 ? Math.round(contextAt(size).backendIops) : 0)),
      claims: roomFor(contextAt(samples[1])).claims,
      price: parts.some((p) => p === null) ? null : parts.reduce<number>((sum, p) => sum + p!, 0),
    };
  });
}
