import type { BackendRow } from '@moorage/contract/backends';
import type { KeptPlan } from '@moorage/contract/moorings';
import { atOnce } from '@moorage/standins/platform/pace';
import { aClaim, eventually, eventuallyHolds, makeWorld, moorClass, type Caller, type World } from '../testing/world';
import { storeSet } from '../testing/store-set';

/** Places of claims that are to come are held: replicas start one after the other, and nothing is ready for a long time. */
const GiB = 2 ** 30;
let world: World;
let maren: Caller;
beforeEach(async () => {
  world = await makeWorld({ pace: { ...atOnce, startMs: 600_000 } });
  maren = await world.operator(await world.start());
  await moorClass(maren, 'kept', ['kelp-nvme'], { copies: 2 });
  await maren.ok('PATCH', '/api/pools/kelp-nvme', { allotment: 40 * GiB });
});
afterEach(() => world.end());

const pool = async () =>
  (await maren.ok<BackendRow[]>('GET', '/api/backends')).flatMap((b) => b.pools).find((p) => p.id === 'kelp-nvme')!;
const plans = () => maren.ok<KeptPlan[]>('GET', '/api/planned-places');
const start = (name: string, replicas: number) =>
  maren.call('POST', '/api/applications', storeSet({ name, replicas, ordered: true }));
const bound = (name: string) =>
  eventually(`${name} is bound`, async () => (await maren.claim(name)).claim.state === 'bound');

test('what is planned for claims that are still to come is taken for all others, until the plan is let go', async () => {
  expect((await start('store', 4)).status).toBe(201);
  await bound('data-store-0');
  expect(await plans()).toMatchObject([{ first: 'data-store-1', claims: 3, held: 24 * GiB }]);
  expect((await pool()).reservedRaw).toBe(32 * GiB);
  // 8 GiB are promised, and 40 may be
  await maren.ok('POST', '/api/claims', aClaim('other', 'kept', { size: '8Gi' }));
  await eventually('it has no room', async () => (await maren.claim('other')).claim.reason !== null);
  expect((await start('second', 2)).status).toBe(409);
  const [plan] = await plans();
  expect(Date.parse(plan!.until!)).toBeGreaterThan(Date.now());
  await maren.ok('DELETE', `/api/planned-places/${plan!.plan}`);
  await bound('other');
  expect((await pool()).reservedRaw).toBe(24 * GiB);
});

test('a claim that comes takes what is held for it, and no more than that is promised', async () => {
  expect((await start('store', 5)).status).toBe(201);
  await bound('data-store-0');
  expect((await pool()).reservedRaw).toBe(40 * GiB);
  // the next comes although all of the allotment is promised
  await maren.ok('POST', '/api/claims', aClaim('data-store-1', 'kept', { size: '4Gi' }));
  await bound('data-store-1');
  expect((await pool()).reservedRaw).toBe(40 * GiB);
  expect(await plans()).toMatchObject([{ claims: 3, held: 24 * GiB }]);
});

test('of two starts at once of which one fits, one is refused', async () => {
  const both = await Promise.all([start('one', 3), start('two', 3)]);
  expect(both.map((b) => b.status).sort()).toEqual([201, 409]);
  await eventuallyHolds('only one is promised', async () => expect((await pool()).reservedRaw).toBe(24 * GiB));
});

test('what was held for replicas that are taken away before they came is free again', async () => {
  expect((await start('store', 5)).status).toBe(201);
  await bound('data-store-0');
  await maren.ok('POST', '/api/applications/tide-gauges/store/scale', { replicas: 1, confirm: 'store' });
  expect(await plans()).toEqual([]);
  expect((await pool()).reservedRaw).toBe(8 * GiB);
});

test('what is held too long is free again, and what waited for it is bound', async () => {
  expect((await start('store', 4)).status).toBe(201);
  await bound('data-store-0');
  await maren.ok('POST', '/api/claims', aClaim('other', 'kept', { size: '8Gi' }));
  await eventually('it has no room', async () => (await maren.claim('other')).claim.reason !== null);
  await world.rows(`UPDATE planned_places SET held_until = now() - interval '1 second' RETURNING claim_name`);
  await bound('other');
  expect(await plans()).toEqual([]);
  expect((await pool()).reservedRaw).toBe(24 * GiB);
});

test('what is held counts against the limit of its namespace', async () => {
  await maren.ok('PUT', '/api/namespaces/tide-gauges/enforcement', { byPlatform: false });
  await maren.ok('PUT', '/api/namespaces/tide-gauges/limit', { bytes: 16 * GiB });
  expect((await start('store', 3)).status).toBe(201);
  await bound('data-store-0');
  expect((await start('second', 2)).status).toBe(409);
  expect((await start('third', 1)).status).toBe(201);
});
