import { bytes, GiB, gibibytes } from '../sizes/bytes';
import type { Pool } from '../pools/pool-state';
import type { BatchClaim } from './request';
import { seeded } from './seeded';
import { aClaim, aClass, aPool, moored } from './testing';

export interface Instance {
  readonly pools: ReadonlyMap<string, Pool>;
  readonly claims: readonly BatchClaim[];
}

/** A random site whose claims ask for more than there is: classes moored to some of the pools, sizes as people ask for them. */
export function anInstance(seed: number, poolCount: number, claimCount: number): Instance {
  const random = seeded(seed);
  const pick = (n: number): number => Math.floor(random() * n);
  const sizes = [10, 20, 40, 60, 80, 100, 120, 150, 200].map((g) => gibibytes(g));
  const mean = sizes.reduce((sum, s) => sum + s, 0) / sizes.length;
  // room for four fifths of what is asked, unevenly spread
  const room = (0.8 * claimCount * mean) / poolCount;
  const pools = Array.from({ length: poolCount }, (_, i) =>
    aPool(`pool-${i}`, {
      redundancy: { kind: 'inner', survives: 2, usable: bytes(Math.round((room * (0.5 + random())) / GiB) * GiB) },
      iops: Math.round((room / GiB) * 12),
      throughput: 1e12,
    }),
  );
  const classes = Array.from({ length: 12 }, (_, c) => ({
    storageClass: aClass({
      name: `class-${c}`,
      copies: 1 + (c % 3),
      strategy: 'spread',
      ...(c % 2 === 0 && { iopsFloor: { kind: 'per-gib', perGiB: 2 + pick(8) } as const }),
    }),
    moorings: [
      ...new Set(
        Array.from(
          { length: Math.min(40, Math.round(poolCount * (0.3 + 0.4 * random()))) },
          () => pools[pick(poolCount)]!.id,
        ),
      ),
    ].map((pool, i) => moored(pool, i + 1)),
  }));
  // people ask most of what there is most of: a class is drawn by what its pools hold, shared among the classes on them
  const sharers = new Map(
    pools.map((p) => [p.id, classes.filter((c) => c.moorings.some((m) => m.pool === p.id)).length]),
  );
  const usable = new Map(pools.map((p) => [p.id, p.redundancy.kind === 'inner' ? p.redundancy.usable : 0]));
  const shares = classes.map((c) => c.moorings.reduce((sum, m) => sum + usable.get(m.pool)! / sharers.get(m.pool)!, 0));
  const whole = shares.reduce((sum, share) => sum + share, 0);
  const draw = () => {
    let left = random() * whole;
    return classes.find((_, c) => (left -= shares[c]!) < 0) ?? classes[0]!;
  };
  const claims = Array.from({ length: claimCount }, (_, i): BatchClaim => {
    const { storageClass, moorings } = draw();
    const claim = aClaim({ size: sizes[pick(sizes.length)]! });
    return { id: `claim-${String(i).padStart(5, '0')}`, input: { claim, storageClass, moorings, quotas: [] } };
  });
  return { pools: new Map(pools.map((p) => [p.id, p])), claims };
}
