import fc from 'fast-check';
import { aClass, aPool, aSpreadPool } from '../placement/testing';
import { predict, stationsOf } from './predict';
import { meanValues, overhead, type Station } from './queueing';

const queue = (demandMs: number): Station => ({ name: 'device', kind: 'queue', demandMs });
const delay = (demandMs: number): Station => ({ name: 'network', kind: 'delay', demandMs });
const at = (stations: Station[], clients: number, think: number) => meanValues(stations, clients, think)[clients - 1]!;

describe('mean value analysis', () => {
  test('the worked example: 8 clients, 0.25 ms, think 2 ms', () => {
    const one = at([queue(0.25)], 8, 2).throughput;
    const two = at([queue(0.25), delay(0.2)], 8, 2).throughput;
    expect(one).toBeCloseTo(3057.72, 2);
    expect(two).toBeCloseTo(2884.91, 2);
    expect(overhead(one, two)).toBeCloseTo(0.0565, 4);
  });

  const network = fc.array(
    fc.record({
      name: fc.constant('s'),
      kind: fc.constantFrom('queue' as const, 'delay' as const),
      demandMs: fc.double({ min: 0.001, max: 5, noNaN: true }),
    }),
    { minLength: 1, maxLength: 12 },
  );
  test('more clients never get less done, and never more than the bounds allow', () =>
    fc.assert(
      fc.property(network, fc.integer({ min: 1, max: 60 }), fc.double({ min: 0, max: 10, noNaN: true }), (s, n, z) => {
        const all = meanValues(s, n, z);
        const total = s.reduce((sum, k) => sum + k.demandMs, 0);
        const busiest = Math.max(0, ...s.filter((k) => k.kind === 'queue').map((k) => k.demandMs));
        all.forEach((p, i) => {
          // asymptotic bounds of operational analysis (Denning and Buzen 1978)
          expect(p.throughput).toBeLessThanOrEqual(
            Math.min(1000 / busiest, (1000 * p.clients) / (total + z)) * (1 + 1e-9),
          );
          if (i > 0) expect(p.throughput).toBeGreaterThanOrEqual(all[i - 1]!.throughput * (1 - 1e-9));
          // Little's law
          expect((p.throughput / 1000) * (z + p.responseMs)).toBeCloseTo(p.clients, 6);
        });
      }),
    ));
});

describe('predicting a class on a pool', () => {
  test('the pool is never predicted to do more than it can', () => {
    const pool = aSpreadPool('kelp-nvme', [900, 900, 900], { iops: 30_000 });
    const cls = aClass({ copies: 3, writeShare: 0.5 });
    const { asIs, oneCopy } = predict(pool, cls, 512);
    // R + r·W back-end operations for each one in front
    expect(asIs.at(-1)!.throughput).toBeLessThanOrEqual(30_000 / 2);
    expect(asIs.at(-1)!.throughput).toBeGreaterThan(0.9 * (30_000 / 2));
    expect(oneCopy.at(-1)!.throughput).toBeGreaterThan(asIs.at(-1)!.throughput);
  });
  test('an array keeps its inner copies to itself: nothing is lost by asking for more', () => {
    const { asIs, oneCopy } = predict(aPool('basalt-swift'), aClass({ copies: 3 }), 8);
    expect(asIs).toEqual(oneCopy);
  });
  test('writes of several copies wait for the network', () => {
    const names = stationsOf(aSpreadPool('k', [9, 9, 9]), aClass(), 2).map((s) => s.kind);
    expect(names).toContain('delay');
    expect(stationsOf(aSpreadPool('k', [9, 9, 9]), aClass(), 1).every((s) => s.kind === 'queue')).toBe(true);
  });
});
