import fc from 'fast-check';
import type { Tuned } from '../classes/tunable';
import { gibibytes } from '../sizes/bytes';
import type { GrowthInput } from './growth';
import { aClaim, aClass, aPool, anInput } from './testing';
import { tune, tuneInTurn } from './tuning';

const allowances = [
  { setting: 'iops-floor' as const, minimum: 100, maximum: 5000, namespaces: [] },
  { setting: 'iops-ceiling' as const, minimum: 100, maximum: 9000, namespaces: [] },
];
const input = (tuned: Tuned | undefined, part: Parameters<typeof aPool>[1] = {}, reserved = 600): GrowthInput => ({
  ...anInput([aPool('a', { iops: 10_000, promisedIops: reserved, ...part })], {
    storageClass: aClass({
      ...{ copies: 1, writeShare: 0.5, iopsFloor: { kind: 'fixed', value: 600 }, allowances },
      iopsCeiling: { kind: 'fixed', value: 4000 },
    }),
    claim: aClaim({ size: gibibytes(10), tuned }),
  }),
  held: [{ pool: 'a', provisioned: gibibytes(10), backendIops: reserved, backendThroughput: 0, disks: [] }],
});

test("ceilings and floors are those that the claim tunes, and the class's where it does not", () => {
  expect(tune(input({ 'iops-floor': 900 }))).toMatchObject({
    ...{ kind: 'reckoned', fits: true },
    rates: { iopsFloor: 900, iopsCeiling: 4000, throughputFloor: 0, throughputCeiling: null },
  });
  expect(tune(input(undefined))).toMatchObject({ rates: { iopsFloor: 600, iopsCeiling: 4000 } });
});

test('only what is added is asked of the pool: where all is promised, a lower floor still fits and a higher one does not', () => {
  const full = { promisedIops: 7000 };
  expect(tune(input({ 'iops-floor': 300 }, full))).toMatchObject({ fits: true });
  const more = tune(input({ 'iops-floor': 700 }, full));
  expect(more).toMatchObject({ fits: false, on: [{ pool: 'a' }] });
  if (more.kind !== 'reckoned') throw new Error('reckoned');
  expect(more.on[0]!.checks.filter((c) => !c.passed)).toMatchObject([{ rule: 'iops', need: 100, have: 0 }]);
});

test.each<[Tuned, object]>([
  [{ 'iops-floor': 50 }, { kind: 'reckoned', fits: false }],
  [{ 'throughput-floor': 50 }, { kind: 'reckoned', fits: false }],
  [{ 'iops-floor': 4500 }, { kind: 'floor-above-ceiling', of: 'IOPS', floor: 4500, ceiling: 4000 }],
])('%j is refused', (tuned, answer) => expect(tune(input(tuned))).toMatchObject(answer));

test('a pool that is not known any more is said', () => {
  const asked = input({ 'iops-floor': 900 });
  expect(tune({ ...asked, pools: new Map() })).toEqual({ kind: 'pool-gone', pool: 'a' });
});

test('many are tuned in turn: the first takes what the second would need, and what is given back helps nobody', () => {
  const fits = (asked: readonly GrowthInput[]) => tuneInTurn(asked).map((t) => t.kind === 'reckoned' && t.fits);
  const almost = { promisedIops: 6500 };
  const more = input({ 'iops-floor': 900 }, almost);
  expect(fits([more, more])).toEqual([true, false]);
  const less = input({ 'iops-floor': 100 }, almost);
  expect(fits([more, less, more])).toEqual([true, true, false]);
  expect(tuneInTurn([])).toEqual([]);
});

test('tuned up and down again, a claim holds what it held', () => {
  fc.assert(
    fc.property(fc.integer({ min: 100, max: 3900 }), fc.integer({ min: 100, max: 3900 }), (first, second) => {
      const once = tune(input({ 'iops-floor': first }, {}, 0));
      const again = tune(input({ 'iops-floor': second }, {}, 0));
      if (once.kind !== 'reckoned' || again.kind !== 'reckoned') throw new Error('reckoned');
      // what is reserved depends on what is asked alone, not on the way there
      const back = tune(input({ 'iops-floor': first }, {}, again.on[0]!.backendIops));
      if (back.kind !== 'reckoned') throw new Error('reckoned');
      expect(back.on[0]!.backendIops).toBe(once.on[0]!.backendIops);
    }),
  );
});
