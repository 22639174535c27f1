import fc from 'fast-check';
import { nameProblem } from '../claims/name';
import { backendRate, rateFor } from '../performance/term';
import { GiB, gibibytes, TiB, bytes } from '../sizes/bytes';
import { fromManifest, provisioner, toManifest } from './manifest';
import { bindingModes, reclaimPolicies, strategies, type StorageClass } from './storage-class';

const rate = fc.option(
  fc.oneof(
    fc.nat(50_000).map((value) => ({ kind: 'fixed' as const, value })),
    fc
      .record({
        perGiB: fc.nat(100),
        minimum: fc.option(fc.nat(1000), { nil: undefined }),
        maximum: fc.option(fc.nat(90_000), { nil: undefined }),
      })
      .map((r) => JSON.parse(JSON.stringify({ kind: 'per-gib' as const, ...r }))),
  ),
  { nil: undefined },
);
const anyClass: fc.Arbitrary<StorageClass> = fc.record({
  name: fc.constantFrom('ledger', 'tide-fast'),
  copies: fc.integer({ min: 1, max: 5 }),
  encrypted: fc.boolean(),
  iopsFloor: rate,
  iopsCeiling: rate,
  writeShare: fc.integer({ min: 0, max: 10 }).map((n) => n / 10),
  reclaim: fc.constantFrom(...reclaimPolicies),
  binding: fc.constantFrom(...bindingModes),
  expansion: fc.boolean(),
  strategy: fc.constantFrom(...strategies),
  zones: fc.subarray(['north', 'middle', 'south']),
  locality: fc.boolean(),
});

describe('classes as manifests', () => {
  test('a class written and read back is the same class', () =>
    fc.assert(
      fc.property(anyClass, fc.boolean(), (cls, isDefault) => {
        expect(fromManifest(toManifest(cls, isDefault))).toEqual({ storageClass: cls, problems: [] });
      }),
    ));

  test('a typo under our prefix is named, a foreign parameter is left alone', () => {
    const manifest = toManifest({ ...fc.sample(anyClass, 1)[0]!, copies: 3 }, false);
    const { problems, storageClass } = fromManifest({
      ...manifest,
      reclaimPolicy: 'Recycle',
      parameters: { [`${provisioner}/copies`]: 'three', [`${provisioner}/copys`]: '3', 'other.example/x': '1' },
    });
    expect(storageClass.copies).toBe(1);
    expect(problems.map((p) => [p.field, p.problem])).toEqual([
      [`parameters.${provisioner}/copies`, 'bad-value'],
      ['reclaimPolicy', 'bad-value'],
      [`parameters.${provisioner}/copys`, 'unknown-parameter'],
    ]);
  });
});

describe('rates', () => {
  const term = { kind: 'per-gib', perGiB: 12, minimum: 600, maximum: 15_000 } as const;
  test.each([
    [20 * GiB, 600],
    [400 * GiB, 4800],
    [4 * TiB, 15_000],
  ])('12 IOPS per GiB, 600 to 15,000, on %d bytes is %d', (size, expected) =>
    expect(rateFor(term, bytes(size))).toBe(expected),
  );
  test('without a term nothing is promised', () => expect(rateFor(undefined, gibibytes(5))).toBe(0));
  test('back-end cost R + r·a·W', () => expect(backendRate(1000, 3, 1.5, 0.2)).toBe(800 + 3 * 1.5 * 200));
});

describe('names', () => {
  test.each([
    ['tide-fast', undefined],
    ['', 'empty'],
    ['Tide', 'bad-characters'],
    ['-tide', 'bad-start'],
    ['tide-', 'bad-end'],
    ['tide..fast', 'bad-characters'],
    ['a.b', undefined],
    ['x'.repeat(254), 'too-long'],
  ])('%s: %s', (name, problem) => expect(nameProblem(name)).toBe(problem));
  test('a namespace is one label', () => expect(nameProblem('a.b', 'label')).toBe('bad-characters'));
});
