/** Thin provisioning of one pool (docs/calculations.md, Capacity), all in bytes of the pool's own usable space. */
export interface ThinState {
  readonly usable: number;
  /** Sum of provisioned sizes. */
  readonly subscribed: number;
  /** Really written. */
  readonly consumed: number;
  /** Ceiling of subscribed ÷ usable; 1 means no overcommit. */
  readonly overcommit: number;
  /** Cap on what this product may subscribe; undefined when there is none. */
  readonly allotment?: number;
  readonly softMark: number;
  readonly hardMark: number;
}

export const defaultMarks = { softMark: 0.8, hardMark: 0.9 } as const;

export const subscriptionCeiling = (pool: ThinState): number => Math.floor(pool.overcommit * pool.usable);

/** Bytes that could still be subscribed, before any rule about a single volume. Never negative. */
export function subscriptionRoom(pool: ThinState): number {
  const ceiling = Math.min(subscriptionCeiling(pool), pool.allotment ?? Infinity);
  return Math.max(0, ceiling - pool.subscribed);
}

/** Consumed ÷ usable; a pool without usable space counts as full. */
export const fill = (pool: ThinState): number => (pool.usable > 0 ? pool.consumed / pool.usable : 1);

export const aboveSoftMark = (pool: ThinState): boolean => fill(pool) >= pool.softMark;
export const atHardMark = (pool: ThinState): boolean => fill(pool) >= pool.hardMark;
