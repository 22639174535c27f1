import fc from 'fast-check';
import { accessModes } from '../classes/storage-class';
import {
  bestMatch,
  matchesSelector,
  ordinalOf,
  rankVolumes,
  refusedBy,
  staticRules,
  type StaticClaim,
  type StaticVolume,
} from './static';

const aVolume = (name: string, part: Partial<StaticVolume> = {}): StaticVolume => ({
  ...{ name, className: '', modes: ['ReadWriteOnce'], volumeMode: 'Filesystem', capacity: 100, labels: {} },
  ...{ createdAt: '2026-11-01T00:00:00Z', phase: 'Available' },
  ...part,
});
const aClaim = (part: Partial<StaticClaim> = {}): StaticClaim => ({
  ...{ namespace: 'tide-gauges', name: 'log', uid: 'u1', className: '', modes: ['ReadWriteOnce'] },
  ...{ volumeMode: 'Filesystem', size: 80 },
  ...part,
});
const held = { namespace: 'tide-gauges', name: 'log' };

test('one volume for each rule that it alone fails, and none that fails when all match', () => {
  const failing: Record<(typeof staticRules)[number], [Partial<StaticVolume>, Partial<StaticClaim>]> = {
    class: [{ className: 'fast' }, {}],
    modes: [{}, { modes: ['ReadWriteOnce', 'ReadWriteMany'] }],
    'volume-mode': [{ volumeMode: 'Block' }, {}],
    capacity: [{ capacity: 79 }, {}],
    selector: [{}, { selector: { matchLabels: { tier: 'deep' } } }],
    named: [{}, { volumeName: 'other' }],
    free: [{ reservedFor: { ...held, name: 'another' } }, {}],
  };
  for (const rule of staticRules) {
    const [volume, claim] = failing[rule];
    expect([rule, refusedBy(aVolume('v', volume), aClaim(claim))]).toEqual([rule, [rule]]);
  }
  expect(refusedBy(aVolume('v'), aClaim())).toEqual([]);
});

test('a reserved volume wins, then the smallest, the oldest, by name; the surplus is told', () => {
  const volumes = [
    aVolume('b', { capacity: 90 }),
    aVolume('a', { capacity: 90 }),
    aVolume('old', { capacity: 90, createdAt: '2026-10-01T00:00:00Z' }),
    aVolume('large', { capacity: 900, phase: 'Released', reservedFor: held }),
    aVolume('small', { capacity: 85 }),
    aVolume('tiny', { capacity: 10 }),
  ];
  expect(rankVolumes(volumes, aClaim()).map((c) => [c.volume.name, c.surplus, c.refused.join()])).toEqual([
    ['large', 820, ''],
    ['small', 5, ''],
    ['old', 10, ''],
    ['a', 10, ''],
    ['b', 10, ''],
    ['tiny', 0, 'capacity'],
  ]);
  // meant by a uid that is not its own
  expect(refusedBy(aVolume('v', { reservedFor: { ...held, uid: 'u0' } }), aClaim())).toEqual(['free']);
  expect(refusedBy(aVolume('v', { phase: 'Released' }), aClaim())).toEqual(['free']);
});

test('selectors are read as the platform reads them', () => {
  const labels = { tier: 'deep', zone: 'north' };
  const by = (operator: string, key: string, values?: string[]) =>
    matchesSelector(labels, { matchExpressions: [{ key, operator, ...(values && { values }) }] });
  expect([by('In', 'tier', ['deep', 'fast']), by('In', 'tier', ['fast']), by('In', 'rack', ['r'])]).toEqual([
    true,
    false,
    false,
  ]);
  expect([by('NotIn', 'tier', ['deep']), by('NotIn', 'rack', ['r'])]).toEqual([false, true]);
  expect([by('Exists', 'zone'), by('DoesNotExist', 'zone'), by('Exists', 'rack')]).toEqual([true, false, false]);
  expect([by('Near', 'zone'), matchesSelector(labels, undefined)]).toEqual([false, true]);
});

const anyVolume = fc.record({
  name: fc.string({ minLength: 1, maxLength: 3 }),
  className: fc.constantFrom('', 'fast'),
  modes: fc.subarray([...accessModes], { minLength: 1 }),
  volumeMode: fc.constantFrom('Filesystem', 'Block'),
  capacity: fc.integer({ min: 1, max: 20 }),
  labels: fc.record({ tier: fc.constantFrom('deep', 'fast') }),
  createdAt: fc.constantFrom('2026-10-01T00:00:00Z', '2026-11-01T00:00:00Z'),
  phase: fc.constantFrom('Available', 'Bound', 'Released'),
  reservedFor: fc.option(
    fc.constantFrom(held, { ...held, uid: 'u1' }, { ...held, uid: 'u2' }, { ...held, name: 'x' }),
    { nil: undefined },
  ),
}) as fc.Arbitrary<StaticVolume>;
const anyClaim = fc
  .record({
    className: fc.constantFrom('', 'fast'),
    modes: fc.subarray([...accessModes], { minLength: 1, maxLength: 2 }),
    volumeMode: fc.constantFrom('Filesystem' as const, 'Block' as const),
    size: fc.integer({ min: 1, max: 20 }),
    tier: fc.option(fc.constantFrom('deep', 'fast'), { nil: undefined }),
  })
  .map(({ tier, ...part }) => aClaim({ ...part, ...(tier && { selector: { matchLabels: { tier } } }) }));

test('the best match is what a naive search finds', () => {
  fc.assert(
    fc.property(fc.array(anyVolume, { maxLength: 30 }), anyClaim, (volumes, claim) => {
      let best: StaticVolume | undefined;
      const own = (v: StaticVolume) =>
        v.reservedFor?.name === 'log' && (v.reservedFor.uid === undefined || v.reservedFor.uid === 'u1');
      for (const v of volumes) {
        if (v.className !== claim.className || v.volumeMode !== claim.volumeMode || v.capacity < claim.size) continue;
        if (claim.modes.some((m) => !v.modes.includes(m))) continue;
        if (claim.selector && v.labels.tier !== claim.selector.matchLabels!.tier) continue;
        if (v.reservedFor ? !own(v) : v.phase !== 'Available') continue;
        if (!best) best = v;
        else if (own(v) !== own(best)) best = own(v) ? v : best;
        else if (v.capacity !== best.capacity) best = v.capacity < best.capacity ? v : best;
        else if (v.createdAt !== best.createdAt) best = v.createdAt < best.createdAt ? v : best;
        else if (v.name < best.name) best = v;
      }
      expect(bestMatch(volumes, claim)?.name).toBe(best?.name);
    }),
    { numRuns: 500 },
  );
});

test('a claim of a set is known by its name', () => {
  expect(ordinalOf('data-gauge-store-12')).toEqual({ set: 'data-gauge-store', ordinal: 12 });
  expect([ordinalOf('log'), ordinalOf('log-007'), ordinalOf('-1')]).toEqual([undefined, undefined, undefined]);
});
