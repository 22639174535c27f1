/**
 * How often values of each size came, in sizes that grow by the same factor, so that two such counts add up to that of all
 * their values (Masson, Rim and Lee 2019, DDSketch). A quantile read from one is within `sketchError` of the true one.
 *
 * Each entry is a whole number of 31 bits: the place of the size, counted from `belowAll`, before the twenty bits of the count.
 */
export type Sketch = readonly number[];

/** The share by which a quantile may be off. */
export const sketchError = 0.05;
export const sketchFactor = (1 + sketchError) / (1 - sketchError);
const countBits = 20;
const mostCount = 2 ** countBits - 1;
/** Added to the exponent of a size; the place 0 is left to what is not above zero. */
const belowAll = 1024;

const placeOf = (value: number): number =>
  value > 0 ? Math.min(2047, Math.max(1, belowAll + Math.ceil(Math.log(value) / Math.log(sketchFactor)))) : 0;
/** The value that is nearest to all of a place, by share. */
const valueAt = (place: number): number =>
  place === 0 ? 0 : (2 * sketchFactor ** (place - belowAll)) / (sketchFactor + 1);

const packed = (counts: ReadonlyMap<number, number>): Sketch =>
  [...counts].sort(([a], [b]) => a - b).map(([place, n]) => place * 2 ** countBits + Math.min(n, mostCount));

/** The sketch of some values, none of them below zero. */
export function sketchOf(values: readonly number[]): Sketch {
  const counts = new Map<number, number>();
  for (const value of values) counts.set(placeOf(value), (counts.get(placeOf(value)) ?? 0) + 1);
  return packed(counts);
}

/** The sketch of all values of some sketches. */
export function mergeSketches(sketches: readonly Sketch[]): Sketch {
  const counts = new Map<number, number>();
  for (const sketch of sketches)
    for (const entry of sketch) {
      const place = Math.floor(entry / 2 ** countBits);
      counts.set(place, (counts.get(place) ?? 0) + (entry % 2 ** countBits));
    }
  return packed(counts);
}

/** The value that a share `q` of all values does not exceed, within `sketchError`; undefined of nothing. */
export function quantile(sketch: Sketch, q: number): number | undefined {
  const entries = [...sketch].sort((a, b) => a - b);
  const total = entries.reduce((sum, e) => sum + (e % 2 ** countBits), 0);
  if (total === 0) return undefined;
  const rank = Math.max(1, Math.ceil(q * total));
  let passed = 0;
  for (const entry of entries) {
    passed += entry % 2 ** countBits;
    if (passed >= rank) return valueAt(Math.floor(entry / 2 ** countBits));
  }
  return undefined;
}
