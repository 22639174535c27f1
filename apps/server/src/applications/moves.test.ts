import { lively } from '@moorage/standins/platform/pace';
import type { RunningServer } from '../server';
import { Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';
import { startStore, storeSeen } from '../testing/store-set';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  // each step takes a moment, so that it is seen
  world = await makeWorld({
    writes: true,
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
  await startStore(maren, 2);
});
afterAll(() => world.end());

const seen = () => storeSeen(maren);
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

/** Ends a pod; its way once another is ready in its place. */
async function awayAndBack(name: string) {
  const last = (await moves())[0]?.id;
  await endPod(name);
  return eventually('it is back', async () => (await moves()).find((m, i) => i === 0 && m.id !== last && m.readyAt));
}
const write = (name: string, count: number) => world.platform.processes.write('tide-gauges', name, count);

test('what a pod says it holds is told before and after, and compared', async () => {
  await eventually('it runs again', async () => (await seen()).application.ready === 2);
  const told = (await write('store-1', 5))['data-store-1']!;
  expect(told.writes).toBe(5);
  const back = await awayAndBack('store-1');
  expect(back).toMatchObject({
    pod: 'store-1',
    data: [{ claim: 'data-store-1', before: told, after: told, comparison: 'same' }],
  });
});

test('what comes back with less than was acknowledged is told as that', async () => {
  const told = (await write('store-1', 3))['data-store-1']!;
  const volume = [...world.kelp.backend.volumes.values()].find((v) => {
    const claim = world.platform.store.get('persistentvolumeclaims', 'tide-gauges', 'data-store-1');
    return v.name === `pvc-${claim.metadata.uid}`;
  })!;
  const old = world.kelp.backend.readBlocks(volume.id, 'somebody').filter(([block]) => block < told.writes);
  world.kelp.backend.blocks.forget(volume.id);
  for (const [block, text] of old) world.kelp.backend.writeBlock(volume.id, block, text, 'somebody');
  const back = await awayAndBack('store-1');
  expect(back.data).toMatchObject([{ before: told, after: { writes: told.writes - 1 }, comparison: 'short' }]);
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
