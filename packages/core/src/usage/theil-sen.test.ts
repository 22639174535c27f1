import fc from 'fast-check';
import { theilSenSlope } from './theil-sen';

/** Numbers in [0, 1) that are the same for the same beginning (Lehmer 1951). */
function drawing(from: number): () => number {
  let state = (from % 2147483646) + 1;
  return () => (state = (state * 48271) % 2147483647) / 2147483647;
}

function naively(at: readonly number[], value: readonly number[]): number {
  const slopes = new Float64Array((at.length * (at.length - 1)) / 2);
  let k = 0;
  for (let i = 0; i < at.length; i++)
    for (let j = i + 1; j < at.length; j++) slopes[k++] = (value[j]! - value[i]!) / (at[j]! - at[i]!);
  slopes.sort();
  const n = slopes.length;
  return n % 2 === 1 ? slopes[n >> 1]! : (slopes[(n >> 1) - 1]! + slopes[n >> 1]!) / 2;
}

const courses = fc
  .array(fc.tuple(fc.integer({ min: 1, max: 5000 }), fc.integer({ min: -1e6, max: 1e6 })), {
    minLength: 2,
    maxLength: 120,
  })
  .map((steps) => {
    let t = 0;
    return { at: steps.map(([step]) => (t += step)), value: steps.map(([, v]) => v) };
  });

const nearly = (told: number, is: number) =>
  expect(Math.abs(told - is)).toBeLessThanOrEqual(1e-9 * Math.max(1, Math.abs(is)));

test('it is the median of all slopes', () => {
  fc.assert(
    fc.property(courses, fc.nat(), ({ at, value }, seed) => {
      nearly(theilSenSlope({ at, value }, drawing(seed))!, naively(at, value));
    }),
  );
});

test.each([
  ['a line with outliers', (i: number, r: number) => 3 * i + (r < 0.1 ? 1e6 * r : 0)],
  ['noise around a line', (i: number, r: number) => 0.01 * i + 100 * r],
  ['steps of one height', (i: number) => Math.floor(i / 100)],
  ['nothing but one value', () => 7],
  ['up and down', (i: number) => i % 2],
  ['heavy tails', (i: number, r: number) => i + 1 / (r + 1e-6)],
])('so it is for many values: %s', (_name, valueOf) => {
  const random = drawing(11);
  const at = Array.from({ length: 1800 }, (_, i) => 60 * i);
  const value = at.map((_, i) => valueOf(i, random()));
  nearly(theilSenSlope({ at, value }, drawing(5))!, naively(at, value));
});

test('one value has no slope', () => {
  expect(theilSenSlope({ at: [1], value: [2] }, drawing(1))).toBeUndefined();
});
