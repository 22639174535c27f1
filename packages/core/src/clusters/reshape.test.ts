import fc from 'fast-check';
import { GiB } from '../sizes/bytes';
import { levelled, predictGrowth, predictLeaving, type PlacedVolume, type PoolDisk, type PoolShape } from './reshape';

const disk = (id: string, domain: string, part: Partial<PoolDisk> = {}): PoolDisk => ({
  id,
  node: domain,
  domain,
  capacity: 1000 * GiB,
  provisioned: 0,
  written: 0,
  ...part,
});
const volume = (name: string, gib: number, disks: string[], written = gib): PlacedVolume => ({
  name,
  bytes: gib * GiB,
  written: written * GiB,
  disks,
});

/** A pool whose disks hold what its volumes put on them. */
function shape(disks: PoolDisk[], volumes: PlacedVolume[], copies = 3): PoolShape {
  const on = (id: string, of: 'bytes' | 'written') =>
    volumes.filter((v) => v.disks.includes(id)).reduce((sum, v) => sum + v[of], 0);
  return {
    scheme: { kind: 'copies', copies },
    disks: disks.map((d) => ({ ...d, provisioned: on(d.id, 'bytes'), written: on(d.id, 'written') })),
    volumes,
    writtenRaw: 0,
    rate: GiB,
  };
}

describe('levelling', () => {
  test('fills every domain alike while none must hold more than one piece of everything', () =>
    expect(levelled([100, 100, 200], 120, 2)).toEqual([30, 30, 60]));
  test('stops at one piece of everything', () => expect(levelled([1000, 100, 100], 120, 2)).toEqual([60, 30, 30]));
  test('keeps the sum and the limit', () =>
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 5000 }), { minLength: 3, maxLength: 9 }),
        fc.integer({ min: 2, max: 3 }),
        fc.integer({ min: 1, max: 100 }),
        (capacities, pieces, percent) => {
          const total = (Math.min(...capacities) * percent) / 100;
          const result = levelled(capacities, total, pieces);
          expect(result.reduce((a, b) => a + b, 0)).toBeCloseTo(total, 6);
          expect(Math.max(...result)).toBeLessThanOrEqual(total / pieces + 1e-6);
        },
      ),
    ));
});

describe('adding disks', () => {
  const disks = ['a', 'b', 'c', 'd'].map((n) => disk(`${n}1`, n));
  const full = shape(
    disks,
    ['x', 'y', 'z', 'w'].map((n, i) =>
      volume(
        n,
        300,
        ['a1', 'b1', 'c1', 'd1'].filter((_, k) => k !== i),
      ),
    ),
  );
  test('in a fifth node a fifth of everything moves', () => {
    const grown = predictGrowth(full, [disk('e1', 'e')]);
    expect(grown.moved).toBe(Math.round((3600 * GiB) / 5));
    expect(grown.seconds).toBeCloseTo(720);
    expect([grown.usableBefore, grown.usableAfter]).toEqual([
      Math.floor((4000 * GiB) / 3),
      Math.floor((5000 * GiB) / 3),
    ]);
    expect(grown.fillBefore).toBeCloseTo(0.9);
    expect(grown.fillAfter).toBeCloseTo(0.72);
  });
  test('in every node half of everything moves within its node', () =>
    expect(
      predictGrowth(
        full,
        disks.map((d) => disk(`${d.id}-new`, d.domain)),
      ).moved,
    ).toBe(1800 * GiB));
  test('to an empty pool moves nothing', () =>
    expect(predictGrowth(shape(disks, []), [disk('e1', 'e')]).moved).toBe(0));
  test('never lowers what can be kept, never moves more than there is', () =>
    fc.assert(
      fc.property(fc.array(fc.constantFrom('a', 'b', 'c', 'd', 'e', 'f'), { maxLength: 6 }), (domains) => {
        const grown = predictGrowth(
          full,
          domains.map((d, i) => disk(`new-${i}`, d)),
        );
        expect(grown.usableAfter).toBeGreaterThanOrEqual(grown.usableBefore);
        expect(grown.moved).toBeLessThanOrEqual(3600 * GiB);
      }),
    ));
});

describe('taking disks out', () => {
  const four = ['a', 'b', 'c', 'd'].map((n) => disk(`${n}1`, n));
  test('moves each copy to a domain that holds none of the others', () => {
    const leaving = predictLeaving(shape(four, [volume('v', 400, ['a1', 'b1', 'c1'], 100)]), new Set(['a1']));
    expect(leaving).toMatchObject({
      problems: [],
      moves: [{ volume: 'v', from: 'a1', to: 'd1', bytes: 100 * GiB }],
      moved: 100 * GiB,
      seconds: 100,
    });
  });
  test('says when the domains would be too few', () =>
    expect(
      predictLeaving(shape(four.slice(0, 3), [volume('v', 10, ['a1', 'b1', 'c1'])]), new Set(['a1'])).problems,
    ).toEqual([{ code: 'too-few-domains', need: 3, have: 2 }]));
  test('says when what is written would not fit', () => {
    const big = shape(
      four,
      ['x', 'y'].map((n, i) => volume(n, 500, i === 0 ? ['a1', 'b1', 'c1'] : ['a1', 'b1', 'd1'])),
    );
    const small = { ...big, disks: big.disks.map((d) => ({ ...d, capacity: d.id === 'd1' ? 600 * GiB : d.capacity })) };
    expect(predictLeaving(small, new Set(['a1'])).problems).toEqual([
      { code: 'too-small', need: 1000 * GiB, have: 600 * GiB },
    ]);
  });
  test('names the volume that finds no room, and the room there is', () => {
    const thin = shape(four, [volume('v', 800, ['a1', 'b1', 'c1'], 10), volume('w', 300, ['b1', 'c1', 'd1'], 10)]);
    expect(predictLeaving(thin, new Set(['a1'])).problems).toEqual([
      { code: 'copy-homeless', volume: 'v', need: 800 * GiB, have: 700 * GiB },
    ]);
  });
  test('an empty pool gives any disk', () =>
    expect(predictLeaving(shape(four, []), new Set(['a1', 'b1', 'c1', 'd1'])).problems).toEqual([]));
  test('never puts two copies into one domain nor more on a disk than it has', () =>
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 1, max: 400 }), fc.integer({ min: 0, max: 5 })), { maxLength: 12 }),
        fc.integer({ min: 0, max: 5 }),
        (sizes, gone) => {
          const disks = ['a', 'b', 'c', 'd', 'e', 'f'].map((n) => disk(`${n}1`, n));
          const volumes = sizes.map(([gib, start], i) =>
            volume(
              `v${i}`,
              gib,
              [0, 1, 2].map((k) => disks[(start + k) % 6]!.id),
            ),
          );
          const pool = shape(disks, volumes);
          const { moves, problems } = predictLeaving(pool, new Set([disks[gone]!.id]));
          if (problems.length > 0) return;
          for (const disk of pool.disks) {
            const come = moves.filter((m) => m.to === disk.id).map((m) => volumes.find((v) => v.name === m.volume)!);
            expect(disk.provisioned + come.reduce((sum, v) => sum + v.bytes, 0)).toBeLessThanOrEqual(
              Math.max(disk.capacity, disk.provisioned),
            );
            expect(come.some((v) => v.disks.includes(disk.id))).toBe(false);
          }
        },
      ),
    ));
});
