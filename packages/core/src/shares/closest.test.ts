import fc from 'fast-check';
import { fillClosest } from './closest';

const sizes = (...all: number[]) => all.map((size) => ({ size }));
const shapes = (...all: number[]) =>
  fillClosest(
    sizes(...all).toSorted((a, b) => b.size - a.size),
    100,
  ).map((i) => i.shares.map((s) => s.size));

test('beside the largest stands what leaves the least, be it one, two or three', () => {
  expect(shapes(60, 45, 39, 30, 10)[0]).toEqual([60, 30, 10]);
  expect(shapes(60, 40, 30, 10)[0]).toEqual([60, 40]);
  expect(shapes(50, 26, 25, 16, 9, 7)[0]).toEqual([50, 25, 16, 9]);
});

test('an instance is never overfilled, and each share lies in one of them', () =>
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 1, max: 100 }), { maxLength: 60 }), (all) => {
      const falling = all.map((size, id) => ({ size, id })).toSorted((a, b) => b.size - a.size);
      const filled = fillClosest(falling, 100);
      for (const { used, shares } of filled) {
        expect(shares.reduce((sum, s) => sum + s.size, 0)).toBe(used);
        expect(used).toBeLessThanOrEqual(100);
      }
      const ids = filled.flatMap((i) => i.shares.map((s) => s.id)).toSorted((a, b) => a - b);
      expect(ids).toEqual(all.map((_, id) => id));
    }),
  ));
