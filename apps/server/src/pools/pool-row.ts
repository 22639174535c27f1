import type { PoolFacts, PoolRow, Tier } from '@moorage/contract/backends';

/** The tier that media suggest: disks that turn are deep, flash that many writers share over files is standard. */
export function tierOf(facts: Pick<PoolFacts, 'disks' | 'iops' | 'redundancy' | 'access'>): Tier {
  if (facts.disks.some((d) => d.media === 'HDD')) return 'deep';
  const usable = facts.redundancy.kind === 'inner' ? facts.redundancy.usable : 0;
  const perTiB = usable > 0 ? facts.iops / (usable / 2 ** 40) : Infinity;
  // an array that gives less than a thousand operations for each TiB is not what one calls fast
  return perTiB < 1000 ? 'standard' : 'fast';
}

/** The size most of the disks have; 0 without disks. */
export function usualDisk(disks: PoolFacts['disks']): number {
  const counts = new Map<number, number>();
  for (const { capacity } of disks) counts.set(capacity, (counts.get(capacity) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1] || b[0] - a[0])[0]?.[0] ?? 0;
}

/** A pool nothing is promised of yet. */
export const bareRow = (name: string, facts: PoolFacts): PoolRow => ({
  id: name,
  name,
  backend: '',
  sites: [],
  facts,
  reservedRaw: 0,
  reservedBytes: 0,
  promisedIops: 0,
  promisedThroughput: 0,
  largest: 0,
  foreignRaw: 0,
  overcommit: 1,
  softMark: 0.8,
  hardMark: 0.9,
  allotment: null,
  allotmentIops: null,
  allotmentThroughput: null,
  tier: tierOf(facts),
  tierSaid: false,
  price: null,
  goneSince: null,
  usualDisk: usualDisk(facts.disks),
  backendCap: null,
  version: 1,
  volumes: 0,
});
