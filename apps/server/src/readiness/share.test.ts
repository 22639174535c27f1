import type { ShareUseRow } from '@moorage/contract/shares';
import { gneissSeed } from '@moorage/standins/backend-seeds';
import { aClaim, Caller, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let maren: Caller;
let url: string;
beforeAll(async () => {
  world = await makeWorld({ more: [gneissSeed] });
  const server = await world.start();
  ({ url } = server);
  maren = await world.operator(server);
  const tom = await new Caller(server.url).signIn('tom');
  await tom.ok('POST', '/api/backends', {
    ...{ id: 'gneiss', title: 'Gneiss', address: world.more[0]!.url },
    ...{ username: 'moorage', password: 'slow-stone', sites: ['quayside'] },
  });
  await moorClass(maren, 'charts', ['gneiss-shared'], { copies: 1 });
  await moorClass(maren, 'block', ['basalt-broad'], { copies: 1 });
});
afterAll(() => world.end());

const at = (name: string) => `/api/claims/tide-gauges/${name}/share`;
const pod = (name: string, node: string | undefined, claim: string, spec: object = {}, phase = 'Running') =>
  world.platform.store.create('pods', {
    metadata: { name, namespace: 'tide-gauges' },
    spec: {
      ...(node && { nodeName: node }),
      volumes: [{ name: 'tiles', persistentVolumeClaim: { claimName: claim } }],
      ...spec,
    },
    status: { phase },
  });

test('a share is mounted by the name of its server, and root on a node writes there as its class says', async () => {
  await moorClass(maren, 'presses', ['gneiss-shared'], { copies: 1, root: 'kept' });
  await maren.ok('POST', '/api/claims', aClaim('presses', 'presses', { size: '20Gi', modes: ['ReadWriteMany'] }));
  await maren.ok('POST', '/api/claims', aClaim('as-it-is', 'charts', { size: '20Gi', modes: ['ReadWriteMany'] }));
  const server = 'files.gneiss.orrin-sound.example';
  for (const [name, root, rootAsked] of [['presses', 'kept', 'kept'] as const, ['as-it-is', 'mapped', null] as const]) {
    const { claim } = await maren.inState(name, 'bound');
    const path = `/exports/${claim.volumeName!}`;
    const use = await maren.ok<ShareUseRow>('GET', at(name));
    expect(use).toMatchObject({ mounted: { server, path, root, addresses: ['10.40.11.20'] }, rootAsked });
    const volume = world.platform.store.get('persistentvolumes', undefined, claim.volumeName!);
    expect(volume.spec).toMatchObject({ csi: { volumeAttributes: { pool: 'gneiss-shared', server, path } } });
  }
});

test('where a backend says nothing of its exports, its share is told of all the same', async () => {
  world.more[0]!.faults.add({ kind: 'refuse', path: '/FileSystems', status: 503 });
  const use = await maren.ok<ShareUseRow>('GET', at('as-it-is'));
  expect(use).toMatchObject({ backend: 'gneiss', mounted: null, users: [] });
  world.more[0]!.faults.heal();
});

test('a backend that does not speak of its exports keeps nobody from binding', async () => {
  world.more[0]!.faults.add({ kind: 'refuse', path: '/FileSystems', status: 404 });
  await maren.ok('POST', '/api/claims', aClaim('untold', 'charts', { size: '20Gi', modes: ['ReadWriteMany'] }));
  const { claim } = await maren.inState('untold', 'bound');
  const { spec } = world.platform.store.get('persistentvolumes', undefined, claim.volumeName!);
  expect((spec as { csi: { volumeAttributes: object } }).csi.volumeAttributes).toEqual({
    ...{ pool: 'gneiss-shared', protocol: 'NFSv4' },
  });
  world.more[0]!.faults.heal();
});

test('pods that read and write a share are told with their nodes, and one whose node no range lets in', async () => {
  await maren.ok('POST', '/api/claims', aClaim('chart-tiles', 'charts', { size: '20Gi', modes: ['ReadWriteMany'] }));
  await maren.inState('chart-tiles', 'bound');
  expect(await maren.ok<ShareUseRow>('GET', at('chart-tiles'))).toMatchObject({ users: [], shutOut: [], more: false });

  pod('press-0', 'quay-01', 'chart-tiles', { containers: [{ name: 'a', volumeMounts: [{ name: 'tiles' }] }] });
  pod('press-1', 'quay-12', 'chart-tiles');
  // one container reads, the other writes: the pod writes
  const mounts = (readOnly: boolean) => [
    { name: 'tiles', mountPath: '/t', readOnly },
    { name: 'other', mountPath: '/o' },
  ];
  pod('reader-0', 'quay-02', 'chart-tiles', {
    containers: [
      { name: 'a', volumeMounts: mounts(true) },
      { name: 'b', volumeMounts: [{ name: 'tiles', readOnly: true }] },
    ],
  });
  pod('mixed-0', 'quay-02', 'chart-tiles', {
    containers: [
      { name: 'a', volumeMounts: mounts(true) },
      { name: 'b', volumeMounts: mounts(false) },
    ],
  });
  // it waits for another claim, and so for a node
  const claims = ['chart-tiles', 'not-there'];
  const volumes = claims.map((claimName) => ({ name: claimName, persistentVolumeClaim: { claimName } }));
  pod('later-0', undefined, 'chart-tiles', { volumes }, 'Pending');
  pod('done-0', 'quay-01', 'chart-tiles', {}, 'Succeeded');
  pod('stranger-0', 'quay-01', 'something-else');
  await eventuallyHolds('all are told', async () => {
    const use = await maren.ok<ShareUseRow>('GET', at('chart-tiles'));
    expect(use).toMatchObject({ backend: 'gneiss', writing: 2, reading: 1 });
    expect(use.shutOut).toEqual([{ node: 'quay-12', addresses: ['10.40.10.33'] }]);
    expect(use.users.map((u) => [u.pod, u.node, u.readOnly, u.letIn])).toEqual([
      ['later-0', null, false, 'unknown'],
      ['mixed-0', 'quay-02', false, 'yes'],
      ['press-0', 'quay-01', false, 'yes'],
      ['press-1', 'quay-12', false, 'no'],
      ['reader-0', 'quay-02', true, 'yes'],
    ]);
  });
  await maren.ok('PUT', '/api/backends/gneiss/clients/10.40.10.33');
  // told at once: the backend was looked at again
  expect(await maren.ok<ShareUseRow>('GET', at('chart-tiles'))).toMatchObject({ writing: 3, shutOut: [] });
});

test('what has no share is told why, and what somebody does not see is not there', async () => {
  await maren.ok('POST', '/api/claims', aClaim('one-device', 'block', { size: '5Gi' }));
  await maren.inState('one-device', 'bound');
  expect((await maren.call('GET', at('one-device'))).data).toMatchObject({
    ...{ status: 404, code: 'no-share', detail: expect.stringContaining('block device') as string },
  });
  expect((await maren.call('GET', at('nothing'))).status).toBe(404);
  const ivo = await new Caller(url).signIn('ivo');
  expect((await ivo.call('GET', at('chart-tiles'))).status).toBe(404);
});
