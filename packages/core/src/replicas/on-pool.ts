import type { StorageClass } from '../classes/storage-class';
import type { Pool } from '../pools/pool-state';
import { placeCopies, type PlacedCopy, type ReplicaDisk } from './place';

/** The disks of a pool as copies are placed on them: with what may be promised of each. Undefined where the backend places data itself. */
export function promisableDisks(pool: Pool): readonly ReplicaDisk[] | undefined {
  if (pool.redundancy.kind !== 'spread' || !pool.redundancy.disks) return undefined;
  const { overcommit } = pool;
  if (overcommit === 1) return pool.redundancy.disks;
  return pool.redundancy.disks.map((d) => ({ ...d, capacity: Math.floor(d.capacity * overcommit) }));
}

/** What a class asks of where its copies lie. */
export type CopyDemands = Pick<StorageClass, 'copies' | 'pinnedNodes' | 'witness' | 'locality'>;

/** The disks that copies lie on, a witness last: what a plan keeps of them. */
export const disksOf = (copies: readonly PlacedCopy[]): string[] =>
  [...copies.filter((c) => c.role === 'data'), ...copies.filter((c) => c.role === 'witness')].map((c) => c.disk);

/** The copies on the disks that a plan names, as long as all of them can still be had there. */
function asPlanned(
  disks: readonly ReplicaDisk[],
  cls: CopyDemands,
  size: number,
  planned: readonly string[],
): readonly PlacedCopy[] | undefined {
  if (planned.length !== cls.copies + (cls.witness ? 1 : 0)) return undefined;
  const found = planned.map((id) => disks.find((d) => d.id === id));
  const copies: PlacedCopy[] = [];
  for (const [i, disk] of found.entries()) {
    if (!disk?.usable || copies.some((c) => c.domain === disk.domain)) return undefined;
    const isData = i < cls.copies;
    if (isData && disk.capacity - disk.used < size) return undefined;
    if (isData && cls.pinnedNodes.length > 0 && !cls.pinnedNodes.includes(disk.node)) return undefined;
    copies.push({ domain: disk.domain, node: disk.node, disk: disk.id, role: isData ? 'data' : 'witness' });
  }
  return copies;
}

/**
 * Where the copies of one volume go on a pool (docs/calculations.md, Copies); undefined where we place none, or where they do not
 * fit. On the disks that a plan names, where it does and they can be had; a class that wants a copy beside its first pod comes first.
 */
export function placeOnPool(
  pool: Pool,
  cls: CopyDemands,
  size: number,
  firstNode?: string,
  planned?: readonly string[],
): readonly PlacedCopy[] | undefined {
  const disks = promisableDisks(pool);
  if (!disks) return undefined;
  const kept = planned && asPlanned(disks, cls, size, planned);
  if (kept && (!cls.locality || firstNode === undefined || kept.some((c) => c.node === firstNode))) return kept;
  const placed = placeCopies(disks, {
    copies: cls.copies,
    size,
    preferNode: cls.locality ? firstNode : undefined,
    ...(cls.pinnedNodes.length > 0 && { pinned: cls.pinnedNodes }),
    ...(cls.witness && { witness: 'wanted' as const }),
  });
  return placed.ok ? placed.copies : undefined;
}

/** The pool with more, or less, on the disks that hold copies. Bytes each. */
export function withCopies(pool: Pool, copies: readonly PlacedCopy[], bytes: number): Pool {
  const { redundancy } = pool;
  if (redundancy.kind !== 'spread' || !redundancy.disks) return pool;
  const held = new Set(copies.filter((c) => c.role === 'data').map((c) => c.disk));
  return {
    ...pool,
    redundancy: {
      ...redundancy,
      disks: redundancy.disks.map((d) => (held.has(d.id) ? { ...d, used: d.used + bytes } : d)),
    },
  };
}

/**
 * How many volumes of one size find disks for their copies. A domain has as many places as its disks hold whole volumes, and each
 * volume takes a place in `r` different domains: over places cᵢ the most is the largest n with Σ min(cᵢ, n) ≥ r·n, which placing
 * on the domains with most places left reaches. Infinite where the backend places data itself.
 */
export function placesOnDisks(pool: Pool, cls: CopyDemands, size: number): number {
  const disks = promisableDisks(pool);
  if (!disks) return Infinity;
  const places = new Map<string, number>();
  for (const d of disks)
    if (d.usable && (cls.pinnedNodes.length === 0 || cls.pinnedNodes.includes(d.node)))
      places.set(d.domain, (places.get(d.domain) ?? 0) + Math.max(0, Math.floor((d.capacity - d.used) / size)));
  const counts = [...places.values()];
  const holds = (n: number) => counts.reduce((sum, c) => sum + Math.min(c, n), 0) >= cls.copies * n;
  let [low, high] = [0, Math.floor(counts.reduce((sum, c) => sum + c, 0) / cls.copies)];
  while (low < high) {
    const middle = Math.ceil((low + high) / 2);
    if (holds(middle)) low = middle;
    else high = middle - 1;
  }
  return low;
}
