import type { RunningServer } from '../server';
import { hostileRequests, sendHostile } from '../testing/hostile';
import { aClaim, Caller, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let server: RunningServer;
const callers: Caller[] = [];
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  const maren = await world.operator(server);
  await moorClass(maren, 'general', ['basalt-broad', 'kelp-nvme'], { copies: 1 });
  await moorClass(maren, 'ledger', ['kelp-nvme', 'basalt-swift'], { copies: 2 });
  for (const name of ['a', 'b', 'c']) await maren.ok('POST', '/api/claims', aClaim(name, 'general'));
  for (const name of ['maren', 'tom', 'ivo']) callers.push(await new Caller(server.url).signIn(name));
});
afterAll(() => world.end());

test('no request made from the contract, however hostile, meets an error of ours or gets no answer', async () => {
  const seed = Number(process.env.MOORAGE_FUZZ_SEED ?? 20261126);
  const { wrong, statuses } = await sendHostile(
    server.url,
    callers.map((c) => c.cookieText),
    hostileRequests(seed, 2500),
  );
  expect(wrong.slice(0, 20)).toEqual([]);
  // it got past the first look often enough to mean something
  expect((statuses[200] ?? 0) + (statuses[201] ?? 0) + (statuses[204] ?? 0)).toBeGreaterThan(250);
  expect((await callers[0]!.call('GET', '/api/session')).status).toBe(200);
});

test.each([
  ['POST', '/api/reshapes/not-a-uuid/undo', 404],
  ['GET', '/api/logbook?cursor=99999999999999999999999', 422],
  ['GET', '/api/claims?sort=size&cursor=eyJ2YWx1ZSI6Im5hbWUiLCJ1aWQiOiJ4In0', 422],
  ['GET', '/api/backends/nope/events', 404],
  ['GET', '/api/backends/nope/load', 404],
  ['GET', '/api/line?claim=a%00b', 422],
  ['GET', '/api/claims?q=%00', 422],
  ['GET', '/api/claims/ferry-desk/%00', 404],
  ['GET', '/api/claims?q=a&q=b', 422],
])('%s %s is answered with %i', async (method, path, status) => {
  expect((await callers[0]!.call(method, path)).status).toBe(status);
});

test('places named twice, and a foreign class without a name, are refused by field', async () => {
  const place = { namespace: 'ferry-desk', claim: 'x', pool: 'kelp-nvme' };
  const twice = await callers[0]!.call<{ field: string }>('POST', '/api/planned-places', { places: [place, place] });
  expect([twice.status, twice.data.field]).toEqual([422, 'places']);
  for (const text of [
    'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nprovisioner: plank.example',
    'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nprovisioner: plank.example\nmetadata: 7',
    'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nprovisioner: plank.example\nmetadata: {name: [x]}',
  ]) {
    const nameless = await callers[0]!.call<{ field: string }>('POST', '/api/manifests', { text });
    expect([nameless.status, nameless.data.field]).toEqual([422, 'metadata.name']);
  }
});
