import type { ApplicationSeen } from '@moorage/contract/applications';
import { lively } from '@moorage/standins/platform/pace';
import type { RunningServer } from '../server';
import { Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  // each step takes a moment, so that it is seen
  world = await makeWorld({
    pace: {
      ...lively,
      attachMs: 60,
      detachMs: 60,
      startMs: 60,
      stopMs: 60,
      graceMs: 60,
      evictMs: 120,
      forceMs: 60_000,
    },
  });
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'kept', ['kelp-nvme'], { copies: 2 });
  await maren.ok('POST', '/api/applications', {
    ...{ namespace: 'tide-gauges', name: 'store', replicas: 2, image: 'example/store', port: 8080, ordered: false },
    ...{ spread: 'nodes', whenScaled: 'Retain', whenDeleted: 'Retain' },
    templates: [{ name: 'data', className: 'kept', size: '4Gi', modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' }],
  });
  await eventually('it runs', async () => (await seen()).application.ready === 2);
});
afterAll(() => world.end());

const seen = () => maren.ok<ApplicationSeen>('GET', '/api/applications/tide-gauges/store');
const pod = (name: string) => world.platform.store.find('pods', 'tide-gauges', name);
const endPod = (name: string, caller = maren) =>
  caller.call('DELETE', `/api/applications/tide-gauges/store/pods/${name}`);
const moves = async () => (await seen()).moves;
const cordon = (name: string, unschedulable: boolean) =>
  world.platform.store.amend('nodes', world.platform.store.get('nodes', undefined, name), (copy) => {
    copy.spec!.unschedulable = unschedulable;
  });

test('a pod that is deleted comes back elsewhere, and each step of its way is told in its order', async () => {
  const from = pod('store-1')!.spec!.nodeName!;
  cordon(from, true);
  expect((await endPod('store-1')).status).toBe(204);
  await eventuallyHolds('it is back', async () => {
    const [move] = await moves();
    expect(move).toMatchObject({ pod: 'store-1', from, to: pod('store-1')!.spec!.nodeName });
    expect(move!.readyAt).not.toBeNull();
  });
  cordon(from, false);
  const [move] = await moves();
  expect(move!.to).not.toBe(from);
  // pods and attachments are watched apart from each other: of two that follow closely either may be heard of first
  for (const told of [move!.goneAt, move!.detachedAt, move!.placedAt, move!.attachedAt]) {
    expect(told).not.toBeNull();
    expect(Date.parse(told!)).toBeLessThanOrEqual(Date.parse(move!.readyAt!));
  }
  await eventuallyHolds('it is measured', async () =>
    expect((await seen()).measured).toMatchObject([{ className: 'kept', backend: 'kelp', count: 1 }]),
  );
});

test('one that ends again before it was back has been out since the first time', async () => {
  const node = pod('store-0')!.spec!.nodeName!;
  for (const n of world.platform.store.list('nodes')) cordon(n.metadata.name, true);
  await endPod('store-0');
  await eventually(
    'it waits for a node',
    async () => (await moves())[0]?.goneAt && (await moves())[0]!.placedAt === null,
  );
  const [waiting] = await moves();
  expect(waiting).toMatchObject({ pod: 'store-0', from: node, to: null, readyAt: null });
  const other = world.platform.store.list('nodes').find((n) => n.metadata.name !== node)!.metadata.name;
  cordon(other, false);
  world.platform.setNode(other, false);
  const second = await eventually('it is told to end again', () => {
    const now = pod('store-0');
    return Promise.resolve(now?.spec?.nodeName === other && now.metadata.deletionTimestamp && now.metadata.uid);
  });
  world.platform.setNode(other, true);
  for (const n of world.platform.store.list('nodes')) cordon(n.metadata.name, false);
  await eventually('it is back', async () => (await moves()).find((m) => m.pod === 'store-0')?.readyAt);
  const ways = (await moves()).filter((m) => m.pod === 'store-0');
  expect(ways.length).toBe(1);
  expect(ways[0]!.endedAt).toBe(waiting!.endedAt);
  expect(pod('store-0')!.metadata.uid).not.toBe(second);
});

test('only pods of that application are deleted, and only by who may', async () => {
  const ivo = await new Caller(server.url).signIn('ivo');
  const guest = await new Caller(server.url).signIn('guest');
  expect((await endPod('store-0', ivo)).status).toBe(403);
  expect((await endPod('store-0', guest)).status).toBe(403);
  expect((await endPod('nobody-0')).status).toBe(404);
  expect((await maren.call('DELETE', '/api/applications/tide-gauges/other/pods/store-0')).status).toBe(404);
  expect(pod('store-0')!.metadata.deletionTimestamp).toBeUndefined();
});
