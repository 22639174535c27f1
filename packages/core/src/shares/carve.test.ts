import fc from 'fast-check';
import { seeded } from '../placement/seeded';
import { carve, instancesAtLeast, soldAs, whatWouldFree, type Share } from './carve';

const GiB = 2 ** 30;
const sizes = { minimum: 1024 * GiB, step: 256 * GiB, maximum: 2048 * GiB };
const shares = (...gib: number[]): Share[] => gib.map((size, i) => ({ id: `s${i}`, size: size * GiB }));

test.each([
  [10, 1024],
  [1024, 1024],
  [1025, 1280],
  [1281, 1536],
])('an instance that holds %d GiB is sold as %d GiB', (used, size) =>
  expect(soldAs(used * GiB, sizes)).toBe(size * GiB),
);

test('small shares fill one instance after the other, and each is sold as small as it can be', () => {
  const { instances, bound, utilisation, tooLarge } = carve(shares(1024, 1024, 100, 3000), sizes);
  expect(instances.map((i) => [i.used / GiB, i.size / GiB])).toEqual([
    [2048, 2048],
    [100, 1024],
  ]);
  expect([bound, tooLarge]).toEqual([2, ['s3']]);
  expect(utilisation).toBeCloseTo(2148 / 3072, 10);
});

test('nothing to carve needs nothing', () => {
  expect(carve([], sizes)).toEqual({ instances: [], tooLarge: [], bound: 0, utilisation: 1 });
});

test('where the largest first wastes room, improvement finds the fewer instances', () => {
  // 6 and 4, 6 and 4, 5 and 5: first fit puts a 4 beside a 5
  const { instances, bound } = carve(
    [6, 6, 5, 5, 4, 4].map((size, i) => ({ id: `s${i}`, size })),
    { minimum: 10, step: 10, maximum: 10 },
  );
  expect([instances.length, bound]).toEqual([3, 3]);
});

/** By trying everything: for a few shares alone. */
function fewest(all: readonly number[], capacity: number): number {
  let best = all.length;
  const rooms: number[] = [];
  const place = (i: number): void => {
    if (rooms.length >= best) return;
    if (i === all.length) {
      best = rooms.length;
      return;
    }
    for (let r = 0; r < rooms.length; r++)
      if (rooms[r]! >= all[i]!) {
        rooms[r]! -= all[i]!;
        place(i + 1);
        rooms[r]! += all[i]!;
      }
    rooms.push(capacity - all[i]!);
    place(i + 1);
    rooms.pop();
  };
  place(0);
  return best;
}

const capacity = 100;
const one = { minimum: capacity, step: capacity, maximum: capacity };
const few = fc.array(fc.integer({ min: 1, max: capacity }), { minLength: 1, maxLength: 8 });

test('the bound is never above what is needed, and what is carved never below it', () => {
  fc.assert(
    fc.property(few, (all) => {
      const needed = fewest(all, capacity);
      const bound = instancesAtLeast(all, capacity);
      expect(bound).toBeLessThanOrEqual(needed);
      const { instances } = carve(
        all.map((size, i) => ({ id: String(i), size })),
        one,
      );
      expect(instances.length).toBeGreaterThanOrEqual(needed);
    }),
    { numRuns: 300 },
  );
});

test('carving never overfills, loses no share, and comes within one instance of the bound', () => {
  const many = fc
    .tuple(fc.constantFrom(8, 20, 50, 100), fc.array(fc.nat({ max: 10_000 }), { minLength: 1, maxLength: 300 }))
    .map(([largest, parts]) => parts.map((p) => 1 + Math.floor((p / 10_001) * largest)));
  fc.assert(
    fc.property(many, (all) => {
      const given = all.map((size, i): Share => ({ id: String(i), size }));
      const { instances, bound, tooLarge } = carve(given, one);
      expect(tooLarge).toEqual([]);
      const seen = instances.flatMap((i) => i.shares);
      expect(seen.toSorted((a, b) => Number(a) - Number(b))).toEqual(given.map((s) => s.id));
      for (const instance of instances) {
        expect(instance.shares.reduce((sum, id) => sum + all[Number(id)]!, 0)).toBe(instance.used);
        expect(instance.used).toBeLessThanOrEqual(capacity);
      }
      expect(instances.length - bound).toBeLessThanOrEqual(1);
    }),
    { numRuns: 300 },
  );
});

test('shares of a third to a half are packed within one instance of the bound, of whole numbers by the thousand', () =>
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 10_000 }), fc.integer({ min: 300, max: 3000 }), (seed, count) => {
      const random = seeded(seed);
      const all = Array.from({ length: count }, () => 3400 + Math.floor(random() * 1700));
      const { instances, bound } = carve(
        all.map((size, i) => ({ id: String(i), size })),
        { minimum: 10_240, step: 1, maximum: 10_240 },
      );
      expect(instances.every((i) => i.used <= 10_240)).toBe(true);
      expect(instances.flatMap((i) => i.shares)).toHaveLength(count);
      expect(instances.length - bound).toBeLessThanOrEqual(1);
    }),
    { numRuns: 30, examples: [[2613, 2852]] },
  ));

test.each([
  ['a fifth to a half', 2000, 3300],
  ['three tenths to a half', 3000, 2200],
  ['a tenth to a half', 1000, 4000],
  ['a sixth to a third', 1700, 1800],
])('thousands of shares of %s come within two in a hundred of the bound, and none is lost', (_, least, width) => {
  const random = seeded(least);
  const all = Array.from({ length: 3000 }, (__, i): Share => ({
    id: String(i),
    size: least + Math.floor(random() * width),
  }));
  const { instances, bound } = carve(all, { minimum: 10_240, step: 1, maximum: 10_240 });
  expect(instances.every((i) => i.used <= 10_240)).toBe(true);
  expect(
    instances
      .flatMap((i) => i.shares)
      .map(Number)
      .toSorted((a, b) => a - b),
  ).toEqual(all.map((s) => Number(s.id)));
  expect(instances.length / bound).toBeLessThanOrEqual(1.02);
});

test('the moves that would free an instance fit where they go, and every share of it has one', () => {
  fc.assert(
    fc.property(
      fc.array(fc.array(fc.integer({ min: 1, max: 60 }), { minLength: 1, maxLength: 4 }), {
        minLength: 1,
        maxLength: 6,
      }),
      (contents) => {
        const instances = contents.map((all, i) => ({
          size: Math.max(
            100,
            all.reduce((sum, s) => sum + s, 0),
          ),
          shares: all.map((size, j): Share => ({ id: `${i}.${j}`, size })),
        }));
        const found = whatWouldFree(instances);
        if (!found) return;
        expect(found.moves.map((m) => m.share).toSorted()).toEqual(
          instances[found.frees]!.shares.map((s) => s.id).toSorted(),
        );
        const after = instances.map((i) => i.shares.reduce((sum, s) => sum + s.size, 0));
        for (const { share, to } of found.moves) {
          expect(to).not.toBe(found.frees);
          after[to]! += instances[found.frees]!.shares.find((s) => s.id === share)!.size;
        }
        for (const [i, used] of after.entries())
          if (i !== found.frees) expect(used).toBeLessThanOrEqual(instances[i]!.size);
      },
    ),
    { numRuns: 300 },
  );
});
