import { platformSeed } from '../seeds';
import { startPlatform } from '../start';
import { selectedNode } from './fit';
import type { KubeObject } from './store';

type Platform = Awaited<ReturnType<typeof startPlatform>>;
let platform: Platform;
beforeEach(async () => {
  platform = await startPlatform(platformSeed);
  platform.store.create('storageclasses', {
    ...{ metadata: { name: 'fast' }, provisioner: 'vast-moorage.example', volumeBindingMode: 'Immediate' },
  });
  // binds every claim as a provisioner does
  platform.store.changes.on('change', bindAll);
  bindAll();
});
afterEach(() => platform.stop());

let isBinding = false;
function bindAll(): void {
  if (isBinding) return;
  isBinding = true;
  setImmediate(() => {
    isBinding = false;
    for (const claim of platform.store.list('persistentvolumeclaims')) {
      const name = `pvc-${claim.metadata.uid}`;
      if (claim.status?.phase !== 'Pending' || platform.store.find('persistentvolumes', undefined, name)) continue;
      platform.store.create('persistentvolumes', {
        metadata: { name },
        spec: {
          capacity: { storage: '1Gi' },
          accessModes: claim.spec!.accessModes,
          storageClassName: claim.spec!.storageClassName,
          claimRef: { namespace: claim.metadata.namespace, name: claim.metadata.name, uid: claim.metadata.uid },
          csi: { driver: 'vast-moorage.example', volumeHandle: name },
        },
        status: { phase: 'Pending' },
      });
    }
  });
}

/** Waits for a state of the store, looked at after each of its turns. */
async function settled(what: string, done: () => boolean): Promise<void> {
  for (let i = 0; i < 2000; i++) {
    if (done()) return;
    await new Promise((resolve) => setImmediate(resolve));
    if (i % 100 === 99) await new Promise((resolve) => setTimeout(resolve, 1));
  }
  throw new Error(
    `${what} did not come about: ${JSON.stringify(pods().map((p) => [p.metadata.name, p.spec?.nodeName, p.status]))}`,
  );
}
async function call(method: string, path: string, body?: unknown, type = 'application/json') {
  const response = await fetch(platform.url + path, {
    method,
    headers: { 'Content-Type': type },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  return { status: response.status, data: (await response.json()) as { message?: string } & KubeObject };
}
const at = '/apis/apps/v1/namespaces/ferry-desk/statefulsets';
const pods = () => platform.store.list('pods', 'ferry-desk');
const pod = (name: string) => platform.store.find('pods', 'ferry-desk', name);
const isUp = (name: string) =>
  pod(name)?.status?.conditions?.some((c) => c.type === 'Ready' && c.status === 'True') ?? false;
const claims = () =>
  platform.store
    .list('persistentvolumeclaims', 'ferry-desk')
    .map((c) => c.metadata.name)
    .sort();
const attachments = () =>
  platform.store
    .list('volumeattachments')
    .map(
      (a) =>
        [
          (a.spec as { source: { persistentVolumeName: string } }).source.persistentVolumeName,
          a.spec!.nodeName,
        ] as const,
    );
const set = (replicas: number, spec: object = {}, template: object = {}) => ({
  metadata: { name: 'desk' },
  spec: {
    replicas,
    selector: { matchLabels: { app: 'desk' } },
    template: { metadata: { labels: { app: 'desk' } }, spec: { containers: [], ...template } },
    volumeClaimTemplates: [
      {
        metadata: { name: 'data' },
        spec: { accessModes: ['ReadWriteOnce'], storageClassName: 'fast', resources: { requests: { storage: '1Gi' } } },
      },
    ],
    ...spec,
  },
});
const start = async (...asked: Parameters<typeof set>) => {
  expect((await call('POST', at, set(...asked))).status).toBe(201);
  await settled('all are up', () => Array.from({ length: asked[0] }, (_, i) => `desk-${i}`).every(isUp));
};
const change = (spec: object) => call('PATCH', `${at}/desk`, { spec }, 'application/merge-patch+json');

describe('a stateful set', () => {
  test('starts its pods in order, each once the one before is up, on nodes and in zones of their own', async () => {
    const order: string[] = [];
    platform.store.changes.on(
      'change',
      ({ type, plural, object }: { type: string; plural: string; object: KubeObject }) => {
        if (plural !== 'pods') return;
        if (type === 'ADDED') order.push(`made ${object.metadata.name}`);
        const was = order.includes(`up ${object.metadata.name}`);
        if (!was && isUp(object.metadata.name)) order.push(`up ${object.metadata.name}`);
      },
    );
    await start(3);
    expect(order).toEqual(['made desk-0', 'up desk-0', 'made desk-1', 'up desk-1', 'made desk-2', 'up desk-2']);
    const zone = (name: string) =>
      platform.store.get('nodes', undefined, pod(name)!.spec!.nodeName!).metadata.labels![
        'topology.kubernetes.io/zone'
      ];
    expect(new Set(['desk-0', 'desk-1', 'desk-2'].map(zone)).size).toBe(3);
    await settled(
      'it says so',
      () => platform.store.get('statefulsets', 'ferry-desk', 'desk').status?.readyReplicas === 3,
    );
  });

  test('ends the last first, and keeps claims or lets them go as its retention says', async () => {
    await start(3);
    await change({ replicas: 1 });
    await settled('two are gone', () => pods().length === 1);
    expect(pods()[0]!.metadata.name).toBe('desk-0');
    expect(claims()).toEqual(['data-desk-0', 'data-desk-1', 'data-desk-2']);
    await change({
      replicas: 2,
      persistentVolumeClaimRetentionPolicy: { whenScaled: 'Delete', whenDeleted: 'Delete' },
    });
    await settled('it is up with its old claim', () => isUp('desk-1'));
    await change({ replicas: 1 });
    await settled('its claim went with it', () => !claims().includes('data-desk-1'));
    expect(claims()).toContain('data-desk-0');
    await call('DELETE', `${at}/desk`);
    await settled('all are gone', () => pods().length === 0 && !claims().includes('data-desk-0'));
  });

  test('replaces pods by template, the last first, each once the others are up', async () => {
    await start(3);
    const uids = new Map(pods().map((p) => [p.metadata.name, p.metadata.uid]));
    const order: string[] = [];
    platform.store.changes.on(
      'change',
      ({ type, plural, object }: { type: string; plural: string; object: KubeObject }) => {
        if (plural === 'pods' && type === 'DELETED') {
          order.push(object.metadata.name);
          expect(pods().filter((p) => isUp(p.metadata.name)).length).toBe(2);
        }
      },
    );
    await change({ template: { spec: { nodeSelector: { 'topology.kubernetes.io/zone': 'south' } } } });
    await settled(
      'all are new',
      () =>
        pods().length === 3 &&
        pods().every((p) => p.metadata.uid !== uids.get(p.metadata.name) && isUp(p.metadata.name)),
    );
    expect(order).toEqual(['desk-2', 'desk-1', 'desk-0']);
    for (const p of pods()) expect(p.spec!.nodeName).toMatch(/^quay-(09|1\d)$/);
    const status = () => platform.store.get('statefulsets', 'ferry-desk', 'desk').status!;
    await settled('the new template is the current one', () => status().currentRevision === status().updateRevision);
  });
});

describe('placing', () => {
  test('respects taints, selectors, spread and how many volumes a node takes', async () => {
    const others = platform.store.list('nodes').slice(2);
    for (const node of others)
      platform.store.amend('nodes', node, (copy) => {
        copy.spec!.taints = [{ key: 'keep', value: 'off', effect: 'NoSchedule' }];
      });
    const constraint = {
      maxSkew: 1,
      topologyKey: 'kubernetes.io/hostname',
      whenUnsatisfiable: 'DoNotSchedule',
      labelSelector: { matchLabels: { app: 'desk' } },
    };
    await start(2, {}, { topologySpreadConstraints: [constraint] });
    expect(
      pods()
        .map((p) => p.spec!.nodeName)
        .sort(),
    ).toEqual(['quay-01', 'quay-02']);
    for (const name of ['quay-01', 'quay-02'])
      platform.store.amend('csinodes', platform.store.get('csinodes', undefined, name), (copy) => {
        copy.spec!.drivers = [{ name: 'vast-moorage.example', allocatable: { count: 1 } }];
      });
    await change({ replicas: 3 });
    const why = () => pod('desk-2')?.status?.conditions?.find((c) => c.type === 'PodScheduled')?.message;
    await settled(
      'it says why',
      () =>
        why() ===
        '0/12 nodes are available: 2 node(s) exceed max volume count, 10 node(s) had untolerated taint {keep: off}.',
    );
  });

  test('a claim that waits for its pod is told of the node', async () => {
    platform.store.create('storageclasses', {
      ...{ metadata: { name: 'late' }, provisioner: 'vast-moorage.example', volumeBindingMode: 'WaitForFirstConsumer' },
    });
    await call(
      'POST',
      at,
      set(3, {
        podManagementPolicy: 'Parallel',
        volumeClaimTemplates: [
          {
            metadata: { name: 'data' },
            spec: { ...set(1).spec.volumeClaimTemplates[0]!.spec, storageClassName: 'late' },
          },
        ],
      }),
    );
    await settled('all run', () => [0, 1, 2].every((i) => isUp(`desk-${i}`)));
    // those that waited for their claims at once did not all choose the same one
    expect(new Set(pods().map((p) => p.spec!.nodeName)).size).toBe(3);
    const claim = platform.store.get('persistentvolumeclaims', 'ferry-desk', 'data-desk-0');
    expect(claim.metadata.annotations![selectedNode]).toBe(pod('desk-0')!.spec!.nodeName);
  });
});

describe('a node that is lost', () => {
  const off = { key: 'node.kubernetes.io/out-of-service', value: 'nodeshutdown', effect: 'NoExecute' };

  test('keeps its pods and volumes until it is declared out of service; then they go elsewhere', async () => {
    await start(1);
    const node = pod('desk-0')!.spec!.nodeName!;
    const uid = pod('desk-0')!.metadata.uid;
    const [volume] = attachments()[0]!;
    platform.setNode(node, false);
    await settled('its pod is told to end', () => pod('desk-0')?.metadata.deletionTimestamp !== undefined);
    const lost = platform.store.get('nodes', undefined, node);
    expect(lost.status!.conditions).toContainEqual(expect.objectContaining({ type: 'Ready', status: 'Unknown' }));
    expect([pods().length, pod('desk-0')!.metadata.uid, attachments()]).toEqual([1, uid, [[volume, node]]]);
    platform.store.amend('nodes', lost, (copy) => {
      (copy.spec!.taints as object[]).push(off);
    });
    await settled('it runs elsewhere', () => isUp('desk-0') && pod('desk-0')!.metadata.uid !== uid);
    expect(pod('desk-0')!.spec!.nodeName).not.toBe(node);
    expect(attachments()).toEqual([[volume, pod('desk-0')!.spec!.nodeName]]);
  });

  test('that comes back ends what it was told to end, and takes pods again', async () => {
    await start(1);
    const node = pod('desk-0')!.spec!.nodeName!;
    const uid = pod('desk-0')!.metadata.uid;
    platform.setNode(node, false);
    await settled('its pod is told to end', () => pod('desk-0')?.metadata.deletionTimestamp !== undefined);
    platform.setNode(node, true);
    await settled('it runs again', () => isUp('desk-0') && pod('desk-0')!.metadata.uid !== uid);
    expect(platform.store.get('nodes', undefined, node).spec!.taints).toEqual([]);
  });

  test('a volume is on one node at a time: the second pod is told so', async () => {
    await start(1);
    const node = pod('desk-0')!.spec!.nodeName!;
    const claimName = 'data-desk-0';
    const elsewhere = platform.store.list('nodes').find((n) => n.metadata.name !== node)!.metadata.name;
    await call('POST', '/api/v1/namespaces/ferry-desk/pods', {
      metadata: { name: 'second' },
      spec: {
        containers: [],
        nodeSelector: { 'kubernetes.io/hostname': elsewhere },
        volumes: [{ name: 'd', persistentVolumeClaim: { claimName } }],
      },
    });
    await settled('it is placed', () => pod('second')?.spec?.nodeName === elsewhere);
    await settled('it is told', () =>
      platform.store
        .list('events', 'ferry-desk')
        .some((e) => e.reason === 'FailedAttachVolume' && String(e.message).startsWith('Multi-Attach error')),
    );
    expect([attachments().length, isUp('second')]).toEqual([1, false]);
  });
});

test('a pod is evicted as far as its budget allows, and refused beyond it', async () => {
  await start(2);
  platform.store.create('poddisruptionbudgets', {
    metadata: { name: 'desk', namespace: 'ferry-desk' },
    spec: { minAvailable: 2, selector: { matchLabels: { app: 'desk' } } },
  });
  const evict = () =>
    call('POST', '/api/v1/namespaces/ferry-desk/pods/desk-1/eviction', {
      ...{ apiVersion: 'policy/v1', kind: 'Eviction', metadata: { name: 'desk-1', namespace: 'ferry-desk' } },
    });
  const uid = pod('desk-1')!.metadata.uid;
  const refused = await evict();
  expect([refused.status, refused.data.message]).toEqual([
    429,
    "Cannot evict pod as it would violate the pod's disruption budget.",
  ]);
  platform.store.amend(
    'poddisruptionbudgets',
    platform.store.get('poddisruptionbudgets', 'ferry-desk', 'desk'),
    (copy) => {
      copy.spec!.minAvailable = 1;
    },
  );
  await settled(
    'one may go',
    () => platform.store.get('poddisruptionbudgets', 'ferry-desk', 'desk').status?.disruptionsAllowed === 1,
  );
  expect((await evict()).status).toBe(201);
  await settled('it is another', () => isUp('desk-1') && pod('desk-1')!.metadata.uid !== uid);
});
