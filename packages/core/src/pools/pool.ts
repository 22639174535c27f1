import type { Bytes } from '../sizes/bytes';
import type { AccessMode, StorageClass, VolumeMode } from '../classes/storage-class';
import { usable, survives } from '../capacity/usable';
import { promisableShare } from '../performance/term';
import { placeOnPool, withCopies } from '../replicas/on-pool';
import type { ThinState } from '../capacity/thin';
import { carveOne, withShare } from '../shares/instances';
import type { Pool } from './pool-state';

/** Back-end operations and bytes per second that may be promised in all: 0.70 of what the pool can do, or our allotment of it. */
export const iopsLimit = (pool: Pool): number => Math.min(promisableShare * pool.iops, pool.iopsAllotment ?? Infinity);
export const throughputLimit = (pool: Pool): number =>
  Math.min(promisableShare * pool.throughput, pool.throughputAllotment ?? Infinity);

/** Back-end operations per second that may still be promised. */
export const iopsLeft = (pool: Pool): number => iopsLimit(pool) - pool.promisedIops;

/** Bytes per second that may still be promised, counted the same way. */
export const throughputLeft = (pool: Pool): number => throughputLimit(pool) - pool.promisedThroughput;

/** Copies that the pool keeps for a class as ours; 1 where its redundancy is inner or erasure-coded. */
export function copiesOn(pool: Pool, copies: number): number {
  return pool.redundancy.kind === 'spread' && pool.redundancy.scheme.kind === 'copies' ? copies : 1;
}

/** Raw bytes per provisioned byte as `subscribedRaw` counts them. */
export function footprintFactor(pool: Pool, copies: number): number {
  if (pool.redundancy.kind === 'inner') return 1;
  const { scheme } = pool.redundancy;
  return scheme.kind === 'copies' ? copies : (scheme.data + scheme.parity) / scheme.data;
}

/**
 * Back-end operations of one front-end write: every copy is written; where data is cut into `k` shards with `m` of parity, a
 * small write reads and writes its shard and each parity, `2·(m+1)` (docs/calculations.md, Rates). An array's figures are its front end's.
 */
export function writeCost(pool: Pool, copies: number): number {
  if (pool.redundancy.kind === 'inner') return 1;
  const { scheme } = pool.redundancy;
  return scheme.kind === 'copies' ? copies : 2 * (scheme.parity + 1);
}

/** Usable bytes for volumes of a class with that many copies. */
export function usableFor(pool: Pool, copies: number): Bytes {
  if (pool.redundancy.kind === 'inner') return pool.redundancy.usable;
  const { scheme, domains } = pool.redundancy;
  const capacities = domains.map((d) => d.capacity);
  return usable(capacities, scheme.kind === 'copies' ? { kind: 'copies', copies } : scheme);
}

/** The pool's thin state in provisioned bytes of a class with that many copies: raw figures divided by the footprint. */
export function thinState(pool: Pool, copies: number): ThinState {
  const factor = footprintFactor(pool, copies);
  return {
    usable: usableFor(pool, copies),
    subscribed: Math.ceil(pool.subscribedRaw / factor),
    consumed: Math.ceil(pool.consumedRaw / factor),
    overcommit: pool.overcommit,
    softMark: pool.softMark,
    hardMark: pool.hardMark,
  };
}

/** Domain failures the pool survives for a class, and the domains it may place copies on now. */
export function copiesOffered(pool: Pool): { readonly most: number; readonly by: 'survival' | 'domains' } {
  if (pool.redundancy.kind === 'inner') return { most: pool.redundancy.survives + 1, by: 'survival' };
  const { scheme, domains } = pool.redundancy;
  if (scheme.kind === 'erasure') return { most: survives(scheme) + 1, by: 'survival' };
  return { most: domains.filter((d) => d.live).length, by: 'domains' };
}

/**
 * Room of the fullest disk that `copies` copies would still need: the copies-th best domain's best disk, in bytes. With pinned
 * nodes only their disks count.
 */
export function diskRoom(pool: Pool, copies: number, pinned: readonly string[] = []): number {
  if (pool.redundancy.kind === 'inner' || !pool.redundancy.disks) return Infinity;
  const best = new Map<string, number>();
  for (const disk of pool.redundancy.disks)
    if (disk.usable && (pinned.length === 0 || pinned.includes(disk.node))) {
      const room = Math.floor(disk.capacity * pool.overcommit) - disk.used;
      best.set(disk.domain, Math.max(best.get(disk.domain) ?? 0, room));
    }
  return [...best.values()].sort((a, b) => b - a)[copies - 1] ?? 0;
}

/** Failure domains that copies may go to now, with pinned nodes only theirs; for inner redundancy there are none of ours. */
export function liveDomains(pool: Pool, pinned: readonly string[] = []): number {
  const { redundancy } = pool;
  if (redundancy.kind === 'inner') return 0;
  const live = redundancy.domains.filter((d) => d.live);
  if (pinned.length === 0) return live.length;
  const nodes = new Map((redundancy.disks ?? []).filter((d) => d.usable).map((d) => [d.node, d.domain]));
  const named = pinned.map((node) => nodes.get(node) ?? (redundancy.level === 'node' ? node : undefined));
  return new Set(live.filter((d) => named.includes(d.name)).map((d) => d.name)).size;
}

/** Whether the pool can give an access mode in a volume mode (docs/calculations.md, Choosing a pool): block gives one writer node, file gives many. */
export function givesMode(pool: Pool, mode: AccessMode, volumeMode: VolumeMode): boolean {
  if (volumeMode === 'Filesystem' && pool.access.includes('file')) return true;
  if (!pool.access.includes('block')) return false;
  return mode === 'ReadWriteMany' || mode === 'ReadOnlyMany' ? volumeMode === 'Block' && pool.sharedBlock : true;
}

/**
 * Provisioned bytes that a volume adds to what is promised of a pool: its own, or what has to be bought for it where the pool is
 * sold in instances. Infinite where no instance is sold so large.
 */
export function addedBy({ instances }: Pool, provisioned: number): number {
  if (!instances || provisioned < 0) return provisioned;
  return carveOne(instances, provisioned)?.added ?? Infinity;
}

/** What one volume takes of a pool. */
export interface Taking {
  readonly provisioned: number;
  /** Back-end operations and bytes per second. */
  readonly backendIops: number;
  readonly backendThroughput: number;
}

/**
 * The pool after a volume was placed, its copies on their disks, on those a plan names where it does: what a batch or a trial
 * run carries forward.
 */
export function withVolume(
  pool: Pool,
  taking: Taking,
  cls: StorageClass,
  planned?: readonly string[],
  copies = taking.provisioned > 0 ? placeOnPool(pool, cls, taking.provisioned, undefined, planned) : undefined,
): Pool {
  const { provisioned, backendIops, backendThroughput } = taking;
  const carved = pool.instances && carveOne(pool.instances, provisioned);
  // negative when a volume leaves: it gives back what it took
  const raw =
    Math.sign(provisioned) * Math.ceil(Math.abs(addedBy(pool, provisioned)) * footprintFactor(pool, cls.copies));
  return {
    ...(copies ? withCopies(pool, copies, provisioned) : pool),
    ...(carved && {
      instances: withShare(pool.instances!, provisioned, carved, `further-${pool.instances!.held.length}`),
    }),
    subscribedRaw: pool.subscribedRaw + raw,
    taken: pool.taken + raw,
    ...(pool.backendCap && { backendCap: { ...pool.backendCap, taken: pool.backendCap.taken + raw } }),
    promisedIops: pool.promisedIops + backendIops,
    promisedThroughput: pool.promisedThroughput + backendThroughput,
    largest: Math.max(pool.largest, provisioned),
  };
}
