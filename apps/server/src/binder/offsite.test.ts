import type { BackendRow } from '@moorage/contract/backends';
import type { Line } from '@moorage/contract/claims';
import type { ClassRow } from '@moorage/contract/classes';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import { limpetSeed } from '../../../standins/src/backend-seeds';
import type { RunningServer } from '../server';
import { Caller, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;
let tom: Caller;
const limpet = () => world.more[0]!;
beforeAll(async () => {
  world = await makeWorld({ more: [limpetSeed] });
  server = await world.start();
  maren = await world.operator(server);
  tom = await new Caller(server.url).signIn('tom');
  await tom.ok('POST', '/api/backends', {
    id: 'limpet',
    title: 'Limpet',
    address: limpet().url,
    username: 'moorage',
    password: 'low-water',
    sites: ['gull-rock'],
    trust: { kind: 'system' },
  });
});
afterAll(() => world.end());

const GiB = 2 ** 30;
const make = (name: string, className: string) =>
  maren.ok('POST', '/api/claims', {
    namespace: 'ferry-desk',
    name,
    className,
    size: '20Gi',
    modes: ['ReadWriteOnce'],
    volumeMode: 'Filesystem',
  });
const named = (backend: World['basalt'], name: string) =>
  [...backend.backend.volumes.values()].filter((v) => v.name === name);
const poolOf = async (id: string) =>
  (await maren.ok<BackendRow[]>('GET', '/api/backends')).flatMap((b) => b.pools).find((p) => p.id === id)!;
const seaborne = { copies: 2, offsite: true, reclaim: 'Delete' };

test('only a class that keeps off-site copies is moored to a pool of another site', async () => {
  await moorClass(maren, 'home', ['basalt-swift'], { copies: 1 });
  const refused = await maren.call<{ field: string; detail: string }>('PUT', '/api/moorings/home/limpet-main', {
    enabled: true,
  });
  expect([refused.status, refused.data.field]).toEqual([422, 'pool']);
  expect(refused.data.detail).toContain('reached from gull-rock and not from quayside');
  const { storageClass } = (await maren.ok<ClassRow[]>('GET', '/api/classes')).find(
    (c) => c.storageClass.name === 'home',
  )!;
  const mooring = { kind: 'mooring', pool: 'limpet-main', enabled: true, weight: 1, seen: null };
  const draft = (name: string, offsite: boolean) =>
    maren.call('POST', '/api/drafts', {
      changes: [
        { kind: 'class', storageClass: { ...storageClass, name, offsite } },
        { ...mooring, className: name },
      ],
    });
  expect((await draft('drafted-home', false)).status).toBe(422);
  expect((await draft('drafted-abroad', true)).status).toBe(200);
});

test('the copy is made at the other site before the claim binds, is written later, counts there, and goes with the claim', async () => {
  await moorClass(maren, 'seaborne', ['limpet-main', 'basalt-broad', 'basalt-swift'], seaborne);
  const before = await poolOf('limpet-main');
  await make('charts', 'seaborne');
  const { claim: bound, decisions } = await maren.inState('charts', 'bound', 'ferry-desk');
  // basalt-broad sends nothing to other sites, and limpet is out of reach for pods here
  expect(decisions[0]!.trace).toMatchObject({ winner: 'basalt-swift', offsite: { pool: 'limpet-main' } });
  const [[first], [copy]] = [named(world.basalt, bound.volumeName!), named(limpet(), bound.volumeName!)];
  expect([copy!.capacity, copy!.copies.length]).toEqual([20 * GiB, 2]);
  expect(first!.mirrors).toEqual([{ target: `urn:vast-moorage:limpet:${copy!.id}`, mode: 'Asynchronous' }]);
  const { links } = await maren.ok<Line>('GET', '/api/line?claim=ferry-desk/charts');
  expect(links.at(-1)).toMatchObject({
    kind: 'copy',
    name: 'limpet',
    backendId: copy!.id,
    note: 'the off-site copy, on limpet-main',
  });
  expect((await poolOf('limpet-main')).reservedRaw - before.reservedRaw).toBe(40 * GiB);
  const usage = (await maren.ok<NamespaceUsage[]>('GET', '/api/namespaces')).find((n) => n.namespace === 'ferry-desk')!;
  expect([usage.provisioned, usage.footprint]).toEqual([20 * GiB, 60 * GiB]);

  const held = await tom.call<{ detail: string }>('DELETE', '/api/backends/limpet');
  expect([held.status, held.data.detail]).toEqual([409, expect.stringContaining('keep their data on it')]);

  await eventuallyHolds('bound here as well', async () =>
    expect(
      await world.rows('SELECT 1 FROM reservations WHERE claim_uid = $1 AND state = $2', [bound.uid, 'bound']),
    ).toHaveLength(1),
  );
  await maren.ok('DELETE', '/api/claims/ferry-desk/charts');
  await eventuallyHolds('both gone', async () => {
    expect([...named(world.basalt, bound.volumeName!), ...named(limpet(), bound.volumeName!)]).toEqual([]);
    expect((await poolOf('limpet-main')).reservedRaw).toBe(before.reservedRaw);
  });
});

test('answers that are lost, there and here, leave one volume on each and one tie', async () => {
  for (const backend of [limpet(), world.basalt])
    backend.faults.add({ kind: 'lose-answer', method: 'POST', path: '/Volumes$', times: 1 });
  world.basalt.faults.add({ kind: 'lose-answer', method: 'POST', path: 'AssignReplicaTarget$', times: 1 });
  await make('stormy', 'seaborne');
  const { claim: bound } = await maren.inState('stormy', 'bound', 'ferry-desk');
  expect([named(world.basalt, bound.volumeName!).length, named(limpet(), bound.volumeName!).length]).toEqual([1, 1]);
  expect(named(world.basalt, bound.volumeName!)[0]!.mirrors).toHaveLength(1);
});

test('with nowhere to go off site a claim stays pending, says so, and binds when its class is moored there', async () => {
  await moorClass(maren, 'landlocked', ['basalt-swift'], seaborne);
  await make('stranded', 'landlocked');
  const { decisions } = await maren.inState('stranded', 'nothing-fits', 'ferry-desk');
  const { trace, remedies } = decisions[0]!;
  expect(trace.candidates[0]!.checks.filter((c) => !c.passed).map((c) => c.rule)).toEqual(['offsite-copy']);
  expect(remedies[0]!.changes).toEqual([{ kind: 'moor', pool: 'limpet-main' }]);
  await maren.ok('PUT', '/api/moorings/landlocked/limpet-main', { enabled: true });
  await maren.inState('stranded', 'bound', 'ferry-desk');
});
