import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { platformSeed } from '../seeds';
import { startPlatform } from '../start';

type Platform = Awaited<ReturnType<typeof startPlatform>>;
let platform: Platform;
beforeAll(async () => {
  platform = await startPlatform(platformSeed);
});
afterAll(() => platform.stop());

/** What the tests read of the bodies of whatever resource, or of a refusal. */
interface Answer {
  readonly kind: string;
  readonly reason: string;
  readonly code: number;
  readonly message: string;
  readonly metadata: {
    uid: string;
    resourceVersion: string;
    continue?: string;
    labels?: object;
    [member: string]: unknown;
  };
  readonly items: { metadata: { name: string } }[];
  readonly details: { causes: { field: string }[] };
  readonly [member: string]: unknown;
}

async function call(method: string, path: string, body?: unknown, type = 'application/json') {
  const response = await fetch(platform.url + path, {
    method,
    headers: { 'Content-Type': type },
    body: body === undefined ? undefined : JSON.stringify(body),
  });
  return { status: response.status, data: (await response.json()) as Answer };
}
const claims = '/api/v1/namespaces/tide-gauges/persistentvolumeclaims';
const aClaim = (name: string, part: object = {}) => ({
  metadata: { name },
  spec: {
    accessModes: ['ReadWriteOnce'],
    storageClassName: 'fast',
    resources: { requests: { storage: '5Gi' } },
    ...part,
  },
});

/** Reads events of a watch until `enough` says so. */
async function watch(
  path: string,
  enough: (events: { type: string; object: { code?: number; metadata: { name?: string } } }[]) => boolean,
) {
  const abort = new AbortController();
  const response = await fetch(platform.url + path, { signal: abort.signal });
  const events: Parameters<typeof enough>[0] = [];
  let rest = '';
  for await (const chunk of response.body!) {
    const lines = (rest + Buffer.from(chunk as Uint8Array).toString()).split('\n');
    rest = lines.pop()!;
    for (const line of lines) events.push(JSON.parse(line) as (typeof events)[number]);
    if (enough(events)) break;
  }
  abort.abort();
  return events;
}

describe('objects', () => {
  test('are made with uid, version and defaults, and refused twice', async () => {
    const made = await call('POST', claims, aClaim('one'));
    expect(made).toMatchObject({
      status: 201,
      data: {
        kind: 'PersistentVolumeClaim',
        status: { phase: 'Pending' },
        spec: { volumeMode: 'Filesystem' },
        metadata: { namespace: 'tide-gauges' },
      },
    });
    expect(await call('POST', claims, aClaim('one'))).toMatchObject({
      status: 409,
      data: { kind: 'Status', reason: 'AlreadyExists' },
    });
  });

  test.each([
    [{ accessModes: [] }, 'spec.accessModes'],
    [{ accessModes: ['WriteNever'] }, 'spec.accessModes'],
    [{ resources: {} }, 'spec.resources[storage]'],
    [{ resources: { requests: { storage: '5GiB' } } }, 'spec.resources.requests.storage'],
  ])('that are wrong are refused with the field: %j', async (part, field) => {
    const { status, data } = await call('POST', claims, aClaim('wrong', part));
    expect(status).toBe(422);
    expect(data.details.causes[0]!.field).toBe(field);
  });

  test('conflict when an update was made from an old version', async () => {
    const { data } = await call('GET', `${claims}/one`);
    await call('PATCH', `${claims}/one`, { metadata: { labels: { tide: 'high' } } }, 'application/merge-patch+json');
    expect(await call('PUT', `${claims}/one`, data)).toMatchObject({ status: 409, data: { reason: 'Conflict' } });
    const patched = await call(
      'PATCH',
      `${claims}/one`,
      [{ op: 'add', path: '/metadata/labels/wind', value: 'west' }],
      'application/json-patch+json',
    );
    expect(patched.data.metadata.labels).toEqual({ tide: 'high', wind: 'west' });
  });

  test('keep what may not change', async () => {
    await call('POST', '/apis/storage.k8s.io/v1/storageclasses', {
      metadata: { name: 'fast' },
      provisioner: 'a.example',
      parameters: { x: '1' },
    });
    const path = '/apis/storage.k8s.io/v1/storageclasses/fast';
    expect(
      (await call('PATCH', path, { parameters: { x: '2' } }, 'application/merge-patch+json')).data.details.causes[0]!
        .field,
    ).toBe('parameters');
    expect(
      (await call('PATCH', `${claims}/one`, { spec: { storageClassName: 'slow' } }, 'application/merge-patch+json'))
        .status,
    ).toBe(422);
  });

  test('are selected by labels and fields, in pages', async () => {
    const names = async (query: string) =>
      ((await call('GET', `/api/v1/nodes?${query}`)).data.items as { metadata: { name: string } }[]).map(
        (n) => n.metadata.name,
      );
    expect(await names('labelSelector=topology.kubernetes.io/zone in (north)')).toEqual([
      'quay-01',
      'quay-02',
      'quay-03',
      'quay-04',
    ]);
    expect(
      await names('labelSelector=topology.kubernetes.io/zone!=north,topology.kubernetes.io/zone!=south'),
    ).toHaveLength(4);
    expect(await names('fieldSelector=metadata.name=quay-07')).toEqual(['quay-07']);
    const first = await call('GET', '/api/v1/nodes?limit=5');
    const second = await call('GET', `/api/v1/nodes?limit=100&continue=${first.data.metadata.continue}`);
    expect([first.data.items.length, second.data.items.length, second.data.metadata.continue]).toEqual([
      5,
      7,
      undefined,
    ]);
  });

  test('unknown paths and namespaces are told as Status', async () => {
    expect(await call('GET', '/api/v1/boats')).toMatchObject({ status: 404, data: { kind: 'Status', code: 404 } });
    expect((await call('POST', '/api/v1/namespaces/atlantis/persistentvolumeclaims', aClaim('x'))).status).toBe(404);
  });
});

describe('watching', () => {
  test('resumes after a version, and sees what came since', async () => {
    const { data } = await call('GET', claims);
    await call('POST', claims, aClaim('two'));
    const events = await watch(
      `${claims}?watch=true&resourceVersion=${data.metadata.resourceVersion}`,
      (e) => e.length > 0,
    );
    expect(events[0]).toMatchObject({ type: 'ADDED', object: { metadata: { name: 'two' } } });
  });

  test('from a version no longer kept is told 410', async () => {
    platform.store.expireHistory();
    const events = await watch(`${claims}?watch=true&resourceVersion=1`, (e) => e.length > 0);
    expect(events[0]).toMatchObject({ type: 'ERROR', object: { code: 410 } });
  });
});

describe('controllers', () => {
  const settled = async (look: () => boolean) => {
    for (let i = 0; i < 200 && !look(); i++) await new Promise((resolve) => setImmediate(resolve));
    expect(look()).toBe(true);
  };

  test('a volume that names its claim is bound to it, and to no other', async () => {
    const { data } = await call('GET', `${claims}/two`);
    await call('POST', '/api/v1/persistentvolumes', {
      metadata: { name: 'vol' },
      spec: {
        capacity: { storage: '5Gi' },
        accessModes: ['ReadWriteOnce'],
        storageClassName: 'fast',
        claimRef: { namespace: 'tide-gauges', name: 'two', uid: data.metadata.uid },
      },
    });
    await settled(() => platform.store.get('persistentvolumeclaims', 'tide-gauges', 'two').status?.phase === 'Bound');
    expect(platform.store.get('persistentvolumeclaims', 'tide-gauges', 'one').status?.phase).toBe('Pending');
    expect(platform.store.get('persistentvolumes', undefined, 'vol').status?.phase).toBe('Bound');
  });

  test('a claim in use stays until its pod is gone; then the volume is released', async () => {
    await call('POST', '/api/v1/namespaces/tide-gauges/pods', {
      metadata: { name: 'user' },
      spec: { volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'two' } }] },
      status: { phase: 'Pending' },
    });
    await settled(() => platform.store.get('pods', 'tide-gauges', 'user').status?.phase === 'Running');
    await call('DELETE', `${claims}/two`);
    expect(platform.store.get('persistentvolumeclaims', 'tide-gauges', 'two').metadata.deletionTimestamp).toBeDefined();
    await call('DELETE', '/api/v1/namespaces/tide-gauges/pods/user');
    await settled(() => platform.store.find('persistentvolumeclaims', 'tide-gauges', 'two') === undefined);
    await settled(() => platform.store.get('persistentvolumes', undefined, 'vol').status?.phase === 'Released');
  });

  test('a pod that is not placed says why, in the words of a scheduler', async () => {
    await call('POST', '/api/v1/namespaces/tide-gauges/pods', {
      metadata: { name: 'unplaced' },
      spec: { volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'nowhere' } }] },
      status: { phase: 'Pending' },
    });
    const why = () =>
      platform.store.get('pods', 'tide-gauges', 'unplaced').status?.conditions?.find((c) => c.type === 'PodScheduled')
        ?.message;
    await settled(() => why() === 'persistentvolumeclaim "nowhere" not found');
    await call('POST', claims, aClaim('nowhere'));
    await settled(() => why() === 'pod has unbound immediate PersistentVolumeClaims.');
    // a zone in which there is no node
    await call('POST', '/api/v1/persistentvolumes', {
      metadata: { name: 'far' },
      spec: {
        capacity: { storage: '5Gi' },
        accessModes: ['ReadWriteOnce'],
        storageClassName: 'fast',
        claimRef: { namespace: 'tide-gauges', name: 'nowhere' },
        nodeAffinity: {
          required: {
            nodeSelectorTerms: [
              { matchExpressions: [{ key: 'topology.kubernetes.io/zone', operator: 'In', values: ['moon'] }] },
            ],
          },
        },
      },
    });
    await settled(() =>
      /^0\/\d+ nodes are available: \d+ node\(s\) had volume node affinity conflict/.test(why() ?? ''),
    );
  });

  test('a stateful set makes its claims and pods, one after the other', async () => {
    await call('POST', '/apis/apps/v1/namespaces/ferry-desk/statefulsets', {
      metadata: { name: 'desk' },
      spec: {
        replicas: 2,
        selector: { matchLabels: { app: 'desk' } },
        template: { metadata: { labels: { app: 'desk' } }, spec: {} },
        volumeClaimTemplates: [{ metadata: { name: 'data' }, spec: aClaim('x').spec }],
      },
    });
    await settled(() => platform.store.find('persistentvolumeclaims', 'ferry-desk', 'data-desk-0') !== undefined);
    expect(platform.store.find('pods', 'ferry-desk', 'desk-0')!.metadata.ownerReferences![0]!.name).toBe('desk');
    expect(platform.store.find('pods', 'ferry-desk', 'desk-1')).toBeUndefined();
  });
});

test('a restart finds everything again, and versions go on', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'moorage-journal-'));
  const where = { journal: join(folder, 'platform.jsonl') };
  const first = await startPlatform(platformSeed, where);
  first.store.create('persistentvolumeclaims', { metadata: { name: 'kept', namespace: 'tide-gauges' } });
  first.store.create('persistentvolumeclaims', { metadata: { name: 'dropped', namespace: 'tide-gauges' } });
  first.store.delete('persistentvolumeclaims', 'tide-gauges', 'dropped');
  const version = first.store.get('persistentvolumeclaims', 'tide-gauges', 'kept').metadata.resourceVersion;
  await first.stop();
  const second = await startPlatform(platformSeed, where);
  expect(second.store.list('persistentvolumeclaims').map((c) => c.metadata.name)).toEqual(['kept']);
  expect(second.store.resourceVersion).toBeGreaterThanOrEqual(Number(version));
  await second.stop();
  rmSync(folder, { recursive: true });
});
