import type { Waste } from '@moorage/contract/waste';
import { sketchOf } from '@moorage/core/usage/sketch';
import { Database } from '../database/database';
import { aClaim, Caller, makeWorld, moorClass, type World } from '../testing/world';
import { reckonWaste } from './waste';

const GiB = 2 ** 30;
const dayMs = 24 * 3_600_000;
const midnight = Math.floor(Date.now() / dayMs) * dayMs;
let world: World;
let database: Database;
let maren: Caller;
let ivo: Caller;
const uids = new Map<string, string>();

beforeAll(async () => {
  world = await makeWorld();
  const server = await world.start();
  maren = await world.operator(server);
  ivo = await new Caller(server.url).signIn('ivo');
  database = new Database(world.config.databaseUrl);
  await moorClass(maren, 'swift', ['basalt-swift'], { copies: 1, iopsFloor: { kind: 'fixed', value: 200 } });
  await moorClass(maren, 'calm', ['basalt-broad'], { copies: 1, iopsCeiling: { kind: 'fixed', value: 500 } });
  await moorClass(maren, 'never', ['basalt-broad'], { copies: 1 });
  for (const [namespace, name, className] of [
    ['ferry-desk', 'busy', 'swift'],
    ['ferry-desk', 'slow', 'swift'],
    ['wave-model', 'full', 'calm'],
  ] as const) {
    await maren.ok('POST', '/api/claims', aClaim(name, className, { namespace, size: '100Gi' }));
    uids.set(name, (await maren.inState(name, 'bound', namespace)).claim.uid);
  }
  for (const tier of ['fast', 'standard', 'deep'])
    await world.rows(
      `INSERT INTO rates (tier, from_at, micros_per_gib, micros_per_iops, person) VALUES ($1, '2026-01-01', $2, 1000, 'maren')`,
      [tier, tier === 'fast' ? 300_000 : 100_000],
    );
  await world.rows(
    `INSERT INTO held_as (kind, name, value, from_at) VALUES ('tier', 'basalt-swift', 'fast', '2026-01-01'), ('tier', 'basalt-broad', 'standard', '2026-01-01')
     ON CONFLICT DO NOTHING`,
  );
  // three weeks ago
  await world.rows(`UPDATE uses SET from_at = now() - interval '21 days'`);
  await world.rows(
    `UPDATE platform_objects SET created_at = now() - interval '40 days' WHERE plural = 'storageclasses'`,
  );
  for (const [name, gib, iops] of [
    // more than the other array has left
    ['busy', 80, 60_000],
    ['slow', 5, 40],
    ['full', 90, 10],
  ] as const)
    await profile(uids.get(name)!, gib, iops);
});
afterAll(async () => {
  await database.close();
  await world.end();
});

/** Sixteen days in which a claim held so much and did so much. */
async function profile(uid: string, gib: number, iops: number): Promise<void> {
  const at = Array.from({ length: 16 }, (_, i) => new Date(midnight - (16 - i) * dayMs));
  for (const month of new Set(at.map((d) => d.toISOString().slice(0, 7))))
    await world.rows(`SELECT ensure_part('rolled_1d', 'month', $1)`, [`${month}-01T00:00:00Z`]);
  await world.rows(`INSERT INTO series (kind, name) VALUES ('claim', $1) ON CONFLICT DO NOTHING`, [uid]);
  await world.rows(
    `INSERT INTO rolled_1d (series_id, at, written_count, written_least, written_most, written_sum, written_last, iops_count, iops_most, iops_sketch, throughput_count, latency_count)
     SELECT s.id, d, 1, $3::bigint, $3::bigint, $3::bigint, $3::bigint, 1, $4::double precision, $5::integer[], 0, 0 FROM unnest($2::timestamptz[]) d, series s WHERE s.kind = 'claim' AND s.name = $1`,
    [uid, at, gib * GiB, iops, [...sketchOf([iops])]],
  );
}
const found = async (query = '', who = maren) => who.ok<Waste>('GET', `/api/waste${query}`);
const named = async (query = '', who = maren) =>
  (await found(query, who)).rows.map((r) => `${r.kind} ${r.name}`).sort();
const reckon = () => reckonWaste(database, () => false);

test('what nobody mounts, what holds far less than it has, what is faster than it needs, and a class that nobody uses', async () => {
  await reckon();
  expect(await named()).toEqual([
    'class-unused never',
    'oversized slow',
    'too-fast slow',
    'unmounted busy',
    'unmounted full',
    'unmounted slow',
  ]);
  const { rows, sums, currency } = await found();
  const of = (kind: string, name: string) => rows.find((r) => r.kind === kind && r.name === name)!;
  // 100 GiB at 0.30 and 200 IOPS at 0.001
  expect(of('unmounted', 'slow')).toMatchObject({ cost: 30.2, saved: 30.2, bytes: 100 * GiB });
  // twice the 5 GiB that it held are enough
  expect(of('oversized', 'slow')).toMatchObject({ raw: 90 * GiB, saved: 27, facts: { written: 5 * GiB } });
  // 40 of the 500 that it lets through, at 0.10
  const fast = of('too-fast', 'slow');
  expect(fast).toMatchObject({ facts: { better: 'calm' } });
  expect(fast.saved).toBeCloseTo(20.2, 6);
  expect(fast.facts.p95! / 40).toBeCloseTo(1, 1);
  expect(rows.map((r) => r.saved)).toEqual([...rows.map((r) => r.saved)].sort((a, b) => b - a));
  expect(sums.find((s) => s.kind === 'unmounted')).toMatchObject({ count: 3, saved: 70.4 });
  expect(currency).toBe('EUR');
});

test('a pod that mounts a claim ends that, for as long as it is told', async () => {
  await world.rows(
    `INSERT INTO platform_objects (plural, uid, namespace, name, version, body, phase, created_at)
     VALUES ('pods', 'pod-1', 'ferry-desk', 'reader', '1', $1, 'Running', now())`,
    [
      JSON.stringify({
        metadata: { name: 'reader', namespace: 'ferry-desk' },
        spec: {
          volumes: [
            { name: 'd', persistentVolumeClaim: { claimName: 'busy' } },
            { name: 'e', emptyDir: {} },
          ],
        },
      }),
    ],
  );
  await reckon();
  expect(await named('?kind=unmounted')).toEqual(['unmounted full', 'unmounted slow']);
  // the pod ends: it counts from now on
  await world.rows(`DELETE FROM platform_objects WHERE uid = 'pod-1'`);
  await reckon();
  expect(await named('?kind=unmounted')).toEqual(['unmounted full', 'unmounted slow']);
  await world.rows(`UPDATE claim_mounts SET last_at = now() - interval '15 days'`);
  await reckon();
  expect(await named('?kind=unmounted')).toContain('unmounted busy');
});

test('an owner sees and sets aside the own alone; what is set aside comes back with its day', async () => {
  expect(await named('', ivo)).toEqual(['oversized slow', 'too-fast slow', 'unmounted busy', 'unmounted slow']);
  const aside = (who: Caller, name: string, until = '2099-01-01') =>
    who.call('POST', '/api/waste/aside', {
      ...{ which: [{ kind: 'unmounted', subject: uids.get(name) }], reason: 'for the yearly report', until },
    });
  expect((await aside(ivo, 'full')).status).toBe(404);
  expect((await aside(ivo, 'busy', '2020-01-01')).status).toBe(422);
  expect((await aside(ivo, 'busy')).status).toBe(204);
  expect(await named('?kind=unmounted', ivo)).toEqual(['unmounted slow']);
  const { rows, aside: count } = await found('?aside=yes');
  expect(rows.map((r) => [r.name, r.aside?.reason, r.aside?.person])).toEqual([
    ['busy', 'for the yearly report', 'ivo'],
  ]);
  expect(count).toBe(1);
  await world.rows(`UPDATE findings_aside SET until = current_date - 1 WHERE id LIKE 'waste:%'`);
  expect(await named('?kind=unmounted', ivo)).toEqual(['unmounted busy', 'unmounted slow']);
  expect((await aside(ivo, 'busy')).status).toBe(204);
  await ivo.ok('POST', '/api/waste/taken-up', { which: [{ kind: 'unmounted', subject: uids.get('busy') }] });
  expect(await named('?kind=unmounted', ivo)).toEqual(['unmounted busy', 'unmounted slow']);
});

test('what is put right is gone, and so is what is deleted', async () => {
  await profile2(uids.get('slow')!);
  await maren.ok('DELETE', '/api/claims/wave-model/full?confirm=full');
  await world.rows(`DELETE FROM platform_objects WHERE uid = $1`, [uids.get('full')!]);
  await reckon();
  expect(await named()).not.toContain('oversized slow');
  expect(await named('?q=full')).toEqual([]);
});
/** It holds much on the last day. */
const profile2 = (uid: string) =>
  world.rows(
    `UPDATE rolled_1d SET written_most = $2 WHERE series_id = (SELECT id FROM series WHERE kind = 'claim' AND name = $1) AND at = $3`,
    [uid, 60 * GiB, new Date(midnight - dayMs)],
  );
