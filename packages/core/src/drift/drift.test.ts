import fc from 'fast-check';
import { driftKinds, driftsOf, type Declared, type DriftKind, type OnBackend, type OnPlatform } from './drift';

const GiB = 2 ** 30;
const declared: Declared = {
  ...{ pool: 'kelp-nvme', allowed: true, bytes: 8 * GiB, copies: 3, encrypted: true },
  ...{ iopsCeiling: 900, throughputCeiling: 50, handle: 'kelp/7', reclaim: 'Delete', underWay: false },
};
const onBackend: OnBackend = {
  ...{ pool: 'kelp-nvme', bytes: 8 * GiB, copies: 3, encrypted: true, iopsCeiling: 900, throughputCeiling: 50 },
};
const onPlatform: OnPlatform = { bytes: 8 * GiB, handle: 'kelp/7', reclaim: 'Delete' };

/** A model of the two worlds: each change behind our back, and what must be found of it. */
const changes: Record<DriftKind, (world: World) => void> = {
  'not-on-backend': (w) => (w.onBackend = undefined),
  'not-on-platform': (w) => (w.onPlatform = undefined),
  handle: (w) => w.onPlatform && (w.onPlatform = { ...w.onPlatform, handle: 'kelp/8' }),
  pool: (w) => w.onBackend && (w.onBackend = { ...w.onBackend, pool: 'kelp-disk' }),
  'pool-not-allowed': (w) => (w.declared = { ...w.declared, allowed: false }),
  smaller: (w) => w.onBackend && (w.onBackend = { ...w.onBackend, bytes: 7 * GiB }),
  larger: (w) => w.onBackend && (w.onBackend = { ...w.onBackend, bytes: 9 * GiB }),
  'copies-fewer': (w) => w.onBackend && (w.onBackend = { ...w.onBackend, copies: 2 }),
  'copies-more': (w) => w.onBackend && (w.onBackend = { ...w.onBackend, copies: 4 }),
  encryption: (w) => w.onBackend && (w.onBackend = { ...w.onBackend, encrypted: false }),
  'iops-ceiling': (w) => w.onBackend && (w.onBackend = { ...w.onBackend, iopsCeiling: null }),
  'throughput-ceiling': (w) => w.onBackend && (w.onBackend = { ...w.onBackend, throughputCeiling: 60 }),
  'size-told': (w) => w.onPlatform && (w.onPlatform = { ...w.onPlatform, bytes: 5 * GiB }),
  reclaim: (w) => w.onPlatform && (w.onPlatform = { ...w.onPlatform, reclaim: 'Retain' }),
};
interface World {
  declared: Declared;
  onBackend: OnBackend | undefined;
  onPlatform: OnPlatform | undefined;
}
const ofBackend = new Set<DriftKind>([
  ...(['pool', 'smaller', 'larger', 'copies-fewer', 'copies-more', 'encryption'] as const),
  ...(['iops-ceiling', 'throughput-ceiling'] as const),
]);
const ofPlatform = new Set<DriftKind>(['handle', 'size-told', 'reclaim']);
/** Of two that exclude each other the later one holds. */
const opposites: Partial<Record<DriftKind, DriftKind>> = {
  smaller: 'larger',
  larger: 'smaller',
  'copies-fewer': 'copies-more',
  'copies-more': 'copies-fewer',
};
/** What an operation that is under way may be changing. */
const settling = new Set<DriftKind>([
  ...(['smaller', 'larger', 'copies-fewer', 'copies-more', 'iops-ceiling', 'throughput-ceiling', 'size-told'] as const),
]);

test('random changes on both sides: all of them are found, and only those', () => {
  fc.assert(
    fc.property(fc.array(fc.constantFrom(...driftKinds), { maxLength: 12 }), fc.boolean(), (kinds, underWay) => {
      const world: World = { declared: { ...declared, underWay }, onBackend, onPlatform };
      const expected = new Set<DriftKind>();
      for (const kind of kinds) {
        const [goneThere, goneHere] = [world.onBackend === undefined, world.onPlatform === undefined];
        changes[kind](world);
        if ((goneThere && ofBackend.has(kind)) || (goneHere && ofPlatform.has(kind))) continue;
        expected.delete(opposites[kind] ?? kind);
        expected.add(kind);
        if (kind === 'not-on-backend') for (const of of ofBackend) expected.delete(of);
        if (kind === 'not-on-platform') for (const of of ofPlatform) expected.delete(of);
      }
      if (underWay) for (const kind of settling) expected.delete(kind);
      const found = driftsOf(world.declared, world.onBackend, world.onPlatform).map((d) => d.kind);
      expect(found).toEqual(driftKinds.filter((k) => expected.has(k)));
    }),
    { numRuns: 500 },
  );
});

test('a world that says nothing of a thing is not said to differ, nor is what a class does not limit', () => {
  const free = { ...declared, iopsCeiling: null, throughputCeiling: null, copies: null };
  const silent: OnBackend = { ...onBackend, encrypted: null, iopsCeiling: 100, throughputCeiling: null, copies: 0 };
  expect(driftsOf(free, silent, onPlatform)).toEqual([]);
});

test('whose doing it is, and what puts it right', () => {
  expect(driftsOf(declared, { ...onBackend, bytes: 9 * GiB }, undefined)).toEqual([
    { kind: 'not-on-platform', declared: 'kelp/7', actual: null, by: 'platform', remedy: 'write-volume' },
    { kind: 'larger', declared: 8 * GiB, actual: 9 * GiB, by: 'backend', remedy: 'count-as-it-is' },
  ]);
});
