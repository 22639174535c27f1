import type { DrainSeen, NodeSeen } from '@moorage/contract/applications';
import type { OperationPage } from '@moorage/contract/operations';
import type { Problem } from '@moorage/contract/problem';
import type { RunningServer } from '../server';
import { Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';
import { startStore, storeSeen } from '../testing/store-set';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'kept', ['kelp-nvme'], { copies: 3 });
  await moorClass(maren, 'single', ['kelp-nvme'], { copies: 1 });
  await startStore(maren, 3);
});
afterAll(() => world.end());
afterEach(() => world.platform.faults.heal());

const seen = () => storeSeen(maren);
const pods = () => world.platform.store.list('pods', 'tide-gauges');
const on = (node: string) => pods().filter((p) => p.spec?.nodeName === node);
const nodeOf = (pod: string) => world.platform.store.get('pods', 'tide-gauges', pod).spec!.nodeName!;
const plan = (node: string) => maren.ok<DrainSeen>('GET', `/api/nodes/${node}/drain`);
const drain = (node: string, caller = maren) => caller.call<Problem>('POST', `/api/nodes/${node}/drain`);
const cordon = (node: string, cordoned: boolean, caller = maren) =>
  caller.call('PUT', `/api/nodes/${node}/cordon`, { cordoned });
const node = async (name: string) => (await maren.ok<NodeSeen[]>('GET', '/api/nodes')).find((n) => n.name === name)!;
const ended = (name: string, state: string) =>
  eventually(`${name} is ${state}`, async () =>
    (await maren.ok<OperationPage>('GET', '/api/operations?show=ended&kind=drain')).rows.find(
      (o) => o.about === name && o.state === state,
    ),
  );

test('a node is drained as it was planned: its pods run elsewhere, with what they had', async () => {
  const name = nodeOf('store-1');
  const planned = await plan(name);
  expect(planned).toMatchObject({ node: name, isPossible: true, lastCopies: [] });
  expect(planned.pods).toMatchObject([
    { pod: 'store-1', ownerKind: 'StatefulSet', fate: { kind: 'moves', waits: false } },
  ]);
  expect((await drain(name)).status).toBe(202);
  await ended(name, 'drained');
  expect(await node(name)).toMatchObject({ cordoned: true, draining: null });
  await eventually('all run', async () => (await seen()).application.ready === 3);
  expect(on(name)).toEqual([]);
  const fate = planned.pods[0]!.fate;
  expect(nodeOf('store-1')).toBe(fate.kind === 'moves' ? fate.to : '');
  await eventuallyHolds('its way is measured', async () =>
    expect((await seen()).moves[0]).toMatchObject({ pod: 'store-1', from: name }),
  );
  expect((await cordon(name, false)).status).toBe(204);
  expect((await node(name)).cordoned).toBe(false);
});

test('what cannot leave is refused in words before anything is done', async () => {
  const name = 'quay-12';
  world.platform.store.create('pods', {
    metadata: { name: 'by-hand', namespace: 'tide-gauges' },
    spec: { nodeName: name, containers: [] },
    status: { phase: 'Pending' },
  });
  await eventually('it is seen', async () => (await plan(name)).pods.length === 1);
  const { status, data } = await drain(name);
  expect([status, data.detail]).toEqual([
    409,
    'tide-gauges/by-hand cannot leave: nothing would start it again. Nothing was done.',
  ]);
  expect((await node(name)).cordoned).toBe(false);
  world.platform.store.purge('pods', structuredClone(world.platform.store.get('pods', 'tide-gauges', 'by-hand')));
});

test('a node with the last copy in step of a volume is not drained', async () => {
  await maren.ok('POST', '/api/claims', {
    ...{ namespace: 'tide-gauges', name: 'only', className: 'single', size: '1Gi' },
    ...{ modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
  });
  const { claim } = await maren.inState('only', 'bound');
  const { drive } = world.kelp.backend.volume(claim.volumeId!).copies[0]!;
  const at = world.kelp.backend.drive(drive).node;
  await eventually('its copy is known', async () => (await plan(at)).lastCopies.length === 1);
  const { status, data } = await drain(at);
  expect(status).toBe(409);
  expect(data.detail).toBe(
    `The last copy in step of tide-gauges/only lies on ${at}. Keep another copy elsewhere first. Nothing was done.`,
  );
  await maren.ok('DELETE', '/api/claims/tide-gauges/only?confirm=only');
  await eventually('it is gone', async () => (await plan(at)).lastCopies.length === 0);
});

test('a budget is kept: pods leave one after the other, and a drain that is given up opens the node again', async () => {
  const { store } = world.platform;
  store.create('poddisruptionbudgets', {
    metadata: { name: 'store', namespace: 'tide-gauges' },
    spec: { minAvailable: 3, selector: { matchLabels: { app: 'store' } } },
  });
  const name = nodeOf('store-0');
  await eventually('the budget is known', async () => !(await plan(name)).isPossible);
  expect((await drain(name)).data.detail).toMatch(/its disruption budget never lets one go/);
  store.amend('poddisruptionbudgets', store.get('poddisruptionbudgets', 'tide-gauges', 'store'), (copy) => {
    copy.spec!.minAvailable = 2;
  });
  await eventually('one may go', async () => (await plan(name)).isPossible);
  // the platform says not now, each time it is asked
  world.platform.faults.add({ kind: 'refuse', method: 'POST', path: '/eviction', status: 429 });
  expect((await drain(name)).status).toBe(202);
  expect((await drain(name)).status).toBe(409);
  const { draining: operation } = await eventually('it is under way', async () => {
    const now = await node(name);
    return now.draining !== null && now.cordoned && now;
  });
  expect(nodeOf('store-0')).toBe(name);
  await maren.ok('POST', `/api/operations/${operation}/cancel`);
  await ended(name, 'given-up');
  expect((await node(name)).cordoned).toBe(false);
  world.platform.faults.heal();
  expect((await drain(name)).status).toBe(202);
  await ended(name, 'drained');
  await eventually('all run', async () => (await seen()).application.ready === 3);
  await cordon(name, false);
});

test('a drain goes on when its server died, and answers that are lost do nothing twice', async () => {
  const name = nodeOf('store-2');
  const uid = world.platform.store.get('pods', 'tide-gauges', 'store-2').metadata.uid;
  world.platform.faults.add({ kind: 'lose-answer', method: 'POST', path: '/eviction', times: 1 });
  expect((await drain(name)).status).toBe(202);
  await world.stop(server);
  server = await world.start();
  maren = await world.operator(server);
  await ended(name, 'drained');
  await eventually('all run', async () => (await seen()).application.ready === 3);
  expect(world.platform.store.get('pods', 'tide-gauges', 'store-2').metadata.uid).not.toBe(uid);
  expect(on(name)).toEqual([]);
  await cordon(name, false);
});

test('a node that somebody opens while it is drained is told, and its pods are not sent away for ever', async () => {
  const name = world.platform.store.get('pods', 'tide-gauges', 'store-0').spec!.nodeName!;
  world.platform.faults.add({ kind: 'refuse', method: 'POST', path: '/eviction$', status: 503 });
  expect((await drain(name)).status).toBe(202);
  await eventually('it is begun', async () => (await node(name)).draining);
  world.platform.store.amend('nodes', world.platform.store.get('nodes', undefined, name), (copy) => {
    copy.spec!.unschedulable = false;
  });
  world.platform.faults.heal();
  const [stopped] = await eventually('it stops and says so', async () => {
    const found = await world.rows<{ id: string; error: { detail: string } }>(
      `SELECT id, error FROM operations WHERE kind = 'drain' AND subject = $1 AND stopped = 'refused'`,
      [name],
    );
    return found.length > 0 && found;
  });
  expect(stopped!.error.detail).toMatch(/let quay-\d+ take pods again while it was drained/);
  await maren.ok('POST', `/api/operations/${stopped!.id}/cancel`);
  await ended(name, 'given-up');
});

test('only operators cordon and drain', async () => {
  const ivo = await new Caller(server.url).signIn('ivo');
  const guest = await new Caller(server.url).signIn('guest');
  for (const caller of [ivo, guest]) {
    expect((await drain('quay-01', caller)).status).toBe(403);
    expect((await cordon('quay-01', true, caller)).status).toBe(403);
    expect((await caller.call('GET', '/api/nodes')).status).toBe(200);
  }
  expect((await drain('nowhere')).status).toBe(404);
});
