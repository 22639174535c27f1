import type { ManifestPlan, PlannedManifest } from '@moorage/contract/manifests';
import { plainClass } from '@moorage/core/classes/storage-class';
import { aPoolState, aState } from '../moorings/testing';
import { landText } from './landing';

const GiB = 2 ** 30;
const classNamed = (name: string, part: object = {}) =>
  ({ ...plainClass, name, copies: 1, ...part }) as ReturnType<typeof aState>['classes'][number];
const pool = { ...aPoolState('kelp-nvme'), price: 0.5 };
const state = aState({
  classes: [classNamed('general'), classNamed('late', { binding: 'WaitForFirstConsumer' }), classNamed('bare')],
  pools: [pool],
  moorings: ['general', 'late'].map((className) => ({
    ...{ className, pool: pool.id, enabled: true, order: 1, weight: 1 },
  })) as ReturnType<typeof aState>['moorings'],
  namespaces: ['tide-gauges'],
  limits: [{ namespace: 'tide-gauges', className: null, bytes: 25 * GiB }],
});
const object = (part: Partial<PlannedManifest>): PlannedManifest => ({
  ...{ line: 1, kind: 'PersistentVolumeClaim', namespace: 'tide-gauges', name: 'log', fate: 'new' },
  ...{ changes: [], objections: [], growth: null, asked: null },
  ...part,
});
const claim = (className: string | null, size = 10 * GiB) =>
  object({ asked: { className, size, mode: 'ReadWriteOnce', volumeMode: 'Filesystem', tuned: null } });
const landed = (objects: PlannedManifest[], at = state) => {
  const of = landText(at, { objects, planned: '' } satisfies ManifestPlan);
  return { kinds: objects.map((_o, i) => of.get(i)?.kind), of };
};

test('each new claim is placed after those before it, and what is not new is nowhere', () => {
  const { kinds, of } = landed([claim('general'), object({ fate: 'untouched' }), claim('late'), claim('general')]);
  expect(kinds).toEqual(['lands', undefined, 'lands', 'refused']);
  expect(of.get(0)).toEqual({ kind: 'lands', pool: 'kelp-nvme', price: 5, waits: false });
  expect(of.get(2)).toMatchObject({ waits: true });
  const check = { rule: 'namespace-quota', need: 10 * GiB, have: 5 * GiB };
  expect(of.get(3)).toMatchObject({ pool: 'kelp-nvme', check });
});

test('a claim without a class takes the default, or waits where there is none', () => {
  expect(landed([claim(null)]).kinds).toEqual(['no-class']);
  expect(landed([claim(null)], { ...state, defaultClass: 'general' }).kinds).toEqual(['lands']);
});

test('a class that is moored to nothing, or that the text makes itself, takes nothing; of others nothing is said', () => {
  const made = object({ kind: 'StorageClass', namespace: null, name: 'fresh' });
  expect(landed([claim('bare'), made, claim('fresh'), claim('of-others')]).kinds).toEqual([
    ...['unmoored', undefined, 'unmoored', undefined],
  ]);
});

test('of more claims than are placed beforehand nothing is said', () => {
  expect(landed(Array.from({ length: 501 }, () => claim('general', GiB))).of.size).toBe(0);
});
