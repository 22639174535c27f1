import { planManifests, type Standing, type WantedObject } from './manifest-plan';
import { covers, type Manifest } from './platform-step';
import fc from 'fast-check';

const claim = (name: string, storage: string, more: object = {}): Manifest & { spec: object } => ({
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: { name, namespace: 'tide-gauges' },
  spec: { accessModes: ['ReadWriteOnce'], storageClassName: 'general', resources: { requests: { storage } }, ...more },
});
const wanted = (manifest: Manifest, line = 1, what: WantedObject['what'] = 'claim'): WantedObject => ({
  ...{ line, what, manifest },
  faults: [],
});
const standing = (...there: Manifest[]): Standing => ({
  find: ({ kind, metadata: { name, namespace } }) =>
    there.find((o) => o.kind === kind && o.metadata.name === name && o.metadata.namespace === namespace),
  hasNamespace: (name) => name === 'tide-gauges',
  grows: (name) => (name === 'general' ? true : name === 'ledger' ? false : undefined),
  volumeAt: (handle) => (handle === 'basalt/7' ? { size: 10, heldBy: null } : undefined),
  may: () => true,
});
const bound = (storage: string, more: object = {}) => claim('a', storage, { volumeName: 'pvc-1', ...more });
const only = (object: WantedObject, at: Standing) => planManifests([object], at)[0]!;

test('what is not there is new; what stands as the text says is untouched, in whatever unit its size is written', () => {
  expect(only(wanted(claim('a', '1Gi')), standing())).toMatchObject({ fate: 'new', step: { do: 'make' } });
  expect(only(wanted(claim('a', '1Gi')), standing(bound('1024Mi')))).toMatchObject({ fate: 'untouched' });
  expect(only(wanted(claim('a', '1Gi')), standing(bound('1024Mi'))).step).toBeUndefined();
});

test('a larger size and other labels are a change, with the way back', () => {
  const asked = { ...claim('a', '2Gi'), metadata: { name: 'a', namespace: 'tide-gauges', labels: { team: 'tides' } } };
  expect(only(wanted(asked), standing(bound('1Gi')))).toMatchObject({
    fate: 'changed',
    changes: [
      { path: 'metadata.labels.team', from: '', to: 'tides' },
      { path: 'spec.resources.requests.storage', from: '1Gi', to: '2Gi' },
    ],
    step: {
      do: 'patch',
      object: { metadata: { labels: { team: 'tides' } }, spec: { resources: { requests: { storage: '2Gi' } } } },
      back: { metadata: { labels: { team: null } }, spec: { resources: { requests: { storage: '1Gi' } } } },
    },
  });
});

test.each<[string, Manifest, Manifest[], object]>([
  ['a smaller size', claim('a', '1Gi'), [bound('2Gi')], { reason: 'shrinks', from: 2 ** 31, to: 2 ** 30 }],
  [
    'growing where the class does not allow it',
    claim('a', '2Gi', { storageClassName: 'ledger' }),
    [bound('1Gi', { storageClassName: 'ledger' })],
    { reason: 'does-not-grow', className: 'ledger' },
  ],
  ['growing what has no volume yet', claim('a', '2Gi'), [claim('a', '1Gi')], { reason: 'not-bound' }],
  [
    'another access mode',
    claim('a', '1Gi', { accessModes: ['ReadWriteMany'] }),
    [bound('1Gi')],
    { reason: 'fixed', path: 'spec.accessModes', from: '["ReadWriteOnce"]', to: '["ReadWriteMany"]' },
  ],
  [
    'a namespace that is not there',
    { ...claim('a', '1Gi'), metadata: { name: 'a', namespace: 'tide-gauge' } },
    [],
    { reason: 'no-namespace', namespace: 'tide-gauge' },
  ],
])('%s is refused, with its reason', (_what, asked, there, objection) => {
  expect(only(wanted(asked), standing(...there))).toMatchObject({ fate: 'refused', objections: [objection] });
});

const volume = (handle: string, storage: string, reclaim = 'Retain'): Manifest =>
  ({
    apiVersion: 'v1',
    kind: 'PersistentVolume',
    metadata: { name: 'old-gauges' },
    spec: { capacity: { storage }, csi: { volumeHandle: handle }, persistentVolumeReclaimPolicy: reclaim },
  }) as Manifest;
test('a persistent volume must name a volume of a backend, free, as large as it says, and is kept', () => {
  const reasons = (manifest: Manifest) =>
    only(wanted(manifest, 1, 'volume'), standing()).objections.map((o) => o.reason);
  expect(reasons(volume('basalt/7', '10'))).toEqual([]);
  expect(reasons(volume('basalt/8', '10'))).toEqual(['no-such-volume']);
  expect(reasons(volume('basalt/7', '11', 'Delete'))).toEqual(['volume-smaller', 'not-kept']);
});

test('an object that stands twice in a text is refused the second time, with the line of the first', () => {
  const plan = planManifests([wanted(claim('a', '1Gi'), 1), wanted(claim('a', '2Gi'), 9)], standing());
  expect(plan.map((p) => [p.fate, p.objections])).toEqual([
    ['new', []],
    ['refused', [{ reason: 'twice', line: 1 }]],
  ]);
});

test('a patch brings what stands to what is asked, and its way back to what stood', () => {
  const labels = fc.dictionary(fc.constantFrom('team', 'tier', 'use'), fc.constantFrom('a', 'b'), { maxKeys: 3 });
  const merged = (there: unknown, patch: unknown): unknown => {
    if (typeof patch !== 'object' || patch === null || Array.isArray(patch)) return patch;
    const out: Record<string, unknown> = { ...(there as object | undefined) };
    for (const [key, value] of Object.entries(patch))
      if (value === null) delete out[key];
      else out[key] = merged(out[key], value);
    return out;
  };
  fc.assert(
    fc.property(
      labels,
      labels,
      fc.integer({ min: 1, max: 4 }),
      fc.integer({ min: 0, max: 4 }),
      (was, asked, from, more) => {
        const named = (of: Record<string, string>, object: Manifest) => ({
          ...object,
          metadata: { ...object.metadata, labels: of },
        });
        const there = named(was, bound(`${from}Gi`));
        const want = named(asked, claim('a', `${from + more}Gi`));
        const { fate, step } = only(wanted(want), standing(there));
        if (covers(there, want)) {
          expect(fate).toBe('untouched');
          return;
        }
        if (step?.do !== 'patch') throw new Error('no patch');
        const after = merged(there, step.object);
        expect(covers(after, want)).toBe(true);
        expect(merged(after, step.back)).toEqual(there);
      },
    ),
  );
});
