import fc from 'fast-check';
import { chargesOf, inCents, type Charged, type Rate } from './statement';

const GiB = 2 ** 30;
const hourMs = 3_600_000;
const october = { from: Date.parse('2026-10-01T00:00:00Z'), until: Date.parse('2026-11-01T00:00:00Z') };
const rate = (tier: string, microsPerGiB: number, from = 0, microsPerIops = 0): Rate => ({
  ...{ tier, from, microsPerGiB, microsPerIops },
});
const use = (line: string, part: Partial<Charged> = {}): Charged => ({
  ...{ line, tier: 'fast', ...october, bytes: 100 * GiB, milliIops: 0 },
  ...part,
});
const cents = (uses: readonly Charged[], rates: readonly Rate[], term = october) =>
  Object.fromEntries(inCents(chargesOf(uses, rates, term), term));

test('a whole month of 100 GiB at 0.21 costs 21.00, and half of it half', () => {
  const middle = (october.from + october.until) / 2;
  expect(cents([use('a'), use('b', { until: middle })], [rate('fast', 210_000)])).toEqual({ a: 2100, b: 1050 });
});

test('reserved operations cost beside bytes, each tier at its own rate', () => {
  const uses = [use('a', { milliIops: 600_500 }), use('b', { tier: 'deep' }), use('c', { tier: 'none' })];
  expect(cents(uses, [rate('fast', 210_000, 0, 10_000), rate('deep', 30_000)])).toEqual({ a: 2701, b: 300, c: 0 });
});

test('a rate holds from its date until the next, and before the first there is no price', () => {
  const [tenth, twentieth] = [10, 20].map((day) => october.from + (day - 1) * 24 * hourMs) as [number, number];
  // 10 days at 0.31, then 12 at 0.62
  const rates = [rate('fast', 620_000, twentieth), rate('fast', 310_000, tenth)];
  expect(cents([use('a')], rates)).toEqual({ a: 1000 + 2400 });
});

test('what was outside of the month costs nothing in it', () => {
  const uses = [
    use('a', { from: october.from - 9e9, until: october.from }),
    use('b', { from: october.until, until: 9e15 }),
  ];
  expect(cents(uses, [rate('fast', 210_000)])).toEqual({});
});

const moments = fc.integer({ min: -40, max: 800 }).map((h) => october.from + h * hourMs);
const uses = fc.array(
  fc
    .record({
      line: fc.constantFrom('a', 'b', 'c', 'd', 'e'),
      tier: fc.constantFrom('fast', 'deep'),
      ends: fc.tuple(moments, moments),
      bytes: fc.integer({ min: 0, max: 2 ** 45 }),
      milliIops: fc.integer({ min: 0, max: 1e8 }),
    })
    .map(({ ends, ...rest }): Charged => ({ ...rest, from: Math.min(...ends), until: Math.max(...ends) })),
  { maxLength: 30 },
);
const rates = fc.array(
  fc.record({
    tier: fc.constantFrom('fast', 'deep'),
    from: moments,
    microsPerGiB: fc.integer({ min: 0, max: 1e6 }),
    microsPerIops: fc.integer({ min: 0, max: 1e5 }),
  }),
  { maxLength: 6 },
);

test('however times are split, and in whatever order they come, it costs the same', () => {
  fc.assert(
    fc.property(uses, rates, fc.array(moments, { maxLength: 5 }), (all, at, cuts) => {
      const split = all.flatMap((u) => {
        const ends = [u.from, ...cuts.filter((c) => c > u.from && c < u.until).sort((a, b) => a - b), u.until];
        return ends.slice(1).map((until, i) => ({ ...u, from: ends[i]!, until }));
      });
      const exact = (of: readonly Charged[]) => [...chargesOf(of, at, october)].filter(([, v]) => v > 0n).sort();
      expect(exact([...split].reverse())).toEqual(exact(all));
    }),
  );
});

test('lines add up to the whole, rounded once, and none is off by a cent or more', () => {
  fc.assert(
    fc.property(uses, rates, (all, at) => {
      const exact = chargesOf(all, at, october);
      const told = inCents(exact, october);
      const cent = 10_000 * GiB * 1000 * (october.until - october.from);
      const sum = [...told.values()].reduce((a, b) => a + b, 0);
      const whole = [...exact.values()].reduce((a, b) => a + b, 0n);
      expect(Math.abs(sum - Number(whole) / cent)).toBeLessThanOrEqual(0.5 + 1e-6);
      for (const [line, value] of exact)
        expect(Math.abs(told.get(line)! - Number(value) / cent)).toBeLessThan(1 + 1e-6);
    }),
  );
});
