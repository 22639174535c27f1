/** A size in bytes: a safe integer, never negative (domain §3). */
export type Bytes = number & { readonly unit: 'bytes' };

/** Brands a plain number. Throws on anything but a safe integer ≥ 0: that is a programmer's error, input is checked at the edge. */
export function bytes(value: number): Bytes {
  if (!Number.isSafeInteger(value) || value < 0)
    throw new RangeError(`a size must be a safe integer of bytes, got ${value}`);
  return value as Bytes;
}

export const KiB = 1024;
export const MiB = 1024 * KiB;
export const GiB = 1024 * MiB;
export const TiB = 1024 * GiB;

export const gibibytes = (count: number): Bytes => bytes(Math.round(count * GiB));
export const tebibytes = (count: number): Bytes => bytes(Math.round(count * TiB));
