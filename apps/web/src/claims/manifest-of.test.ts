import { parseAllDocuments } from 'yaml';
import { manifestOf, manifestsText } from './manifest-of';

const manifest = {
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: {
    ...{
      name: 'log',
      namespace: 'tide-gauges',
      uid: 'u',
      resourceVersion: '7',
      creationTimestamp: '2026-11-01T00:00:00Z',
    },
    labels: { team: 'gauges' },
    annotations: {
      'vast-moorage.example/iops-floor': '900',
      'pv.kubernetes.io/bind-completed': 'yes',
      'volume.kubernetes.io/selected-node': 'quay-03',
    },
    finalizers: ['kubernetes.io/pvc-protection'],
    managedFields: [{}],
  },
  spec: {
    accessModes: ['ReadWriteOnce'],
    storageClassName: 'ledger',
    volumeName: 'pvc-u',
    resources: { requests: { storage: '5Gi' } },
  },
  status: { phase: 'Bound' },
};

test('a claim is written as it would be asked for again: what it tunes stays, what the platform added goes', () => {
  expect(manifestOf({ manifest })).toEqual({
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata: {
      ...{ name: 'log', namespace: 'tide-gauges', labels: { team: 'gauges' } },
      annotations: { 'vast-moorage.example/iops-floor': '900' },
    },
    spec: { accessModes: ['ReadWriteOnce'], storageClassName: 'ledger', resources: { requests: { storage: '5Gi' } } },
  });
});

test('many are one text that is read back as they are, and one without a manifest breaks nothing', () => {
  const texts = parseAllDocuments(manifestsText([{ manifest }, { manifest: null }]));
  expect(texts).toHaveLength(2);
  expect((texts[0] as { toJS(): unknown }).toJS()).toEqual(manifestOf({ manifest }));
});
