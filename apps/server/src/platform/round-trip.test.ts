import { CoreV1Api, KubeConfig, KubernetesObjectApi, PatchStrategy, setHeaderOptions, Watch } from './platform-client';
import { aClass, eventually, makeWorld, type Caller, type World } from '../testing/world';

/** The whole way of a claim, asked for and followed by a client of the platform that nobody here wrote. */
let world: World;
let maren: Caller;
let core: CoreV1Api;
let objects: KubernetesObjectApi;
const config = new KubeConfig();
beforeAll(async () => {
  world = await makeWorld();
  maren = await world.operator(await world.start());
  config.loadFromOptions({
    clusters: [{ name: 'quayside', server: world.platform.url, skipTLSVerify: true }],
    users: [{ name: 'anybody' }],
    contexts: [{ name: 'quayside', cluster: 'quayside', user: 'anybody' }],
    currentContext: 'quayside',
  });
  core = config.makeApiClient(CoreV1Api);
  objects = KubernetesObjectApi.makeApiClient(config);
});
afterAll(() => world.end());

const namespace = 'tide-gauges';
const claim = (name: string, storageClassName: string) => ({
  metadata: { name },
  spec: { accessModes: ['ReadWriteOnce'], storageClassName, resources: { requests: { storage: '5Gi' } } },
});

test('a class and a claim made there are bound, grown and let go of again; the client sees each step', async () => {
  await objects.create({
    ...{ apiVersion: 'storage.k8s.io/v1', kind: 'StorageClass', metadata: { name: 'by-client' } },
    ...{ provisioner: 'vast-moorage.example', allowVolumeExpansion: true },
    ...{ parameters: { 'vast-moorage.example/copies': '1' } },
  });
  await eventually(
    'the class is known',
    async () => (await maren.call('PUT', '/api/moorings/by-client/basalt-broad', { enabled: true })).status < 300,
  );
  const seen: string[] = [];
  const watch = await new Watch(config).watch(
    `/api/v1/namespaces/${namespace}/persistentvolumeclaims`,
    {},
    (type, object: { metadata?: { name?: string }; status?: { phase?: string } }) =>
      void seen.push(`${type} ${object.metadata?.name} ${object.status?.phase}`),
    () => undefined,
  );
  await core.createNamespacedPersistentVolumeClaim({ namespace, body: claim('by-client', 'by-client') });
  const read = () => core.readNamespacedPersistentVolumeClaim({ namespace, name: 'by-client' });
  await eventually('it is bound', async () => (await read()).status?.phase === 'Bound');
  const { volumeName } = (await read()).spec!;
  const volume = await core.readPersistentVolume({ name: volumeName! });
  expect(volume.spec).toMatchObject({
    claimRef: { name: 'by-client', namespace },
    csi: { driver: 'vast-moorage.example' },
    capacity: { storage: '5Gi' },
  });

  await core.patchNamespacedPersistentVolumeClaim(
    { namespace, name: 'by-client', body: { spec: { resources: { requests: { storage: '8Gi' } } } } },
    setHeaderOptions('Content-Type', PatchStrategy.MergePatch),
  );
  await eventually(
    'its volume is larger',
    async () => (await core.readPersistentVolume({ name: volumeName! })).spec?.capacity?.storage === '8Gi',
  );

  await core.deleteNamespacedPersistentVolumeClaim({ namespace, name: 'by-client' });
  await eventually('its volume is gone, there and on its backend', async () => {
    const { items } = await core.listPersistentVolume();
    const there = items.some((v) => v.metadata?.name === volumeName);
    return !there && ![...world.basalt.backend.volumes.values()].some((v) => v.name === volumeName);
  });
  await eventually('the watch told it', () => Promise.resolve(seen.some((s) => s.startsWith('DELETED by-client'))));
  expect(seen.some((s) => s === 'MODIFIED by-client Bound')).toBe(true);
  watch.abort();
});

test('what the client is refused it is told in the form that it knows', async () => {
  await maren.ok('POST', '/api/classes', aClass('fixed', { expansion: false }));
  await maren.ok('PUT', '/api/moorings/fixed/basalt-broad', { enabled: true });
  await core.createNamespacedPersistentVolumeClaim({ namespace, body: claim('fixed', 'fixed') });
  await eventually(
    'it is bound',
    async () =>
      (await core.readNamespacedPersistentVolumeClaim({ namespace, name: 'fixed' })).status?.phase === 'Bound',
  );
  const refused = core.patchNamespacedPersistentVolumeClaim(
    { namespace, name: 'fixed', body: { spec: { resources: { requests: { storage: '9Gi' } } } } },
    setHeaderOptions('Content-Type', PatchStrategy.MergePatch),
  );
  await expect(refused).rejects.toMatchObject({ code: 403 });
  await expect(
    core.createNamespacedPersistentVolumeClaim({ namespace, body: claim('fixed', 'fixed') }),
  ).rejects.toMatchObject({ code: 409 });
});
