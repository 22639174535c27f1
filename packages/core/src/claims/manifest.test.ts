import { claimManifest, ofReplicas, type AskedClaim } from './manifest';
import { ordinalOf } from './static';

const asked: AskedClaim = {
  ...{ namespace: 'tide-gauges', name: 'data-gauges', size: ' 5Gi ' },
  ...{ modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
};

test('a claim says what was asked, and nothing of what was not', () => {
  expect(claimManifest(asked)).toEqual({
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata: { namespace: 'tide-gauges', name: 'data-gauges' },
    spec: { accessModes: ['ReadWriteOnce'], volumeMode: 'Filesystem', resources: { requests: { storage: '5Gi' } } },
  });
});

test('what it tunes and its description stand in annotations', () => {
  const { metadata, spec } = claimManifest({
    ...asked,
    ...{ className: 'ledger', tuned: { 'iops-floor': 900 }, description: 'levels since 1901' },
  });
  expect(metadata.annotations).toEqual({
    'vast-moorage.example/iops-floor': '900',
    'vast-moorage.example/description': 'levels since 1901',
  });
  expect(spec.storageClassName).toBe('ledger');
});

test('the claims of replicas carry their ordinals', () => {
  expect(ofReplicas(asked, 3).map((c) => ordinalOf(c.name))).toEqual(
    [0, 1, 2].map((ordinal) => ({ set: 'data-gauges', ordinal })),
  );
});
