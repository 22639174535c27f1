import type { History, HistoryQuery } from '@moorage/contract/history';
import { backendNodes } from '../backends/inventory-model';
import { registered } from '../backends/backend-model';
import type { Database } from '../database/database';
import { platformObjects } from '../mirror/mirror-model';
import { moorings } from '../moorings/mooring-model';
import { Sight } from '../people/sight';
import { migratedDatabase } from '../testing/databases';
import { seedUse } from '../testing/used';
import { differences } from './happenings';
import { getHistory } from './history';
import { siteClock } from './use-model';

const begin = Date.now() - 3 * 3_600_000;
let database: Database;
let end: () => Promise<void>;
beforeEach(async () => {
  ({ database, end } = await migratedDatabase());
  await seedUse(database, new Date(begin));
});
afterEach(() => end());

const ahead = (byMs: number) => siteClock.in(database).increment('aheadMs', { by: byMs, where: { id: 1 } });
const ask = async (of: HistoryQuery['of'], name: string, sight = Sight.everything): Promise<History['events']> => {
  const [row] = await database.rows<{ now: Date }>(`SELECT site_now() + interval '1 ms' AS now`);
  const told = await getHistory(database, sight, {
    ...{ of, name, from: new Date(begin - 60_000).toISOString(), to: row!.now.toISOString() },
  });
  return told.events.filter((e) => e.kind !== 'made');
};
const set = (id: string, values: { reachable?: boolean; healthy?: boolean }) =>
  registered.in(database).update(values, { where: { id } });

test('a backend that is silent is told of as long as it was, where its pools are used; before its first word it has not failed', async () => {
  expect(await ask('site', '')).toEqual([]);
  await set('kelp', { reachable: false });
  await set('kelp', { reachable: true, healthy: true });
  expect(await ask('site', '')).toEqual([]);
  await set('kelp', { reachable: false });
  await ahead(600_000);
  const lasting = await ask('namespace', 'n1');
  expect(lasting).toMatchObject([{ kind: 'silent', subject: 'kelp', backend: 'kelp', until: null }]);
  await set('kelp', { reachable: true });
  for (const [of, name] of [
    ['site', ''],
    ['namespace', 'n1'],
    ['class', 'general'],
    ['pool', 'p1'],
    ['backend', 'kelp'],
    ['claim', 'n1/c2'],
  ] as const) {
    const [told, ...others] = await ask(of, name);
    expect([of, told?.kind, others]).toEqual([of, 'silent', []]);
    expect(Math.round((told!.until! - told!.at) / 60_000)).toBe(10);
  }
  // on the other backend nothing failed
  for (const [of, name] of [
    ['namespace', 'n0'],
    ['pool', 'p0'],
    ['backend', 'basalt'],
    ['claim', 'n1/c1'],
  ] as const)
    expect(await ask(of, name)).toEqual([]);
});

test('of nodes, disks and backends that are not well, each failure counts once, and ends with what failed', async () => {
  await set('kelp', { reachable: true, healthy: true });
  const node = await backendNodes.in(database).create({ backendId: 'kelp', name: 'k1', zone: '', rack: '', up: false });
  await node.update({ rack: 'r2' });
  await database.rows(`INSERT INTO backend_disks (backend_id, id, node, media, capacity, works, failing, lasting, life_left, use)
    VALUES ('kelp', 'd1', 'k1', 'nvme', 1, false, false, true, 90, 'data')`);
  await set('kelp', { healthy: false });
  await ahead(60_000);
  expect((await ask('backend', 'kelp')).map((e) => [e.kind, e.subject, e.until])).toEqual([
    ['node', 'k1', null],
    ['disk', 'd1', null],
    ['ill', 'kelp', null],
  ]);
  await node.update({ up: true });
  await database.rows('DELETE FROM backend_disks');
  await set('kelp', { healthy: true });
  const over = await ask('backend', 'kelp');
  expect(over).toHaveLength(3);
  expect(over.every((e) => e.until !== null && e.until - e.at >= 60_000)).toBe(true);
});

test('a class that is made anew with other settings was changed, and its moorings come, change and go', async () => {
  const storageClass = (uid: string, reclaimPolicy: string) =>
    platformObjects.in(database).create({
      ...({
        plural: 'storageclasses',
        uid,
        namespace: '',
        name: 'general',
        version: uid,
        createdAt: new Date(),
      } as const),
      body: {
        metadata: { name: 'general', uid },
        provisioner: 'x',
        reclaimPolicy,
        parameters: { copies: '2' },
      } as never,
    });
  await storageClass('1', 'Delete');
  await ahead(1000);
  await moorings.in(database).create({ className: 'general', poolId: 'p0', rank: 1 } as never);
  await ahead(1000);
  await platformObjects.in(database).destroy({ where: { uid: '1' } });
  await storageClass('2', 'Retain');
  await ahead(1000);
  // made anew as it was: nothing that changed
  await platformObjects.in(database).destroy({ where: { uid: '2' } });
  await storageClass('3', 'Retain');
  await ahead(1000);
  await moorings.in(database).update({ rank: 2 }, { where: { className: 'general' } });
  await ahead(1000);
  await moorings.in(database).destroy({ where: { className: 'general' } });
  await ahead(1000);
  const mooringsOf = [
    ['mooring', null, 'p0', []],
    ['mooring', 'p0', 'p0', [{ name: 'order', from: '1', to: '2' }]],
    ['mooring', 'p0', null, []],
  ];
  const told = (events: History['events']) => events.map((e) => [e.kind, e.fromPool, e.toPool, e.changes]);
  const all = [
    mooringsOf[0],
    ['class', null, null, [{ name: 'reclaimPolicy', from: 'Delete', to: 'Retain' }]],
    ...mooringsOf.slice(1),
  ];
  expect(told(await ask('site', ''))).toEqual(all);
  expect(told(await ask('class', 'general'))).toEqual(all);
  expect(told(await ask('namespace', 'n0'))).toEqual(all);
  expect(told(await ask('pool', 'p0'))).toEqual(mooringsOf);
  expect(told(await ask('pool', 'p1'))).toEqual([]);
});

test('a class that nobody uses tells of its changes, and of many the rest is counted', async () => {
  await database.rows(`INSERT INTO facts_held (kind, name, fact, from_at, until_at)
    SELECT 'class', 'unused', jsonb_build_object('n', i), now() - (500 - i) * interval '1 second', now() - (499 - i) * interval '1 second'
    FROM generate_series(1, 402) i`);
  const [row] = await database.rows<{ now: Date }>('SELECT site_now() AS now');
  const told = await getHistory(database, Sight.everything, {
    ...{ of: 'class', name: 'unused', from: new Date(begin).toISOString(), to: row!.now.toISOString() },
  });
  // 401 changes after the first
  expect([told.events.length, told.more]).toEqual([300, 101]);
  expect(told.events[0]!.changes).toEqual([{ name: 'n', from: '1', to: '2' }]);
});

test('settings differ by their names, in parts too', () => {
  expect(
    differences({ a: 1, p: { x: 'on', y: 2 }, same: [1] }, { a: 2, p: { x: 'on' }, new: true, same: [1] }),
  ).toEqual([
    { name: 'a', from: '1', to: '2' },
    { name: 'new', from: null, to: 'true' },
    { name: 'p.y', from: '2', to: null },
  ]);
});
