/** A size in bytes: a safe integer, never negative (docs/calculations.md, Sizes). */
export type Bytes = number & { readonly unit: 'bytes' };

/** Brands a plain number. Throws on anything but a safe integer ≥ 0: that is a programmer's error, input is checked at the edge. */
export function bytes(value: number): Bytes {
  if (!Number.isSafeInteger(value) || value < 0)
    throw new RangeError(`a size must be a safe integer of bytes, got ${value}`);
  return value as Bytes;
}

/**
 * Brands a sum over a pool or a cluster. Beyond 9 PB a number does not hold every byte: such a sum is rounded down to the next
 * one it does hold, so that no more is said to be there than is.
 */
export function totalBytes(value: number | bigint): Bytes {
  let rounded = Math.floor(Number(value));
  if (!Number.isFinite(rounded) || rounded < 0)
    throw new RangeError(`a sum of sizes must not be negative, got ${value}`);
  if (typeof value === 'bigint' && BigInt(rounded) > value) rounded -= 2 ** (Math.floor(Math.log2(rounded)) - 52);
  return rounded as Bytes;
}

export const KiB = 1024;
export const MiB = 1024 * KiB;
export const GiB = 1024 * MiB;
export const TiB = 1024 * GiB;

export const gibibytes = (count: number): Bytes => bytes(Math.round(count * GiB));
export const tebibytes = (count: number): Bytes => bytes(Math.round(count * TiB));
