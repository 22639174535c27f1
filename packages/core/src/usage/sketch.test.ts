import fc from 'fast-check';
import { mergeSketches, quantile, sketchError, sketchOf } from './sketch';

const values = fc.array(
  fc.double({ min: 0, max: 1e9, noNaN: true }).map((v) => (v < 1e-6 ? 0 : v)),
  {
    minLength: 1,
    maxLength: 300,
  },
);
const shares = fc.double({ min: 0.01, max: 1, noNaN: true });
const exactly = (of: readonly number[], q: number) =>
  [...of].sort((a, b) => a - b)[Math.max(1, Math.ceil(q * of.length)) - 1]!;

test('a quantile is within the stated error of the true one', () => {
  fc.assert(
    fc.property(values, shares, (of, q) => {
      const [told, is] = [quantile(sketchOf(of), q)!, exactly(of, q)];
      expect(Math.abs(told - is)).toBeLessThanOrEqual(sketchError * is * (1 + 1e-9));
    }),
  );
});

test('however values are split, their sketches add up to the sketch of all', () => {
  fc.assert(
    fc.property(fc.array(values, { minLength: 1, maxLength: 6 }), (parts) => {
      expect(mergeSketches(parts.map(sketchOf))).toEqual(sketchOf(parts.flat()));
    }),
  );
});

test('nothing has no quantile, and zeros are zero', () => {
  expect(quantile([], 0.5)).toBeUndefined();
  expect(quantile(sketchOf([0, 0, 0, 5]), 0.5)).toBe(0);
});
