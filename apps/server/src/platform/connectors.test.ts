import { platformSeed } from '@moorage/standins/seeds';
import { startPlatform } from '@moorage/standins/start';
import { Metrics } from '../metrics/metrics';
import { MemoryPlatform } from '../testing/memory-platform';
import { listed } from '../testing/listed';
import { eventually } from '../testing/world';
import type { PlatformConnector, PlatformEvent, PlatformObject } from './connector';
import { KubernetesConnector } from './kubernetes';

/** What is expected of whatever stands for the platform: the one over the wire, and the one in memory that tests use. */
interface Under {
  readonly connector: PlatformConnector;
  expire(): void;
  end(): Promise<void>;
}
const kinds: Record<string, () => Promise<Under>> = {
  'over the wire': async () => {
    const platform = await startPlatform(platformSeed);
    return {
      connector: new KubernetesConnector(platform.url, undefined, new Metrics()),
      expire: () => platform.store.expireHistory(),
      end: () => platform.stop(),
    };
  },
  'in memory': () => {
    const connector = new MemoryPlatform();
    return Promise.resolve({ connector, expire: () => connector.expireHistory(), end: () => Promise.resolve() });
  },
};

const cls = (name: string, part: object = {}): PlatformObject => ({
  apiVersion: 'storage.k8s.io/v1',
  kind: 'StorageClass',
  metadata: { name, annotations: { 'x.example/a': '1' } },
  provisioner: 'vast-moorage.example',
  reclaimPolicy: 'Delete',
  volumeBindingMode: 'Immediate',
  ...part,
});
const claim = (name: string, spec: object = {}): PlatformObject => ({
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: { name, namespace: 'tide-gauges' },
  spec: { accessModes: ['ReadWriteOnce'], resources: { requests: { storage: '5Gi' } }, ...spec },
});
const { apiVersion, kind } = cls('') as { apiVersion: string; kind: string };

describe.each(Object.entries(kinds))('%s', (_name, make) => {
  let under: Under;
  let connector: PlatformConnector;
  beforeAll(async () => {
    under = await make();
    ({ connector } = under);
  });
  afterAll(() => under.end());

  test('what is made has a uid and a version, and is found as it was made', async () => {
    const made = await connector.create(cls('one'));
    expect([typeof made.metadata.uid, typeof made.metadata.resourceVersion]).toEqual(['string', 'string']);
    const found = await connector.find(apiVersion, kind, 'one');
    expect(found).toMatchObject(cls('one'));
    expect(found!.metadata.uid).toBe(made.metadata.uid);
    expect(await connector.find(apiVersion, kind, 'none')).toBeUndefined();
  });

  test('a name that is taken is refused, and what is there stays', async () => {
    await connector.create(cls('taken'));
    await expect(connector.create(cls('taken', { reclaimPolicy: 'Retain' }))).rejects.toMatchObject({ code: 'exists' });
    expect(await connector.find(apiVersion, kind, 'taken')).toMatchObject({ reclaimPolicy: 'Delete' });
  });

  test('what is wrong is refused with its field', async () => {
    await expect(connector.create(claim('wrong', { accessModes: [] }))).rejects.toMatchObject({
      code: 'invalid',
      isForGood: true,
      causes: [expect.objectContaining({ field: 'spec.accessModes' })],
    });
    expect(await connector.find('v1', 'PersistentVolumeClaim', 'wrong', 'tide-gauges')).toBeUndefined();
  });

  test('a patch changes what it names, takes away what it says is null, and is told from one of nothing', async () => {
    const made = await connector.create(cls('patched'));
    const patched = await connector.mergePatch({
      ...{ apiVersion, kind },
      metadata: { name: 'patched', annotations: { 'x.example/a': null, 'x.example/b': '2' } as never },
      allowVolumeExpansion: true,
    });
    expect(patched).toMatchObject({ allowVolumeExpansion: true, reclaimPolicy: 'Delete' });
    expect(patched.metadata.annotations).toEqual({ 'x.example/b': '2' });
    expect(patched.metadata.uid).toBe(made.metadata.uid);
    expect(patched.metadata.resourceVersion).not.toBe(made.metadata.resourceVersion);
    await expect(connector.mergePatch({ apiVersion, kind, metadata: { name: 'none' } })).rejects.toMatchObject({
      code: 'not-found',
    });
  });

  test("a claim's status is changed by itself, unless the claim was changed since it was read", async () => {
    const made = await connector.create(claim('grown'));
    const at = { apiVersion: 'v1', kind: 'PersistentVolumeClaim' };
    const { name, namespace, resourceVersion } = made.metadata;
    const status = { capacity: { storage: '8Gi' }, conditions: [{ type: 'FileSystemResizePending', status: 'True' }] };
    const spec = { resources: { requests: { storage: '9Gi' } } };
    await connector.patchClaimStatus({ ...at, metadata: { name, namespace, resourceVersion }, status, spec });
    const found = await connector.find('v1', 'PersistentVolumeClaim', name, namespace);
    expect(found).toMatchObject({ spec: { resources: { requests: { storage: '5Gi' } } }, status });
    await expect(
      connector.patchClaimStatus({ ...at, metadata: { name, namespace, resourceVersion }, status: { phase: 'Lost' } }),
    ).rejects.toMatchObject({ code: 'conflict' });
    await expect(
      connector.patchClaimStatus({ ...at, metadata: { name: 'none', namespace }, status }),
    ).rejects.toMatchObject({ code: 'not-found' });
  });

  test('what is meant by its uid is that object alone: another of its name is neither changed nor deleted', async () => {
    const first = await connector.create(cls('meant'));
    const { uid } = first.metadata;
    await connector.ensureDeleted(apiVersion, kind, 'meant');
    await connector.create(cls('meant'));
    await connector.ensureDeleted(apiVersion, kind, 'meant', undefined, uid);
    const change = { apiVersion, kind, metadata: { name: 'meant', uid }, allowVolumeExpansion: true };
    await expect(connector.mergePatch(change)).rejects.toMatchObject({ code: 'conflict' });
    const there = await connector.find(apiVersion, kind, 'meant');
    expect([there?.allowVolumeExpansion, there?.metadata.uid === uid]).toEqual([undefined, false]);
    await connector.mergePatch({ ...change, metadata: { name: 'meant', uid: there!.metadata.uid } });
    await connector.ensureDeleted(apiVersion, kind, 'meant', undefined, there!.metadata.uid);
    expect(await connector.find(apiVersion, kind, 'meant')).toBeUndefined();
  });

  test('what is deleted is gone, again is fine, and of its name another can be made', async () => {
    const first = await connector.create(cls('twice'));
    await connector.ensureDeleted(apiVersion, kind, 'twice');
    await connector.ensureDeleted(apiVersion, kind, 'twice');
    expect(await connector.find(apiVersion, kind, 'twice')).toBeUndefined();
    const second = await connector.create(cls('twice'));
    expect(second.metadata.uid).not.toBe(first.metadata.uid);
  });

  test('a list has what is there, and a watch from its version hands over what came after, in order', async () => {
    const { items, version } = await listed(connector, 'storageclasses');
    expect(items.map((c) => c.metadata.name)).toEqual(expect.arrayContaining(['one', 'taken', 'twice']));
    const events: PlatformEvent[] = [];
    const stop = new AbortController();
    const watching = connector.watch(
      'storageclasses',
      version,
      (e) => void ('type' in e && events.push(e)),
      stop.signal,
    );
    await connector.create(cls('seen'));
    await connector.create(claim('not-seen'));
    await connector.mergePatch({ apiVersion, kind, metadata: { name: 'seen', labels: { a: 'b' } } });
    await connector.ensureDeleted(apiVersion, kind, 'seen');
    await eventually('three events', async () => events.length >= 3);
    expect(events.map((e) => `${e.type} ${e.object.metadata.name}`)).toEqual([
      'ADDED seen',
      'MODIFIED seen',
      'DELETED seen',
    ]);
    stop.abort();
    await watching;
  });

  test('a watch from a version that is no longer kept says that it is gone', async () => {
    const { version } = await listed(connector, 'storageclasses');
    under.expire();
    await expect(
      connector.watch('storageclasses', String(Number(version) - 1), () => undefined, new AbortController().signal),
    ).rejects.toMatchObject({ code: 'gone' });
  });
});
