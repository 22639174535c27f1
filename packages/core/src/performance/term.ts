import { GiB, type Bytes } from '../sizes/bytes';

/** A rate a class promises: fixed, or per GiB within bounds (docs/calculations.md, Rates). Units (IOPS or bytes/s) stand in the owner's name. */
export type RateTerm =
  | { readonly kind: 'fixed'; readonly value: number }
  | { readonly kind: 'per-gib'; readonly perGiB: number; readonly minimum?: number; readonly maximum?: number };

/** The rate for a provisioned size: 12 per GiB, 600 to 15,000 → 600 at 20 GiB, 4,800 at 400 GiB, 15,000 at 4 TiB. */
export function rateFor(term: RateTerm | undefined, size: Bytes): number {
  if (!term) return 0;
  if (term.kind === 'fixed') return term.value;
  const scaled = Math.ceil((term.perGiB * size) / GiB);
  return Math.min(Math.max(scaled, term.minimum ?? 0), term.maximum ?? Infinity);
}

/** Share of what a pool can do that may be promised (docs/calculations.md, Rates). */
export const promisableShare = 0.7;

/** Writes in a front-end load when the class does not say. */
export const defaultWriteShare = 0.3;

/**
 * Back-end operations for a front-end floor: `R + c·a·W` (docs/calculations.md, Rates), with `W = writeShare × floor` and `c` what one write costs:
 * the copies kept, `2·(m+1)` with `m` shards of parity, 1 where the pool's inner redundancy is its own affair.
 */
export function backendRate(floor: number, writeCost: number, amplification: number, writeShare: number): number {
  return floor * (1 - writeShare) + writeCost * amplification * writeShare * floor;
}
