import fc from 'fast-check';
import { bytes, GiB, gibibytes, totalBytes } from '../sizes/bytes';
import { aboveSoftMark, atHardMark, subscriptionRoom } from './thin';
import { bestDiskToAdd, explainCapacity, rawFootprint, safe, usable, width, type Scheme } from './usable';

const copies = (n: number): Scheme => ({ kind: 'copies', copies: n });
const erasure = (data: number, parity: number): Scheme => ({ kind: 'erasure', data, parity });
const gib = (values: number[]) => values.map((v) => v * GiB);
const repeat = (count: number, value: number) => Array<number>(count).fill(value);

describe('usable capacity, the worked examples', () => {
  test.each([
    [repeat(4, 900), copies(3), 1200],
    [[2000, 500, 500], copies(2), 1000],
    [[2000, 500, 500], copies(3), 500],
    [[1800, 1200, 600, 600], copies(2), 2100],
    [[1800, 1200, 600, 600], copies(3), 1200],
    [repeat(8, 1000), erasure(4, 2), 5333.33],
    [[...repeat(6, 1000), 400], erasure(4, 2), 4266.67],
    [[900, 900], copies(3), 0],
  ])('%j with %j', (domains, scheme, expected) => {
    expect(Math.round((usable(gib(domains), scheme) / GiB) * 100) / 100).toBe(expected);
  });

  test('safe capacity after the worst loss', () => {
    expect(safe(gib(repeat(4, 900)), copies(3))).toBe(900 * GiB);
    expect(safe(gib([1800, 1200, 600, 600]), copies(2))).toBe(1200 * GiB);
  });
});

const schemes = fc.oneof(
  fc.integer({ min: 1, max: 5 }).map(copies),
  fc.tuple(fc.integer({ min: 1, max: 6 }), fc.integer({ min: 1, max: 3 })).map(([k, m]) => erasure(k, m)),
);
const small = fc.array(fc.nat(60), { minLength: 0, maxLength: 7 });

/** The definition itself, searched: the largest whole U with Σ min(cᵢ, U/k) ≥ w·U/k, all times k to stay in integers. */
function searched(domains: number[], scheme: Scheme): number {
  const k = scheme.kind === 'copies' ? 1 : scheme.data;
  const w = width(scheme);
  if (domains.length < w) return 0;
  let best = 0;
  for (let u = 0; u <= domains.reduce((a, b) => a + b, 0) * k; u++)
    if (domains.reduce((sum, c) => sum + Math.min(c * k, u), 0) >= w * u) best = u;
  return best;
}

describe('usable, safe and stranded on random domains', () => {
  test('usable agrees with a search by brute force', () =>
    fc.assert(fc.property(small, schemes, (domains, scheme) => usable(domains, scheme) === searched(domains, scheme))));

  test('safe agrees with trying every loss', () =>
    fc.assert(
      fc.property(small, schemes, (domains, scheme) => {
        const every = domains.map((_, gone) =>
          searched(
            domains.filter((_, i) => i !== gone),
            scheme,
          ),
        );
        return safe(domains, scheme) === (every.length ? Math.min(...every) : 0);
      }),
    ));

  test('raw bytes are usable, redundancy or stranded, and nothing else', () =>
    fc.assert(
      fc.property(small, schemes, (domains, scheme) => {
        const explained = explainCapacity(
          domains.map((c, i) => ({ name: `d${i}`, capacity: bytes(c) })),
          scheme,
        );
        expect(explained.usable + explained.redundancy + explained.stranded).toBe(explained.raw);
        const shares = explained.strandedBy.reduce((sum, d) => sum + d.stranded, 0);
        // each domain's part is rounded down to whole bytes
        expect(Math.abs(shares - explained.stranded)).toBeLessThanOrEqual(domains.length + 1);
      }),
    ));

  test('a disk added never takes capacity away', () =>
    fc.assert(
      fc.property(small, schemes, fc.nat(50), fc.nat(6), (domains, scheme, more, at) => {
        const after = domains.map((c, i) => (i === at % Math.max(1, domains.length) ? c + more : c));
        return usable(after, scheme) >= usable(domains, scheme);
      }),
    ));
});

describe('what strands capacity, and what frees it', () => {
  const domains = [1800, 1200, 600, 600].map((c, i) => ({ name: `node-${i + 1}`, capacity: gibibytes(c) }));
  test('names the domains that hold more than any mix can use', () => {
    const explained = explainCapacity(domains, copies(3));
    expect(explained.stranded).toBe(600 * GiB);
    expect(explained.strandedBy).toEqual([{ name: 'node-1', stranded: 600 * GiB }]);
  });
  test('proposes the domain where a disk frees most', () => {
    expect(bestDiskToAdd(domains, copies(3), gibibytes(600))).toEqual({
      domain: 'node-3',
      disk: 600 * GiB,
      gain: 300 * GiB,
      freed: 300 * GiB,
    });
  });
  test('says nothing when one disk helps nowhere', () =>
    expect(bestDiskToAdd(domains.slice(0, 2), copies(3), gibibytes(600))).toBeUndefined());
  test('the footprint of a volume counts its copies or shards', () => {
    expect(rawFootprint(gibibytes(80), copies(3))).toBe(240 * GiB);
    expect(rawFootprint(gibibytes(80), erasure(4, 2))).toBe(120 * GiB);
  });
});

describe('thin provisioning', () => {
  const state = { usable: 1000, subscribed: 1200, consumed: 790, overcommit: 1.5, softMark: 0.8, hardMark: 0.9 };
  test('room ends at the overcommit ceiling or at the allotment', () => {
    expect(subscriptionRoom(state)).toBe(300);
    expect(subscriptionRoom({ ...state, allotment: 1250 })).toBe(50);
    expect(subscriptionRoom({ ...state, subscribed: 1600 })).toBe(0);
  });
  test('marks are reached, not passed', () => {
    expect(aboveSoftMark(state)).toBe(false);
    expect(aboveSoftMark({ ...state, consumed: 800 })).toBe(true);
    expect(atHardMark({ ...state, consumed: 899 })).toBe(false);
    expect(atHardMark({ ...state, consumed: 900 })).toBe(true);
  });
});

describe('a cluster beyond 9 PB', () => {
  const domains = Array.from({ length: 1000 }, (_, i) => ({
    name: `node-${i}`,
    capacity: bytes(24 * 3_840_755_982_336 + (i % 3)),
  }));
  test('is reckoned exactly and rounded down to what a number holds', () => {
    const explained = explainCapacity(domains, copies(3));
    const raw = domains.reduce((sum, d) => sum + BigInt(d.capacity), 0n);
    const exact = raw / 3n;
    expect(BigInt(explained.usable)).toBeLessThanOrEqual(exact);
    expect(exact - BigInt(explained.usable)).toBeLessThan(16n);
    expect(explained.safe).toBeLessThan(explained.usable);
    expect(explained.stranded).toBe(0);
  });
  test('totals are never more than there is', () =>
    fc.assert(
      fc.property(fc.bigInt({ min: 0n, max: 2n ** 62n }), (sum) => {
        const total = BigInt(totalBytes(sum));
        return total <= sum && sum - total <= 1024n;
      }),
    ));
});
