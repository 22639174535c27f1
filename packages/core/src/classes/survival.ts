import type { StorageClass } from './storage-class';

/** Failures of one domain each. */
export interface Survival {
  readonly withoutLoss: number;
  readonly withoutInterruption: number;
}

/**
 * What a class survives (docs/calculations.md, Classes). Whole copies: all but one may be lost; the rest go on as long as at least half of the
 * votes are left, a witness counted as one. Shards: as many as there are parity shards, in both.
 */
export function survives({ copies, shards, witness }: Pick<StorageClass, 'copies' | 'shards' | 'witness'>): Survival {
  if (shards) return { withoutLoss: shards.parity, withoutInterruption: shards.parity };
  const votes = copies + (witness ? 1 : 0);
  return { withoutLoss: copies - 1, withoutInterruption: Math.min(copies - 1, Math.floor(votes / 2)) };
}
