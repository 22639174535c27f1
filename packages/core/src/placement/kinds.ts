import type { StorageClass } from '../classes/storage-class';
import { withVolume } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { bytes, GiB, gibibytes } from '../sizes/bytes';
import { decide } from './decide';
import type { Instance } from './instances';
import type { BatchClaim, Mooring } from './request';
import { seeded } from './seeded';
import { aClaim, aClass, aPool, moored } from './testing';

type Random = () => number;
interface Site {
  readonly pools: readonly Pool[];
  readonly classes: readonly { readonly storageClass: StorageClass; readonly moorings: readonly Mooring[] }[];
}

/** A kind of sites and claims that people have, made up from random numbers alone. */
interface SiteKind {
  readonly name: string;
  site(random: Random): Site;
  /** Whole GiB that a claim asks, where it would lie on a pool of so many. */
  size(random: Random, poolGiB: number): number;
}

const whole = (random: Random, from: number, to: number) => from + Math.floor(random() * (to - from + 1));
const one = <T>(random: Random, of: readonly T[]): T => of[Math.floor(random() * of.length)]!;
const everyday = [10, 20, 40, 60, 80, 100, 120, 150, 200];

function some<T>(random: Random, of: readonly T[], count: number): T[] {
  const left = [...of];
  return Array.from(
    { length: Math.min(count, of.length) },
    () => left.splice(Math.floor(random() * left.length), 1)[0]!,
  );
}

const array = (i: number, gib: number, iops = 1e9): Pool =>
  aPool(`pool-${i}`, {
    redundancy: { kind: 'inner', survives: 2, usable: gibibytes(gib) },
    maximum: bytes(2 ** 52),
    throughput: 1e12,
    iops,
  });

/** Classes of these numbers of pools each; every pool has a class. */
function classesOver(
  random: Random,
  pools: readonly Pool[],
  count: number,
  width: () => number,
  part: (i: number) => Partial<StorageClass> = () => ({}),
): Site['classes'] {
  return Array.from({ length: count }, (_, i) => {
    const own = pools.filter((_, p) => p % count === i).map((p) => p.id);
    const others = some(
      random,
      pools.map((p) => p.id).filter((id) => !own.includes(id)),
      Math.max(0, width() - own.length),
    );
    return {
      storageClass: aClass({ name: `class-${i}`, copies: 1, strategy: 'spread', ...part(i) }),
      moorings: [...own, ...others].map((pool, n) => moored(pool, n + 1)),
    };
  });
}

/** A cluster of whole disks on which three copies of each volume lie. */
function cluster(random: Random, i: number): Pool {
  const nodes = whole(random, 5, 9);
  const disks = Array.from({ length: nodes }, (_, n) => {
    const capacity = gibibytes(one(random, [900, 1800]));
    return Array.from({ length: whole(random, 2, 4) }, (_, d) => ({
      ...{ id: `disk-${i}-${n}-${d}`, node: `node-${i}-${n}`, domain: `node-${i}-${n}` },
      ...{ capacity, used: 0, usable: true },
    }));
  });
  return aPool(`pool-${i}`, {
    backend: `cluster-${i}`,
    iops: 1e9,
    throughput: 1e12,
    redundancy: {
      kind: 'spread',
      scheme: { kind: 'copies', copies: 3 },
      level: 'node',
      domains: disks.map((own) => ({
        name: own[0]!.domain,
        capacity: bytes(own.reduce((sum, d) => sum + d.capacity, 0)),
        live: true,
      })),
      disks: disks.flat(),
    },
  });
}

export const siteKinds: readonly SiteKind[] = [
  {
    name: 'everyday sizes',
    site: (random) => {
      const pools = Array.from({ length: 16 }, (_, i) => array(i, whole(random, 1200, 3600)));
      return { pools, classes: classesOver(random, pools, 8, () => whole(random, 4, 10)) };
    },
    size: (random) => one(random, everyday),
  },
  {
    name: 'heavy tails',
    site: (random) => {
      const pools = Array.from({ length: 16 }, (_, i) => array(i, whole(random, 2000, 6000)));
      return { pools, classes: classesOver(random, pools, 8, () => whole(random, 4, 10)) };
    },
    // Pareto of exponent 1.1 from 10 GiB on
    size: (random, pool) => Math.min(Math.floor(10 / (1 - random()) ** (1 / 1.1)), Math.floor(0.8 * pool)),
  },
  {
    name: 'few large pools, many small',
    site: (random) => {
      const pools = Array.from({ length: 24 }, (_, i) =>
        array(i, i < 3 ? whole(random, 15_000, 25_000) : whole(random, 500, 1500)),
      );
      return { pools, classes: classesOver(random, pools, 8, () => whole(random, 4, 12)) };
    },
    size: (random, pool) => (pool > 2000 && random() < 0.3 ? whole(random, 200, 1200) : one(random, everyday)),
  },
  {
    name: 'two or three pools a class',
    site: (random) => {
      const pools = Array.from({ length: 20 }, (_, i) => array(i, whole(random, 1200, 3600)));
      return { pools, classes: classesOver(random, pools, 16, () => whole(random, 2, 3)) };
    },
    size: (random) => one(random, everyday),
  },
  {
    name: 'bound by IOPS',
    site: (random) => {
      const pools = Array.from({ length: 16 }, (_, i) => {
        const gib = whole(random, 1200, 3600);
        // classes promise 1 to 30 operations a GiB; a pool can do as many as two thirds of its bytes would ask on average
        return array(i, gib, Math.round((gib * whole(random, 6, 12)) / 0.7));
      });
      const classes = classesOver(
        random,
        pools,
        10,
        () => whole(random, 4, 9),
        (i) => ({ iopsFloor: { kind: 'per-gib', perGiB: [1, 2, 3, 5, 8, 12, 16, 20, 25, 30][i]! } }),
      );
      return { pools, classes };
    },
    size: (random) => one(random, everyday),
  },
  {
    name: 'three copies on clusters',
    site: (random) => {
      const pools = Array.from({ length: 5 }, (_, i) => cluster(random, i));
      return {
        pools,
        classes: classesOver(
          random,
          pools,
          4,
          () => whole(random, 2, 4),
          () => ({ copies: 3 }),
        ),
      };
    },
    size: (random) => one(random, [...everyday, 300, 450]),
  },
  {
    name: 'volumes of a tenth to half a pool',
    site: (random) => {
      const pools = Array.from({ length: 16 }, (_, i) => array(i, whole(random, 1500, 2500)));
      return { pools, classes: classesOver(random, pools, 6, () => whole(random, 4, 10)) };
    },
    size: (random, pool) => whole(random, Math.ceil(0.1 * pool), Math.floor(0.5 * pool)),
  },
];

const usableGiB = (pool: Pool, capacityOf: (pool: Pool) => number) => capacityOf(pool) / GiB;
const room = (pool: Pool): number =>
  pool.redundancy.kind === 'inner'
    ? pool.redundancy.usable
    : pool.redundancy.domains.reduce((sum, d) => sum + d.capacity, 0) / 3;

/** The claims in an order that tells nothing of where they lay, with names of that order. */
function shuffled(random: Random, inputs: BatchClaim['input'][]): BatchClaim[] {
  for (let i = inputs.length - 1; i > 0; i--) {
    const j = Math.floor(random() * (i + 1));
    [inputs[i], inputs[j]] = [inputs[j]!, inputs[i]!];
  }
  return inputs.map((input, i) => ({ id: `claim-${String(i).padStart(5, '0')}`, input }));
}

/**
 * A site and claims that all fit: each was laid on a pool while they were drawn, until 85 to 97 % of the pools' bytes or, where it
 * binds before, of their IOPS were promised. The proof is how they were drawn.
 */
export function fittingInstance(kind: SiteKind, seed: number): Instance {
  const random = seeded(seed);
  const { pools, classes } = kind.site(random);
  const tightness = 0.85 + 0.12 * random();
  const inputs: BatchClaim['input'][] = [];
  for (const start of pools) {
    let pool = start;
    const own = classes.filter((c) => c.moorings.some((m) => m.pool === pool.id));
    const target = tightness * room(pool);
    let laid = 0;
    for (let misses = 0; misses < 40;) {
      const { storageClass, moorings } = one(random, own);
      // the last ones are what is left
      const left = Math.floor((target - laid) / GiB);
      const gib = Math.max(1, misses < 20 ? kind.size(random, usableGiB(pool, room)) : left);
      const input = { claim: aClaim({ size: gibibytes(gib) }), storageClass, moorings, quotas: [] };
      const decision = decide({ ...input, pools: new Map([[pool.id, pool]]) });
      const iops = (pool.promisedIops + (decision.backendIops ?? 0)) / (0.7 * pool.iops);
      if (gib > left || !decision.winner || iops > tightness) {
        misses += 1;
        continue;
      }
      const { provisioned, backendIops, backendThroughput } = decision;
      pool = withVolume(
        pool,
        { provisioned: provisioned!, backendIops: backendIops!, backendThroughput: backendThroughput! },
        storageClass,
      );
      laid += gib * GiB;
      inputs.push(input);
      misses = 0;
    }
  }
  return { pools: new Map(pools.map((p) => [p.id, p])), claims: shuffled(random, inputs) };
}

/** A site and claims that ask for a quarter more than there is. */
export function overfullInstance(kind: SiteKind, seed: number): Instance {
  const random = seeded(seed);
  const { pools, classes } = kind.site(random);
  const inputs: BatchClaim['input'][] = [];
  for (const pool of pools) {
    const own = classes.filter((c) => c.moorings.some((m) => m.pool === pool.id));
    for (let asked = 0; asked < 1.25 * room(pool);) {
      const { storageClass, moorings } = one(random, own);
      const size = gibibytes(kind.size(random, usableGiB(pool, room)));
      inputs.push({ claim: aClaim({ size }), storageClass, moorings, quotas: [] });
      asked += size;
    }
  }
  return { pools: new Map(pools.map((p) => [p.id, p])), claims: shuffled(random, inputs) };
}
