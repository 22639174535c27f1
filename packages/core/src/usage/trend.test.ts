import fc from 'fast-check';
import { horizonMs, runwayOf, trendOf } from './trend';

const dayMs = 24 * 3_600_000;
const begin = Date.parse('2026-10-01T00:00:00Z');
/** Numbers in [0, 1) that are the same for the same beginning (Lehmer 1951). */
function drawing(from: number): () => number {
  let state = (from % 2147483646) + 1;
  return () => (state = (state * 48271) % 2147483647) / 2147483647;
}
const daily = (days: number, valueOf: (day: number) => number) => ({
  at: Array.from({ length: days }, (_, i) => begin + i * dayMs),
  value: Array.from({ length: days }, (_, i) => valueOf(i)),
});
const weekend = (day: number) => ((new Date(begin + day * dayMs).getUTCDay() + 6) % 7 >= 5 ? -40 : 0);

test('of a line it is the line, whatever few values lie far off', () => {
  const trend = trendOf(
    daily(60, (d) => 100 + 3 * d + (d % 9 === 4 ? 5000 : 0)),
    drawing(1),
  )!;
  expect(trend.slope * dayMs).toBeCloseTo(3, 1);
  expect(trend.level).toBeCloseTo(100 + 3 * 59, -1);
});

test("a week's rhythm is taken out of the line, and told", () => {
  const trend = trendOf(
    daily(56, (d) => 1000 + 2 * d + weekend(d)),
    drawing(2),
  )!;
  expect(trend.slope * dayMs).toBeCloseTo(2, 6);
  expect(trend.level).toBeCloseTo(1000 + 2 * 55, 6);
  expect(trend.rhythm.map((r) => Math.round(r)).sort((a, b) => a - b)).toEqual([-40, -40, 0, 0, 0, 0, 0]);
  expect([trend.low, trend.high].map((r) => Math.abs(Math.round(r)))).toEqual([0, 0]);
});

test('the date at which it meets a level, with its interval', () => {
  // 10 a day, give or take
  const trend = trendOf(
    daily(40, (d) => 10 * d + (d % 2 === 0 ? 5 : -5)),
    drawing(3),
  )!;
  const runway = runwayOf(trend, 1000);
  if (runway.kind !== 'meets') throw new Error(runway.kind);
  const day = (ms: number) => (ms - begin) / dayMs;
  expect(day(runway.at)).toBeCloseTo(100, 0);
  expect(day(runway.from)).toBeLessThan(day(runway.at));
  expect(day(runway.to!)).toBeGreaterThan(day(runway.at));
  expect(day(runway.to!) - day(runway.from)).toBeLessThan(3);
});

test.each([
  ['over', daily(20, () => 900), 800],
  ['none', daily(20, (d) => 900 - d), 1000],
  ['none', daily(20, () => 900), 1000],
  // a thousandth a day: 270 years
  ['none', daily(20, (d) => 900 + d / 1000), 1000],
] as const)('a level is %s: above it, going down, flat, or too slow', (kind, course, limit) => {
  expect(runwayOf(trendOf(course, drawing(4))!, limit).kind).toBe(kind);
});

test('the interval holds the date, and none lies beyond two years', () => {
  const values = fc.array(fc.integer({ min: 0, max: 1_000_000 }), { minLength: 3, maxLength: 90 });
  fc.assert(
    fc.property(values, fc.integer({ min: 1, max: 3_000_000 }), (value, limit) => {
      const trend = trendOf(
        daily(value.length, (d) => value[d]!),
        drawing(5),
      )!;
      const runway = runwayOf(trend, limit);
      if (runway.kind !== 'meets') return;
      expect(runway.from).toBeLessThanOrEqual(runway.at);
      expect(runway.to ?? Infinity).toBeGreaterThanOrEqual(runway.at);
      expect(runway.at).toBeLessThanOrEqual(trend.at + horizonMs);
      expect(runway.from).toBeGreaterThanOrEqual(trend.at);
    }),
  );
});

test('one value has no trend', () => {
  expect(
    trendOf(
      daily(1, () => 1),
      drawing(6),
    ),
  ).toBeUndefined();
});
