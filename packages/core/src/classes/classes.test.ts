import type { RateTerm } from '../performance/term';
import fc from 'fast-check';
import { protocolOf, protocols } from './protocol';
import { nameProblem } from '../claims/name';
import { backendRate, rateFor } from '../performance/term';
import { ruleContext } from '../placement/rules';
import { aClass, anInput, aPool } from '../placement/testing';
import { bytes, gibibytes, GiB, TiB } from '../sizes/bytes';
import { tunables } from './tunable';
import { fromManifest, parameters, provisioner, readTuned, toManifest } from './manifest';
import {
  bindingModes,
  fileSystems,
  levels,
  purposes,
  reclaimPolicies,
  strategies,
  volumeModes,
  type StorageClass,
} from './storage-class';

const rate = fc.option(
  fc.oneof(
    fc.nat(50_000).map((value) => ({ kind: 'fixed' as const, value })),
    fc
      .record({
        perGiB: fc.nat(100),
        minimum: fc.option(fc.nat(1000), { nil: undefined }),
        maximum: fc.option(fc.nat(90_000), { nil: undefined }),
      })
      .map((r) => JSON.parse(JSON.stringify({ kind: 'per-gib' as const, ...r })) as RateTerm),
  ),
  { nil: undefined },
);
const anyClass: fc.Arbitrary<StorageClass> = fc.record({
  name: fc.constantFrom('ledger', 'tide-fast'),
  purpose: fc.constantFrom(...purposes),
  copies: fc.integer({ min: 1, max: 5 }),
  level: fc.constantFrom(...levels),
  witness: fc.boolean(),
  secondCopy: fc.boolean(),
  offsite: fc.boolean(),
  pinnedNodes: fc.subarray(['quay-03', 'quay-04', 'quay-05']),
  protocols: fc.subarray([...protocols]),
  encrypted: fc.boolean(),
  volumeMode: fc.constantFrom('any' as const, ...volumeModes),
  fileSystem: fc.option(fc.constantFrom(...fileSystems), { nil: undefined }),
  mountOptions: fc.subarray(['noatime', 'discard']),
  compression: fc.boolean(),
  deduplication: fc.boolean(),
  graceDays: fc.nat(3650),
  safeguard: fc.option(
    fc.record({ everyHours: fc.integer({ min: 1, max: 999 }), keep: fc.integer({ min: 1, max: 99 }) }),
    {
      nil: undefined,
    },
  ),
  latencyAimMs: fc.option(fc.integer({ min: 1, max: 10_000 }), { nil: undefined }),
  throughputFloor: rate,
  throughputCeiling: rate,
  allowances: fc.subarray([...tunables]).map((settings) =>
    settings.map((setting, i) => ({
      setting,
      minimum: i,
      maximum: 10 + i,
      namespaces: i % 2 === 0 ? [] : ['ferry-desk', 'tide-gauges'],
    })),
  ),
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
/** Shards stand for the copies that survive as many failures. */
const anyProtection = fc
  .tuple(
    anyClass,
    fc.option(fc.record({ data: fc.integer({ min: 2, max: 16 }), parity: fc.integer({ min: 1, max: 4 }) })),
  )
  .map(([cls, shards]): StorageClass => (shards ? { ...cls, shards, copies: shards.parity + 1 } : cls));

describe('classes as manifests', () => {
  test('a class written and read back is the same class', () =>
    fc.assert(
      fc.property(anyProtection, fc.boolean(), (cls, isDefault) => {
        expect(fromManifest(toManifest(cls, isDefault))).toEqual({ storageClass: cls, problems: [] });
      }),
    ));

  test.each(Object.entries(parameters))('the example of %s is a value it takes', (_name, { example, read }) =>
    expect(read(example)).toBeDefined(),
  );

  test('what a claim tunes is read from its annotations, and what is no number is kept to be told', () =>
    expect(
      readTuned({ [`${provisioner}/iops-floor`]: '900', [`${provisioner}/copies`]: 'many', 'other.example/x': '1' }),
    ).toEqual({ 'iops-floor': 900, copies: 'many' }));

  test('a typo under our prefix is named, a foreign parameter is left alone', () => {
    const manifest = toManifest({ ...fc.sample(anyClass, 1)[0]!, copies: 3 }, false);
    const { problems, storageClass } = fromManifest({
      ...manifest,
      reclaimPolicy: 'Recycle',
      parameters: { [`${provisioner}/copies`]: 'three', [`${provisioner}/copys`]: '3', 'other.example/x': '1' },
    });
    expect(storageClass.copies).toBe(1);
    expect(problems.map((p) => [p.field, p.problem, p.meant])).toEqual([
      [`parameters.${provisioner}/copies`, 'bad-value', '3'],
      ['reclaimPolicy', 'bad-value', 'Delete'],
      [`parameters.${provisioner}/copys`, 'unknown-parameter', 'copies'],
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
  test('a write on 4+2 costs six operations, not one: 1,200 IOPS with 40 % writes cost 3,600', () => {
    const pool = aPool('deep', {
      redundancy: {
        kind: 'spread',
        scheme: { kind: 'erasure', data: 4, parity: 2 },
        level: 'node',
        domains: Array.from({ length: 8 }, (_, i) => ({ name: `n${i}`, capacity: gibibytes(1000), live: true })),
      },
    });
    const cls = { ...aClass(), iopsFloor: { kind: 'fixed' as const, value: 1200 }, writeShare: 0.4 };
    const input = anInput([pool], { storageClass: cls });
    expect(ruleContext(input, pool, input.moorings[0]).backendIops).toBeCloseTo(3600, 6);
  });
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

test.each([
  ['iSCSI', 'iSCSI'],
  ['FC', 'Fibre Channel'],
  ['NVMeOverFabrics', 'NVMe/TCP'],
  ['NFSv4', 'NFS'],
  ['SMB', undefined],
])('what a backend calls %s is %s', (name, protocol) => expect(protocolOf(name)).toBe(protocol));
