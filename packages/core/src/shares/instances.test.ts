import fc from 'fast-check';
import { decide } from '../placement/decide';
import { grow, growInTurn, type GrowthInput } from '../placement/growth';
import { roomFor } from '../placement/decide';
import { ruleContext } from '../placement/rules';
import { aClaim, aClass, anInput, aPool, moored } from '../placement/testing';
import { withVolume } from '../pools/pool';
import { bytes, GiB, gibibytes, TiB } from '../sizes/bytes';
import { largestSold } from './carve';
import { carveOne, largestShare, sharesThatFit, slackIn, withShare, type Instances } from './instances';

const sizes = { minimum: TiB, step: TiB / 4, maximum: 4 * TiB };
const held = (...gib: [size: number, used: number][]): Instances => ({
  sizes,
  held: gib.map(([size, used], i) => ({ id: `i${i}`, size: size * GiB, used: used * GiB })),
});

test.each([
  ['where there is room nothing is bought', held([1024, 500]), 100, { instance: 'i0', added: 0, left: 424 * GiB }],
  ['of two with room, the one that has least left', held([1024, 500], [1024, 800]), 100, { instance: 'i1', added: 0 }],
  ['a step more of one is less than a new one', held([1024, 1000]), 100, { instance: 'i0', added: 256 * GiB }],
  ['a full one is left alone', held([4096, 4096]), 100, { size: 1024 * GiB, added: 1024 * GiB }],
  ['the first one is bought', held(), 1100, { size: 1280 * GiB, added: 1280 * GiB }],
] as const)('%s', (_what, instances, share, expected) =>
  expect(carveOne(instances, share * GiB)).toMatchObject(expected),
);

test('what is larger than any instance is carved out of none', () => {
  expect(carveOne(held([4096, 0]), 4097 * GiB)).toBeUndefined();
  expect(carveOne(held([8192, 0]), 5000 * GiB)).toMatchObject({ instance: 'i0', added: 0 });
});

const someInstances = fc
  .array(fc.tuple(fc.integer({ min: 0, max: 12 }), fc.double({ min: 0, max: 1, noNaN: true })), { maxLength: 6 })
  .map((all) =>
    held(
      ...all.map(([steps, part]): [number, number] => [1024 + steps * 256, Math.floor((1024 + steps * 256) * part)]),
    ),
  );
const share = fc.integer({ min: 1, max: 4200 }).map((g) => g * GiB);

describe('whatever is carved', () => {
  test('no instance holds more than it is sold as, and nothing is sold in a size that is not', () =>
    fc.assert(
      fc.property(someInstances, fc.array(share, { maxLength: 30 }), (start, shares) => {
        let now = start;
        for (const [i, size] of shares.entries()) {
          const carved = carveOne(now, size);
          if (!carved) {
            expect(size).toBeGreaterThan(largestSold(sizes));
            continue;
          }
          const before = slackIn(now) + now.held.reduce((sum, h) => sum + h.used, 0);
          now = withShare(now, size, carved, `n${i}`);
          expect(slackIn(now) + now.held.reduce((sum, h) => sum + h.used, 0)).toBe(before + carved.added);
        }
        for (const h of now.held) {
          expect(h.used).toBeLessThanOrEqual(h.size);
          expect((h.size - sizes.minimum) % sizes.step).toBe(0);
        }
      }),
    ));

  test('as many shares of one size are said to fit as do when they come one by one', () =>
    fc.assert(
      fc.property(someInstances, share, fc.integer({ min: -500, max: 20_000 }), (start, size, mayBuy) => {
        let [now, left, count] = [start, mayBuy * GiB, 0];
        for (; count < 200; count++) {
          const carved = carveOne(now, size);
          if (!carved || (carved.added > 0 && carved.added > left)) break;
          left -= carved.added;
          now = withShare(now, size, carved, `n${count}`);
        }
        expect(sharesThatFit(start, size, mayBuy * GiB, 200)).toBe(count);
      }),
    ));

  test('the largest share is carved for what may be bought, and a byte more is not', () =>
    fc.assert(
      fc.property(someInstances, fc.integer({ min: -500, max: 6000 }), (start, gib) => {
        const mayBuy = gib * GiB;
        const within = Math.max(0, mayBuy);
        const most = largestShare(start, mayBuy);
        if (most > 0) expect(carveOne(start, most)!.added).toBeLessThanOrEqual(within);
        expect(carveOne(start, most + 1)?.added ?? Infinity).toBeGreaterThan(within);
      }),
    ));
});

describe('a pool that is sold in instances', () => {
  const shares = aClass({ name: 'charts', copies: 1, purpose: 'shared-files' });
  const pool = (instances: Instances, usable = 10 * TiB) =>
    aPool('slate', {
      ...{ access: ['file'], instances, maximum: bytes(64 * TiB) },
      redundancy: { kind: 'inner', survives: 2, usable: bytes(usable) },
      // what is bought counts, whether anybody has it or not
      subscribedRaw: instances.held.reduce((sum, i) => sum + i.size, 0),
    });
  const asking = (gib: number) => aClaim({ size: gibibytes(gib), modes: ['ReadWriteMany'] });
  const input = (instances: Instances, gib: number, usable?: number) =>
    anInput([pool(instances, usable)], { claim: asking(gib), storageClass: shares });
  const subscription = (instances: Instances, gib: number, usable?: number) =>
    decide(input(instances, gib, usable)).candidates[0]!.checks.find((c) => c.rule === 'subscription');

  test('a claim that an instance has room for takes nothing of the pool, one that none has takes a whole one', () => {
    expect(subscription(held([1024, 24]), 1000)).toMatchObject({ passed: true, need: 0 });
    expect(subscription(held(), 10)).toMatchObject({ passed: true, need: TiB, have: 10 * TiB });
    expect(subscription(held([1024, 1020]), 10, TiB)).toMatchObject({ passed: false, need: TiB / 4, have: 0 });
  });

  test('what an instance has room for is taken also where the pool or a cap over it is promised beyond its end', () => {
    const over = (gib: number) => ({
      ...input(held([1024, 24]), gib),
      pools: new Map([['slate', { ...pool(held([1024, 24]), TiB / 2), backendCap: { limit: GiB, taken: TiB } }]]),
    });
    expect(decide(over(1000)).carved).toMatchObject({ instance: 'i0', added: 0 });
    expect(decide(over(1001)).winner).toBeUndefined();
  });

  test('the decision says out of which instance, and what is bought for it', () => {
    expect(decide(input(held([1024, 24]), 500)).carved).toMatchObject({ instance: 'i0', added: 0 });
    expect(decide(input(held(), 500)).carved).toEqual({ size: TiB, left: 524 * GiB, added: TiB });
    expect(decide(anInput([aPool('a')])).carved).toBeUndefined();
  });

  test('as many claims are promised as are placed one after the other', () =>
    fc.assert(
      fc.property(someInstances, fc.integer({ min: 10, max: 3000 }), (start, gib) => {
        const first = input(start, gib, 24 * TiB);
        let [now, placed] = [first.pools.get('slate')!, 0];
        const [mooring] = first.moorings;
        const promised = roomFor(ruleContext(first, now, mooring));
        for (; placed < 300; placed++) {
          const decision = decide({ ...first, pools: new Map([['slate', now]]) });
          if (!decision.winner) break;
          const { provisioned, backendIops, backendThroughput } = decision;
          now = withVolume(
            now,
            { provisioned: provisioned!, backendIops: backendIops!, backendThroughput: backendThroughput! },
            shares,
          );
        }
        expect(Math.min(300, promised.claims)).toBe(placed);
      }),
      { numRuns: 40 },
    ));

  const growing = (instances: Instances, from: number, to: number, instance = 'i0'): GrowthInput => ({
    ...input(instances, to),
    held: [{ pool: 'slate', provisioned: gibibytes(from), backendIops: 0, backendThroughput: 0, disks: [], instance }],
  });

  test('a share grows in its own instance, which is bought larger as far as it is sold', () => {
    const within = grow(growing(held([1024, 400]), 400, 1000));
    expect(within).toMatchObject({ fits: true, on: [{ instance: { id: 'i0', size: TiB, added: 0 } }] });
    const beyond = grow(growing(held([1024, 900]), 400, 1000));
    expect(beyond).toMatchObject({ fits: true, on: [{ instance: { size: 1536 * GiB, added: 512 * GiB } }] });
    const never = grow(growing(held([4096, 4000]), 400, 1000));
    expect(never).toMatchObject({ fits: false });
    const limit = never.kind === 'reckoned' && never.on[0]!.checks.find((c) => !c.passed);
    expect(limit).toMatchObject({ rule: 'size-limit', have: 496 * GiB });
  });

  test('two that grow in one instance are reckoned one after the other', () => {
    const both = growInTurn([growing(held([4096, 3000]), 400, 1000), growing(held([4096, 3000]), 400, 1000)]);
    expect(both.map((g) => g.kind === 'reckoned' && g.fits)).toEqual([true, false]);
  });

  test('a copy elsewhere is carved out of nothing', () => {
    const other = { ...pool(held()), id: 'other', backend: 'gneiss' };
    const cls = { ...shares, secondCopy: true };
    const both = { ...input(held(), 100), storageClass: cls, moorings: [moored('slate'), moored('other', 2)] };
    expect(decide({ ...both, pools: new Map([...both.pools, ['other', other]]) }).winner).toBeUndefined();
  });
});
