import type { Found } from '@moorage/contract/lookup';
import type { RunningServer } from '../server';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let caller: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  caller = await world.operator(server);
  await moorClass(caller, 'deep', ['kelp-nvme'], { copies: 2, reclaim: 'Retain' });
}, 90_000);
afterAll(() => world.end());

const find = (q: string, by = caller) => by.ok<Found[]>('GET', `/api/lookup?q=${encodeURIComponent(q)}`);
const kinds = async (q: string, by = caller) => (await find(q, by)).map((f) => `${f.kind} ${f.of ?? ''} ${f.name}`);

test('a claim is found by every identifier that either world has for it, and a disk by its own and by its device path', async () => {
  await caller.ok('POST', '/api/claims', aClaim('level-log', 'deep', { size: '5Gi' }));
  const { claim } = await caller.inState('level-log', 'bound');
  for (const q of [
    'level-lo',
    'tide-gauges/level',
    claim.uid,
    claim.volumeName!,
    claim.volumeId!,
    `kelp/${claim.volumeId}`,
  ])
    expect([q, await kinds(q)]).toEqual([q, ['claim tide-gauges level-log']]);
  expect((await find(claim.volumeId!))[0]!.by).toBe(`kelp/${claim.volumeId}`);

  const [copy] = await world.rows<{ disk: string; node: string }>('SELECT disk, node FROM reservation_copies LIMIT 1');
  const disk = [`disk kelp ${copy!.disk}`];
  for (const q of [copy!.disk, `/dev/disk/by-id/nvme-${copy!.disk}`]) expect([q, await kinds(q)]).toEqual([q, disk]);
  expect((await find(copy!.disk))[0]!.by).toBe(copy!.node);
  // and the claims whose copies lie there
  const { claims } = await caller.ok<{ claims: { name: string }[] }>('GET', `/api/claims?q=${copy!.disk}`);
  expect(claims.map((c) => c.name)).toEqual(['level-log']);
});

test('places of the estate, classes, namespaces, pods and applications are found; a pattern is taken as it is written', async () => {
  expect(await kinds('kelp-nvme')).toEqual(['pool kelp kelp-nvme']);
  expect(await kinds('quay-03')).toContain('node  quay-03');
  expect(await kinds('deep')).toEqual(expect.arrayContaining(['class  deep', 'pool kelp kelp-deep']));
  expect(await kinds('ferry')).toEqual(['namespace ferry-desk ferry-desk']);
  expect(await find('%%')).toEqual([]);
  expect(await find('__')).toEqual([]);
  expect((await caller.call('GET', '/api/lookup?q=a')).status).toBe(422);
});

test('a volume that no claim holds is found as such; a namespace owner finds the own namespaces alone', async () => {
  await caller.ok('POST', '/api/claims', aClaim('lost-log', 'deep', { size: '5Gi' }));
  const { claim } = await caller.inState('lost-log', 'bound');
  await caller.ok('DELETE', '/api/claims/tide-gauges/lost-log');
  await eventually('it is adrift', async () => (await kinds('lost-log')).join() === 'adrift  tide-gauges/lost-log');
  const ivo = await new Caller(server.url).signIn('ivo');
  for (const q of ['lost-log', 'level-log', claim.volumeId!, 'tide-gauges']) expect(await find(q, ivo)).toEqual([]);
  expect(await kinds('ferry', ivo)).toEqual(['namespace ferry-desk ferry-desk']);
});
