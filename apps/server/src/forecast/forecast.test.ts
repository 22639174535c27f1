import type { ForecastAnswer, KeptScenario, Runways, WhatIfAnswer } from '@moorage/contract/forecast';
import type { FindingRow } from '@moorage/contract/findings';
import { Database } from '../database/database';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';
import { noteNames } from '../usage/prices';
import { reckonRunways } from './reckon';

const GiB = 2 ** 30;
const TiB = 2 ** 40;
const dayMs = 24 * 3_600_000;
const midnight = Math.floor(Date.now() / dayMs) * dayMs;
let world: World;
let database: Database;
let maren: Caller;
let ivo: Caller;
let guest: Caller;

beforeAll(async () => {
  world = await makeWorld();
  const server = await world.start();
  maren = await world.operator(server);
  [ivo, guest] = [await new Caller(server.url).signIn('ivo'), await new Caller(server.url).signIn('guest')];
  database = new Database(world.config.databaseUrl);
  await moorClass(maren, 'ledger', ['kelp-nvme', 'basalt-broad'], { copies: 2 });
  await moorClass(maren, 'calm', ['basalt-broad'], { copies: 1 });
  await maren.ok('POST', '/api/claims', aClaim('bookings', 'ledger', { namespace: 'ferry-desk', size: '100Gi' }));
  await maren.inState('bookings', 'bound', 'ferry-desk');
  for (const volume of world.kelp.backend.volumes.values()) volume.consumed = 60 * GiB;
  await eventually(
    'it is known what is written',
    async () => (await maren.claim('bookings', 'ferry-desk')).claim.consumed === 60 * GiB,
  );
  await maren.ok('PUT', '/api/namespaces/ferry-desk/limit', { bytes: 300 * GiB });
  await maren.ok('PUT', '/api/namespaces/wave-model/limit', { bytes: 900 * GiB });
  await noteNames(database);
  await history();
});
afterAll(async () => {
  await database.close();
  await world.end();
});

const days = Array.from({ length: 40 }, (_, i) => midnight - (40 - i) * dayMs);
/** Forty days in which a pool filled up, and a namespace grew, by as much each day. */
async function history(): Promise<void> {
  const { facts } = (
    await maren.ok<{ pools: { id: string; facts: { consumedRaw: number } }[] }[]>('GET', '/api/backends')
  )
    .flatMap((b) => b.pools)
    .find((p) => p.id === 'basalt-broad')!;
  for (const month of new Set(days.map((d) => new Date(d).toISOString().slice(0, 7))))
    await world.rows(`SELECT ensure_part('rolled_1d', 'month', $1)`, [`${month}-01T00:00:00Z`]);
  await world.rows(`INSERT INTO series (kind, name) VALUES ('pool', 'basalt-broad') ON CONFLICT DO NOTHING`);
  await world.rows(
    `INSERT INTO rolled_1d (series_id, at, written_count, written_least, written_most, written_sum, written_last, iops_count, throughput_count, latency_count)
     SELECT s.id, d.at, 1, d.written, d.written, d.written, d.written, 0, 0, 0
     FROM unnest($1::timestamptz[], $2::bigint[]) AS d(at, written), series s WHERE s.kind = 'pool' AND s.name = 'basalt-broad'`,
    [
      days.map((d) => new Date(d)),
      days.map((_, i) => Math.round(facts.consumedRaw + (i - 40) * perDay + (i % 2 === 0 ? 1 : -1) * GiB)),
    ],
  );
  await world.rows('INSERT INTO use_days (day) SELECT unnest($1::timestamptz[]) ON CONFLICT DO NOTHING', [
    days.map((d) => new Date(d)),
  ]);
  await world.rows(
    `INSERT INTO use_sums (day, key_id, claims, unbound, requested, provisioned, footprint, milli_iops)
     SELECT d.day, k.id, 1, 0, d.bytes, d.bytes, 2 * d.bytes, 0 FROM unnest($1::timestamptz[], $2::bigint[]) AS d(day, bytes),
       (SELECT id FROM use_keys WHERE namespace = 'ferry-desk' AND pool_id <> '' LIMIT 1) k ON CONFLICT DO NOTHING`,
    [days.map((d) => new Date(d)), days.map((_, i) => 100 * GiB + (i - 40) * 2 * GiB)],
  );
  await reckonRunways(database, () => false);
}
const perDay = 200 * GiB;
const runways = (query = '', who = maren) => who.ok<Runways>('GET', `/api/runways${query}`);
const of = async (name: string, against: string) =>
  (await runways()).rows.find((r) => r.name === name && r.against === against)!;

test('what is reached first comes first, with its interval; what stands still is never reached', async () => {
  const { rows } = await runways();
  const hard = await of('basalt-broad', 'hard');
  expect(hard.perDay! / perDay).toBeCloseTo(1, 2);
  const left = (hard.end - hard.used) / perDay;
  if (hard.runway!.kind !== 'meets') throw new Error('it is met');
  // the line runs through what is written now at the beginning of today
  expect((hard.runway!.at - midnight) / dayMs).toBeCloseTo(left, 0);
  expect(hard.runway!.from).toBeLessThanOrEqual(hard.runway!.at);
  const limit = await of('ferry-desk', 'limit');
  // 200 GiB are left, at 2 a day
  expect((limit.runway as { at: number }).at).toBeGreaterThan(Date.now() + 99 * dayMs);
  expect((limit.runway as { at: number }).at).toBeLessThan(Date.now() + 101 * dayMs);
  expect((await of('wave-model', 'limit')).runway).toEqual({ kind: 'none' });
  // nothing is known of this one
  expect((await of('kelp-nvme', 'hard')).runway).toBeNull();
  const moments = rows.map((r) => (r.runway?.kind === 'meets' ? r.runway.at : Infinity));
  expect(moments).toEqual([...moments].sort((a, b) => a - b));
});

test('a class lasts as long as the last of its pools', async () => {
  expect((await of('calm', 'pools')).runway).toEqual((await of('basalt-broad', 'hard')).runway);
  // of one of its pools nothing is known
  expect((await of('ledger', 'pools')).runway).toBeNull();
});

test('an owner sees the own namespaces alone; what is of others is as if it were not there', async () => {
  expect((await runways('', ivo)).rows.map((r) => r.name)).toEqual(['ferry-desk']);
  const forecast = (query: string) => ivo.call('GET', `/api/forecast?${query}`);
  expect((await forecast('kind=namespace&name=ferry-desk&against=limit')).status).toBe(200);
  expect((await forecast('kind=namespace&name=wave-model&against=limit')).status).toBe(404);
  expect((await forecast('kind=pool&name=basalt-broad&against=hard')).status).toBe(404);
  expect((await ivo.call('GET', '/api/scenarios')).status).toBe(403);
});

test('how it came and how it goes on meet at what there is now', async () => {
  const told = await guest.ok<ForecastAnswer>('GET', '/api/forecast?kind=pool&name=basalt-broad&against=hard&days=30');
  expect(told.was.value.at(-1)).toBe(told.row.used);
  expect(told.was.at.length).toBeGreaterThan(25);
  expect(told.was.at.length).toBeLessThan(33);
  // as far as a part of a day goes
  expect(Math.abs(told.goesOn.value[0]! - told.row.used)).toBeLessThan(perDay);
  expect(told.goesOn.value.at(-1)).toBeGreaterThan(told.row.end);
  told.goesOn.low.forEach((low, i) => expect(low).toBeLessThanOrEqual(told.goesOn.high[i]!));
});

const wish = { days: 3, pricePerTiB: { fast: 90, standard: 30, deep: null } };
const play = (body: object) => maren.ok<WhatIfAnswer>('POST', '/api/what-if', { wish, changes: [], ...body });
const meets = (answer: WhatIfAnswer, id: string) => {
  const { hard } = answer.pools.find((p) => p.id === id)!.then;
  return hard.kind === 'meets' ? hard.at : hard.kind === 'over' ? 0 : Infinity;
};

test('what if: more disks, more growth, another class; and what to buy so that it lasts', async () => {
  const asItIs = await play({});
  const hard = await of('basalt-broad', 'hard');
  const at = (hard.runway as { at: number }).at;
  expect(Math.abs(meets(asItIs, 'basalt-broad') - at)).toBeLessThan(dayMs);
  expect(asItIs.purchases).toEqual([]);
  const day = new Date(Date.now() + dayMs).toISOString().slice(0, 10);
  const shelf = { kind: 'capacity', pool: 'basalt-broad', raw: 10 * TiB, from: day };
  expect(meets(await play({ changes: [shelf] }), 'basalt-broad')).toBeGreaterThan(at + 40 * dayMs);
  const faster = { kind: 'growth', of: 'pool', name: 'basalt-broad', times: 2 };
  expect(meets(await play({ changes: [faster] }), 'basalt-broad')).toBeLessThan(at);
  const app = { kind: 'application', className: 'calm', bytes: 500 * TiB, iops: 0, from: day };
  const large = await play({ changes: [app] });
  expect(meets(large, 'basalt-broad')).toBe(Date.parse(day));
  // as long as wished takes more
  const days = Math.ceil((at - Date.now()) / dayMs) + 100;
  const { purchases, units } = await play({ wish: { ...wish, days: Math.min(days, 1095) } });
  const buy = purchases.find((p) => p.kind === 'buy' && p.pool === 'basalt-broad');
  if (buy?.kind !== 'buy') throw new Error('it is to be bought for');
  expect(buy.raw).toBe(buy.units * units['basalt-broad']!);
  expect(buy.raw * 0.9).toBeGreaterThanOrEqual(buy.short);
  const bought = { kind: 'capacity', pool: 'basalt-broad', raw: buy.raw, from: day };
  expect((await play({ changes: [bought], wish: { ...wish, days: Math.min(days, 1095) } })).purchases).toEqual([]);
});

test('a namespace that moves to another class takes its raw bytes along', async () => {
  const { pools } = await play({ changes: [{ kind: 'move', namespace: 'ferry-desk', from: 'ledger', to: 'calm' }] });
  expect(pools.map((p) => p.id)).toContain('basalt-broad');
  const nobody = await maren.call<{ detail: string; field: string }>('POST', '/api/what-if', {
    wish,
    changes: [
      { kind: 'copy', className: 'ledger' },
      { kind: 'move', namespace: 'ferry-desk', from: 'ledger', to: 'gone' },
    ],
  });
  expect([nobody.status, nobody.data.field]).toEqual([422, 'changes.1']);
  expect(nobody.data.detail).toContain('There is no class "gone"');
});

test('a scenario is kept by its name, and changed by who read it last', async () => {
  const body = { wish, changes: [{ kind: 'growth', of: 'site', name: '', times: 1.5 }] };
  const kept = await maren.ok<KeptScenario>('PUT', '/api/scenarios/spring tides', body);
  expect(kept).toMatchObject({ ...body, name: 'spring tides', person: 'maren', version: 1 });
  const two = await Promise.all(
    [2, 3].map((times) =>
      maren.call('PUT', '/api/scenarios/spring tides', {
        ...{ wish, version: 1 },
        changes: [{ ...body.changes[0], times }],
      }),
    ),
  );
  expect(two.map((t) => t.status).sort()).toEqual([200, 412]);
  expect((await maren.call('PUT', '/api/scenarios/spring tides', body)).status).toBe(409);
  expect(await maren.ok('GET', '/api/scenarios')).toMatchObject([{ name: 'spring tides', version: 2 }]);
  await maren.ok('DELETE', '/api/scenarios/spring tides');
  expect((await maren.call('DELETE', '/api/scenarios/spring tides')).status).toBe(404);
});

test('what comes to its end soon, grew suddenly or costs more than before is a finding, each with its chart', async () => {
  // thirty quiet days of a namespace, and one in which it wrote 500 GiB
  await world.rows(`INSERT INTO series (kind, name) VALUES ('namespace', 'wave-model') ON CONFLICT DO NOTHING`);
  const written = days.map((_, i) => 100 * GiB + i * GiB + (i === 39 ? 500 * GiB : 0));
  await world.rows(
    `INSERT INTO rolled_1d (series_id, at, written_count, written_least, written_most, written_sum, written_last, iops_count, throughput_count, latency_count)
     SELECT s.id, d.at, 1, d.written, d.written, d.written, d.written, 0, 0, 0
     FROM unnest($1::timestamptz[], $2::bigint[]) AS d(at, written), series s WHERE s.kind = 'namespace' AND s.name = 'wave-model'`,
    [days.map((d) => new Date(d)), written],
  );
  for (const tier of ['fast', 'standard', 'deep'])
    await world.rows(
      `INSERT INTO rates (tier, from_at, micros_per_gib, micros_per_iops, person) VALUES ($1, '2026-01-01', 1000000, 0, 'maren')`,
      [tier],
    );
  // 82 GiB thirty days ago, 98 GiB at the beginning of the last day: less than half as much again
  const promisedThen = (bytes: number) =>
    world.rows('UPDATE use_sums SET provisioned = $1 WHERE day = $2', [bytes, new Date(days[10]!)]);
  await promisedThen(82 * GiB);
  await maren.ok('PUT', '/api/namespaces/ferry-desk/limit', { bytes: 105 * GiB });
  await reckonRunways(database, () => false);
  const found = async () =>
    (await maren.ok<FindingRow[]>('GET', '/api/findings')).filter((f) =>
      ['limit-near', 'runway-short', 'growth-sudden', 'drop-sudden', 'price-risen'].includes(f.kind),
    );
  const seen = await eventually('they are found', async () => {
    const all = await found();
    return all.some((f) => f.kind === 'limit-near') && all.some((f) => f.kind === 'growth-sudden') ? all : undefined;
  });
  expect(seen!.map((f) => [f.kind, f.subject]).sort()).toEqual([
    ['growth-sudden', 'wave-model'],
    ['limit-near', 'ferry-desk'],
  ]);
  expect(seen!.find((f) => f.kind === 'growth-sudden')!.facts).toMatchObject({ change: 501 * GiB, usual: GiB });
  expect(seen!.find((f) => f.kind === 'limit-near')!.facts).toMatchObject({ against: 'limit', used: 100 * GiB });
  // and are gone with what they were about
  await promisedThen(10 * GiB);
  await maren.ok('PUT', '/api/namespaces/ferry-desk/limit', { bytes: 900 * GiB });
  await reckonRunways(database, () => false);
  const then = await eventually('what it costs is told', async () => {
    const all = await found();
    return all.some((f) => f.kind === 'price-risen') && !all.some((f) => f.kind === 'limit-near') ? all : undefined;
  });
  expect(then!.find((f) => f.kind === 'price-risen')!.facts).toMatchObject({ usual: 10 });
});

test('what has no limit any more has no runway any more', async () => {
  await maren.ok('PUT', '/api/namespaces/wave-model/limit', { bytes: null });
  await reckonRunways(database, () => false);
  expect((await runways('?kind=namespace')).rows.map((r) => r.name)).toEqual(['ferry-desk']);
});
