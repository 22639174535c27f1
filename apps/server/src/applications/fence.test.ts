import type { NodeSeen } from '@moorage/contract/applications';
import type { Problem } from '@moorage/contract/problem';
import { atOnce } from '@moorage/standins/platform/pace';
import { Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';
import { startStore, storeSeen } from '../testing/store-set';

let world: World;
let maren: Caller;
let url: string;
beforeAll(async () => {
  world = await makeWorld({ pace: { ...atOnce, evictMs: 900, forceMs: 600_000 } });
  const server = await world.start();
  url = server.url;
  maren = await world.operator(server);
  await moorClass(maren, 'kept', ['kelp-nvme'], { copies: 3 });
  await startStore(maren, 2);
});
afterAll(() => world.end());
let lostNode = '';

const seen = () => storeSeen(maren);
const node = async (name: string) => (await maren.ok<NodeSeen[]>('GET', '/api/nodes')).find((n) => n.name === name)!;
const declare = (name: string, body: object, caller = maren) =>
  caller.call<Problem>('PUT', `/api/nodes/${name}/off`, body);
const pod = () => world.platform.store.get('pods', 'tide-gauges', 'store-1');
const attachedTo = () =>
  world.platform.store
    .list('volumeattachments')
    .filter((a) => (a.spec as { source: { persistentVolumeName: string } }).source.persistentVolumeName.length > 0)
    .map((a) => a.spec!.nodeName);

test('a node that answers is never declared off, and one that does not only by its name', async () => {
  const name = pod().spec!.nodeName!;
  const answers = await declare(name, { off: true, confirm: name });
  expect([answers.status, answers.data.code]).toEqual([409, 'still-answers']);
  world.platform.setNode(name, false);
  const lost = await eventually('it is known to be lost', async () => {
    const is = await node(name);
    return !is.ready && is.endsLast !== null && is;
  });
  // its pods endure it as long as they say: a second here
  const { taints } = world.platform.store.get('nodes', undefined, name).spec as {
    taints: { effect: string; timeAdded: string }[];
  };
  const since = Date.parse(taints.find((t) => t.effect === 'NoExecute')!.timeAdded);
  expect(lost).toMatchObject({ staying: 1, never: 0 });
  expect([lost.endsFirst, lost.endsLast].map((at) => Date.parse(at!) - since)).toEqual([1000, 1000]);
  expect((await maren.call<Problem>('POST', `/api/nodes/${name}/drain`)).data.code).toBe('not-heard-of');
  const unnamed = await declare(name, { off: true });
  expect([unnamed.status, unnamed.data.code]).toEqual([409, 'confirm-off']);
  const guest = await new Caller(url).signIn('guest');
  expect((await declare(name, { off: true, confirm: name }, guest)).status).toBe(403);
  // its pod is told to end, and stays with its volume as long as nobody knows
  await eventually('its pod is told to end', () => Promise.resolve(pod().metadata.deletionTimestamp));
  expect((await node(name)).off).toBe(false);
  expect(attachedTo()).toContain(name);
});

test('a pod that needs a volume which another node has is told who has it', async () => {
  const name = pod().spec!.nodeName!;
  // somebody lets go of the pod without its node: another starts elsewhere, and its volume stays where it was
  world.platform.store.purge('pods', structuredClone(pod()));
  const waiting = await eventually('it waits for its volume', async () => {
    const replica = (await seen()).replicas.find((r) => r.pod === 'store-1');
    return replica?.node && replica.waitsFor.length > 0 ? replica : undefined;
  });
  expect(waiting.node).not.toBe(name);
  expect(waiting.waitsFor).toEqual([{ claim: 'data-store-1', node: name, ready: false, pod: null, ending: false }]);
  lostNode = name;
});

test('declared off, its pods run elsewhere with their volumes, how long they were out is kept, and it comes back', async () => {
  const name = lostNode;
  expect((await declare(name, { off: true, confirm: name })).status).toBe(204);
  await eventually('it runs elsewhere', async () => (await seen()).application.ready === 2);
  expect(pod().spec!.nodeName).not.toBe(name);
  expect(attachedTo()).not.toContain(name);
  const move = await eventually('its way is kept', async () => {
    const [last] = (await seen()).moves;
    return last?.readyAt && last;
  });
  expect(move).toMatchObject({ pod: 'store-1', from: name });
  expect((await node(name)).off).toBe(true);
  world.platform.setNode(name, true);
  await eventually('it answers', async () => (await node(name)).ready);
  expect((await declare(name, { off: false })).status).toBe(204);
  await eventually('it takes pods again', async () => !(await node(name)).off);
});

test('a taint that somebody else set meanwhile is not written over', async () => {
  const name = 'quay-12';
  world.platform.setNode(name, false);
  await eventually('it is known to be lost', async () => !(await node(name)).ready);
  world.platform.faults.add({ kind: 'latency', method: 'PATCH', path: `/nodes/${name}`, latencyMs: 1200, times: 1 });
  const declaring = declare(name, { off: true, confirm: name });
  await eventually('it is asked', () =>
    Promise.resolve(world.platform.faults.calls.some((c) => c.method === 'PATCH' && c.path.endsWith(`/nodes/${name}`))),
  );
  const theirs = { key: 'theirs', effect: 'NoSchedule' };
  world.platform.store.amend('nodes', world.platform.store.get('nodes', undefined, name), (copy) => {
    copy.spec!.taints = [...(copy.spec!.taints as object[]), theirs];
  });
  expect((await declaring).status).toBe(204);
  expect(world.platform.store.get('nodes', undefined, name).spec!.taints).toEqual(
    expect.arrayContaining([theirs, expect.objectContaining({ key: 'node.kubernetes.io/out-of-service' })]),
  );
  world.platform.setNode(name, true);
});
