import fc from 'fast-check';
import { ratesBetween, Together, type Sampled } from './sampled';

const counted = (operations: number, bytes = operations * 4096, busyMs = operations / 2) => ({
  operations,
  bytes,
  busyMs,
});

test('rates are what was counted between two moments, by the second and by the operation', () => {
  expect(ratesBetween(counted(100), counted(700), 60_000)).toEqual({ iops: 10, throughput: 40_960, latency: 0.5 });
  expect(ratesBetween(counted(100), counted(100), 60_000)).toEqual({ iops: 0, throughput: 0, latency: null });
});

test('a count that began anew, one that is long ago, none, and none that is a number give no rate', () => {
  const none = { iops: null, throughput: null, latency: null };
  expect(ratesBetween(counted(700), counted(100), 60_000)).toEqual(none);
  expect(ratesBetween(counted(100, 9, 9), counted(700, 9, 8), 60_000)).toEqual(none);
  expect(ratesBetween(counted(100), counted(700), 600_001)).toEqual(none);
  expect(ratesBetween(counted(100), counted(700), -60_000)).toEqual(none);
  expect(ratesBetween(counted(100), counted(700), 0)).toEqual(none);
  expect(ratesBetween(undefined, counted(700), 60_000)).toEqual(none);
  expect(ratesBetween(counted(100), undefined, 60_000)).toEqual(none);
  expect(ratesBetween(counted(NaN), counted(700), 60_000)).toEqual(none);
});

const part: fc.Arbitrary<Sampled> = fc.record({
  written: fc.nat(1000),
  iops: fc.nat(500),
  throughput: fc.nat(900),
  latency: fc.option(fc.nat(9)),
});

test('volumes together are the same in whatever order and however they are put together', () => {
  fc.assert(
    fc.property(fc.array(part, { minLength: 1, maxLength: 20 }), (parts) => {
      const of = (all: readonly (Sampled | undefined)[]) => {
        const sum = new Together();
        all.forEach((p) => sum.add(p));
        return sum;
      };
      const { value, isWhole } = of(parts);
      expect(isWhole).toBe(true);
      expect(value.written).toBe(parts.reduce((a, p) => a + p.written, 0));
      expect(value.iops).toBe(parts.reduce((a, p) => a + p.iops!, 0));
      expect(of([...parts].reverse()).value.written).toBe(value.written);
      const busy = parts.filter((p) => p.latency !== null && p.iops! > 0);
      const operations = busy.reduce((a, p) => a + p.iops!, 0);
      const ms = busy.reduce((a, p) => a + p.latency! * p.iops!, 0);
      if (operations > 0) expect(value.latency).toBeCloseTo(ms / operations, 9);
      else expect(value.latency).toBeNull();
      // one that is not told of leaves rates open, and is known to be missing
      expect(of([...parts, undefined]).isWhole).toBe(false);
      expect(of([...parts, undefined]).value.iops).toBeNull();
      expect(of([...parts, { ...parts[0]!, throughput: null }]).value).toMatchObject({ throughput: null });
    }),
  );
});
