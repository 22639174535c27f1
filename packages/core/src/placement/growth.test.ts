import fc from 'fast-check';
import { plainClass } from '../classes/storage-class';
import { GiB, gibibytes, tebibytes, type Bytes } from '../sizes/bytes';
import { apply } from './change';
import {
  elsewhere,
  grow,
  growInTurn,
  mostItGrows,
  whatWouldGrow,
  type Growth,
  type GrowthInput,
  type Held,
} from './growth';
import { aClaim, aClass, anInput, aPool, aSpreadPool, moored } from './testing';

const held = (pool: string, gib: number, part: Partial<Held> = {}): Held => ({
  ...{ pool, provisioned: gibibytes(gib), backendIops: 0, backendThroughput: 0, disks: [] },
  ...part,
});
/** A claim of 80 GiB on an array's pool of 10 TiB, asked to be `gib`. */
function growing(gib: number, part: Partial<GrowthInput> = {}): GrowthInput {
  const pool = aPool('basalt-swift', { subscribedRaw: 80 * GiB, taken: 80 * GiB });
  const input = anInput([pool], { claim: aClaim({ size: gibibytes(gib) }), moorings: [moored('basalt-swift')] });
  return { ...input, held: [held('basalt-swift', 80)], ...part };
}
const refused = (growth: Growth) =>
  growth.kind === 'reckoned'
    ? growth.on.flatMap((g) => g.checks.filter((c) => !c.passed).map((c) => `${g.pool} ${c.rule}`))
    : growth.kind;
const inPool = (part: Parameters<typeof aPool>[1]) =>
  new Map([['basalt-swift', aPool('basalt-swift', { subscribedRaw: 80 * GiB, taken: 80 * GiB, ...part })]]);

test('only what is added is asked of the pool, and the whole of its size limit', () => {
  const growth = grow(growing(200));
  expect(growth).toMatchObject({ kind: 'reckoned', fits: true });
  if (growth.kind !== 'reckoned') return;
  const [on] = growth.on;
  expect(on).toMatchObject({ from: 80 * GiB, to: 200 * GiB, addedRaw: 120 * GiB, raw: 200 * GiB });
  const need = Object.fromEntries(on!.checks.map((c) => [c.rule, c.need]));
  expect(need).toMatchObject({ 'size-limit': 200 * GiB, subscription: 120 * GiB, allotment: 120 * GiB });
});

test('a class that does not allow it, a volume that is large enough, a pool that is gone', () => {
  expect(grow(growing(200, { storageClass: { ...plainClass, name: 'plain' } }))).toEqual({ kind: 'fixed' });
  expect(grow(growing(80))).toEqual({ kind: 'enough', provisioned: 80 * GiB });
  expect(grow(growing(200, { pools: new Map() }))).toEqual({ kind: 'pool-gone', pool: 'basalt-swift' });
});

test('each limit refuses by the byte, and says the largest size that it lets the claim have', () => {
  const cases: [string, Partial<GrowthInput>, number][] = [
    ['basalt-swift size-limit', { pools: inPool({ maximum: gibibytes(120) }) }, 120],
    ['basalt-swift allotment', { pools: inPool({ allotment: 150 * GiB }) }, 150],
    ['basalt-swift subscription', { pools: inPool({ subscribedRaw: 10 * 1024 * GiB - 30 * GiB }) }, 110],
    ['basalt-swift backend-cap', { pools: inPool({ backendCap: { limit: 500 * GiB, taken: 460 * GiB } }) }, 120],
    ['basalt-swift namespace-quota', { quotas: [{ scope: 'namespace', limit: 100 * GiB, used: 80 * GiB }] }, 100],
    ['basalt-swift class-quota', { quotas: [{ scope: 'class', limit: 99.5 * GiB, used: 80 * GiB }] }, 99],
    ['basalt-swift fill', { pools: inPool({ consumedRaw: 9.5 * 1024 * GiB }) }, 80],
    ['basalt-swift backend', { pools: inPool({ reachable: false }) }, 80],
    ['basalt-swift writable', { pools: inPool({ takes: 'nothing' }) }, 80],
    ['basalt-swift expansion', { pools: inPool({ expansion: false }) }, 80],
  ];
  for (const [rule, part, most] of cases) {
    expect(refused(grow(growing(200, part)))).toEqual([rule]);
    expect([rule, mostItGrows(growing(200, part))]).toEqual([rule, most * GiB]);
  }
});

test('a floor per GiB rises with the size: 12 per GiB from 600 at 50 GiB asks 1,800 more at 200 GiB', () => {
  const storageClass = aClass({ iopsFloor: { kind: 'per-gib', perGiB: 12 }, writeShare: 0.5 });
  const part = (iops: number): GrowthInput =>
    growing(200, {
      storageClass,
      pools: inPool({ iops, promisedIops: 600 }),
      held: [held('basalt-swift', 50, { backendIops: 600 })],
    });
  expect(refused(grow(part(2400 / 0.7 + 1)))).toEqual([]);
  expect(refused(grow(part(2399 / 0.7)))).toEqual(['basalt-swift iops']);
  expect(grow(part(4000))).toMatchObject({ on: [{ iopsFloor: 2400, backendIops: 2400 }] });
});

/** Three nodes of one disk each, with what is promised of them in GiB. */
const disks = (...used: number[]) =>
  used.map((u, i) => ({
    ...{ id: `d${i + 1}`, node: `quay-${i + 1}`, domain: `quay-${i + 1}`, usable: true },
    ...{ capacity: 500 * GiB, used: u * GiB },
  }));
function onDisks(gib: number, used: number[], on = ['d1', 'd2', 'd3']): GrowthInput {
  const bare = aSpreadPool('kelp-nvme', [500, 500, 500, 500], { subscribedRaw: 240 * GiB, taken: 240 * GiB });
  if (bare.redundancy.kind !== 'spread') throw new Error('not spread');
  const pool = { ...bare, redundancy: { ...bare.redundancy, disks: disks(...used) } };
  return {
    ...anInput([pool], { claim: aClaim({ size: gibibytes(gib) }), moorings: [moored('kelp-nvme')] }),
    held: [held('kelp-nvme', 80, { disks: on })],
  };
}

test('copies grow on the disks they lie on: the fullest of these decides, however empty others are', () => {
  expect(refused(grow(onDisks(200, [80, 80, 379, 0])))).toEqual([]);
  expect(refused(grow(onDisks(202, [80, 80, 379, 0])))).toEqual(['kelp-nvme disk-room']);
  expect(mostItGrows(onDisks(400, [80, 80, 379, 0]))).toBe(201 * GiB);
  // a disk that is gone takes nothing
  expect(refused(grow(onDisks(81, [80, 80, 80, 0], ['d1', 'd2', 'd9'])))).toEqual(['kelp-nvme disk-room']);
  expect(grow(onDisks(200, [80, 80, 80, 0]))).toMatchObject({ on: [{ addedRaw: 360 * GiB, raw: 600 * GiB }] });
});

test('a copy on another backend grows with it, and may be what refuses', () => {
  const input = growing(200, {
    storageClass: aClass({ secondCopy: true }),
    pools: new Map([
      ...inPool({}),
      ['fjord-2', aPool('fjord-2', { backend: 'fjord', allotment: 100 * GiB, taken: 80 * GiB })],
    ]),
    held: [held('basalt-swift', 80), held('fjord-2', 80, { further: 'synchronous' })],
    quotas: [{ scope: 'namespace', limit: 200 * GiB, used: 80 * GiB }],
  });
  // the namespace's limit counts the volume once
  expect(refused(grow(input))).toEqual(['fjord-2 allotment']);
  expect(mostItGrows(input)).toBe(100 * GiB);
});

test('what would make it fit: less, a limit raised by what is missing, another pool', () => {
  const input = growing(200, {
    pools: new Map([...inPool({ allotment: 150 * GiB }), ['basalt-bulk', aPool('basalt-bulk')]]),
    moorings: [moored('basalt-swift'), moored('basalt-bulk', 2)],
  });
  expect(whatWouldGrow(input).map((r) => r.changes)).toEqual([
    [{ kind: 'raise-allotment', pool: 'basalt-swift', limit: 200 * GiB, by: 50 * GiB }],
    [{ kind: 'ask-less', size: 150 * GiB, by: 50 * GiB }],
  ]);
  expect(elsewhere(input)).toBe('basalt-bulk');
  expect(elsewhere({ ...input, moorings: [moored('basalt-swift')] })).toBeUndefined();
  const two = growing(200, {
    pools: inPool({ allotment: 80 * GiB }),
    quotas: [{ scope: 'namespace', limit: 80 * GiB, used: 80 * GiB }],
  });
  expect(whatWouldGrow(two).map((r) => r.changes.map((c) => c.kind))).toEqual([['raise-allotment', 'raise-quota']]);
  expect(whatWouldGrow(growing(200))).toEqual([]);
});

/** Random pools, limits and claims, on an array or on disks. */
const anyGrowth = fc
  .record({
    from: fc.integer({ min: 1, max: 400 }),
    by: fc.integer({ min: 1, max: 800 }),
    usable: fc.integer({ min: 400, max: 2000 }),
    others: fc.integer({ min: 0, max: 900 }),
    overcommit: fc.constantFrom(1, 1.5),
    allotment: fc.option(fc.integer({ min: 0, max: 1500 }), { nil: undefined }),
    quota: fc.option(fc.integer({ min: 0, max: 1500 }), { nil: undefined }),
    perGiB: fc.constantFrom(0, 4),
    iops: fc.integer({ min: 1000, max: 8000 }),
  })
  .map(({ from, by, usable, others, overcommit, allotment, quota, perGiB, iops }): GrowthInput => {
    const storageClass = aClass({ ...(perGiB > 0 && { iopsFloor: { kind: 'per-gib', perGiB } as const }) });
    const backendIops = from * perGiB;
    const pool = aPool('basalt-swift', {
      ...{ redundancy: { kind: 'inner', survives: 2, usable: gibibytes(usable) }, overcommit },
      ...{ subscribedRaw: (others + from) * GiB, taken: from * GiB, maximum: tebibytes(1) },
      ...{ iops, promisedIops: backendIops },
      ...(allotment !== undefined && { allotment: allotment * GiB }),
    });
    const input = anInput([pool], { storageClass, claim: aClaim({ size: gibibytes(from + by) }), moorings: [] });
    const quotas = quota === undefined ? [] : [{ scope: 'namespace' as const, limit: quota * GiB, used: from * GiB }];
    return { ...input, quotas, held: [held('basalt-swift', from, { backendIops })] };
  });
const at = (input: GrowthInput, size: number): GrowthInput => ({
  ...input,
  claim: { ...input.claim, size: size as Bytes },
});

test('the largest size fits, and a granule more does not; nothing that fits breaks a limit', () => {
  fc.assert(
    fc.property(anyGrowth, (input) => {
      const [{ provisioned }] = input.held;
      const pool = input.pools.get('basalt-swift')!;
      const most = mostItGrows(input);
      const fits = (size: number) => refused(grow(at(input, size))).length === 0;
      if (most > provisioned) expect(fits(most)).toBe(true);
      if (most + GiB <= pool.maximum) expect(fits(most + GiB)).toBe(false);
      if (!fits(input.claim.size)) return;
      const added = input.claim.size - provisioned;
      if (pool.redundancy.kind !== 'inner') throw new Error('not an array');
      expect(pool.subscribedRaw + added).toBeLessThanOrEqual(pool.overcommit * pool.redundancy.usable);
      expect(pool.taken + added).toBeLessThanOrEqual(pool.allotment ?? Infinity);
      for (const { limit, used } of input.quotas) expect(used + added).toBeLessThanOrEqual(limit);
    }),
    { numRuns: 300 },
  );
});

test('many that grow in turn take from each other: of pools, of the cap over a backend, of limits', () => {
  const capped = { backendCap: { limit: 400 * GiB, taken: 300 * GiB } };
  const pools = new Map([
    ...inPool({ ...capped, allotment: 200 * GiB }),
    ['basalt-bulk', aPool('basalt-bulk', { ...capped, subscribedRaw: 10 * GiB, taken: 10 * GiB })],
  ]);
  const asks = (pool: string, from: number, to: number): GrowthInput =>
    growing(to, {
      pools,
      held: [held(pool, from)],
      quotas: [{ scope: 'namespace', limit: 1000 * GiB, used: 500 * GiB }],
    });
  const inTurn = growInTurn([
    asks('basalt-swift', 80, 140),
    // the allotment has 60 GiB left now
    asks('basalt-swift', 80, 141),
    // and the cap 40, on the other pool as well
    asks('basalt-bulk', 10, 51),
    asks('basalt-bulk', 10, 50),
    growing(90, { pools, quotas: [{ scope: 'namespace', limit: 600 * GiB, used: 500 * GiB }] }),
  ]);
  expect(inTurn.map(refused)).toEqual([
    [],
    ['basalt-swift allotment', 'basalt-swift backend-cap'],
    ['basalt-bulk backend-cap'],
    [],
    ['basalt-swift backend-cap', 'basalt-swift namespace-quota'],
  ]);
  expect(growInTurn([])).toEqual([]);
});

test('in turn on one pool, no more than it has is ever given, and what is refused does not fit any more', () => {
  fc.assert(
    fc.property(anyGrowth, fc.array(fc.integer({ min: 1, max: 300 }), { maxLength: 6 }), (first, more) => {
      const pool = first.pools.get('basalt-swift')!;
      if (pool.redundancy.kind !== 'inner') throw new Error('not an array');
      const inputs = [first, ...more.map((by) => at(first, first.held[0].provisioned + by * GiB))];
      let given = 0;
      for (const [i, growth] of growInTurn(inputs).entries()) {
        const added = inputs[i]!.claim.size - first.held[0].provisioned;
        const room = Math.min(
          Math.floor(pool.overcommit * pool.redundancy.usable) - pool.subscribedRaw,
          (pool.allotment ?? Infinity) - pool.taken,
          ...first.quotas.map((q) => q.limit - q.used),
        );
        const byBytes = given + added <= room && inputs[i]!.claim.size <= pool.maximum;
        if (refused(growth).length === 0) {
          given += added;
          expect(given).toBeLessThanOrEqual(room);
        } else if (byBytes) expect(refused(growth)).toContain('basalt-swift iops');
      }
    }),
    { numRuns: 300 },
  );
});

test('every remedy, carried out, lets the claim grow', () => {
  fc.assert(
    fc.property(anyGrowth, (input) => {
      for (const { changes } of whatWouldGrow(input)) {
        const pool = input.pools.get('basalt-swift')!;
        const after = changes.reduce(apply, { input, pool, mooring: undefined });
        const grown = grow({ ...input, ...after.input, pools: new Map([['basalt-swift', after.pool]]) });
        expect(refused(grown)).toEqual([]);
      }
    }),
    { numRuns: 300 },
  );
});
