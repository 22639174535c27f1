import type { HistoryQuery } from '@moorage/contract/history';
import type { Database } from '../database/database';
import { platformObjects } from '../mirror/mirror-model';
import { Sight } from '../people/sight';
import { reservations } from '../reservations/reservation-model';
import { migratedDatabase } from '../testing/databases';
import { seedUse, tellOf, usedVolume } from '../testing/used';
import { getHistory } from './history';
import { rollUp } from './sampling';

const GiB = 2 ** 30;
const minuteMs = 60_000;
const begin = new Date(Math.floor((Date.now() - 100 * minuteMs) / (5 * minuteMs)) * 5 * minuteMs);
let database: Database;
let end: () => Promise<void>;
beforeEach(async () => {
  ({ database, end } = await migratedDatabase());
  await seedUse(database, new Date(begin.getTime() - 60 * minuteMs));
  const tell = tellOf(database, begin);
  for (let n = 0; n < 20; n++) {
    const counted = { operations: n * 600 + (n === 17 ? 300 : 0), bytes: n * 4096, busyMs: n * 600 };
    await tell('basalt', n, [usedVolume(0, 100 + n, counted), usedVolume(1, 10)]);
    // silent for ten minutes
    if (n < 5 || n >= 15) await tell('kelp', n, [usedVolume(2, 1000)]);
  }
  await rollUp(database);
});
afterEach(() => end());

const minute = (n: number) => new Date(begin.getTime() + n * minuteMs).toISOString();
const owner = Sight.of({ name: 'ivo', title: '', role: 'namespace-owner', namespaces: ['n1'] });
const ask = (of: HistoryQuery['of'], name: string, [from, to] = [0, 20], sight = Sight.everything) =>
  getHistory(database, sight, { of, name, from: minute(from), to: minute(to) });

test('spans tell the least, the mean and the most of each, and the seldom peaks; what was silent is a gap', async () => {
  expect(await ask('namespace', 'n0')).toMatchObject({
    step: '5m',
    at: [0, 5, 10, 15].map((n) => begin.getTime() + n * minuteMs),
    written: { least: [100, 105, 110, 115], mean: [102, 107, 112, 117], most: [104, 109, 114, 119] },
    iops: { most: [10, 10, 10, 15] },
    provisioned: [GiB, GiB, GiB, GiB],
    claims: [1, 1, 1, 1],
  });
  expect((await ask('namespace', 'n1')).written.mean).toEqual([1010, null, null, 1010]);
  expect((await ask('site', '')).written.most).toEqual([1114, null, null, 1129]);
  expect((await ask('pool', 'p1', [0, 4])).written.mean).toEqual([500, 500, 500, 500]);
  const p95 = (await ask('namespace', 'n0')).iops.p95[1]!;
  expect(p95).toBeGreaterThan(9.5);
  expect(p95).toBeLessThan(10.5);
});

test('what became of claims and limits stands at its time, and of the rest only how many', async () => {
  await database.rows(`INSERT INTO limits (namespace, class_name, bytes) VALUES ('n0', '', ${9 * GiB})`);
  await reservations.in(database).update({ bytes: 3 * GiB, rawBytes: 3 * GiB }, { where: { claimUid: 'u0' } });
  await reservations.in(database).update({ poolId: 'p1' }, { where: { claimUid: 'u0' } });
  await platformObjects.in(database).destroy({ where: { uid: 'u0' } });
  const told = await getHistory(database, Sight.everything, {
    ...{ of: 'namespace', name: 'n0', from: minute(-70), to: new Date(Date.now() + 1000).toISOString() },
  });
  expect(told.events.map((e) => [e.kind, e.subject, e.from, e.to, e.fromPool, e.toPool])).toEqual([
    ['made', 'c0', null, GiB, null, null],
    ['limit', '', null, 9 * GiB, null, null],
    ['grown', 'c0', GiB, 3 * GiB, null, null],
    ['moved', 'c0', 3 * GiB, 3 * GiB, 'p0', 'p1'],
    ['gone', 'c0', 3 * GiB, null, null, null],
  ]);
  expect([told.more, told.provisioned.at(-1), told.limit.at(-1)]).toEqual([0, 3 * GiB, 9 * GiB]);
});

test('a claim that is gone has its history still, by its name', async () => {
  await platformObjects.in(database).destroy({ where: { uid: 'u0' } });
  await reservations.in(database).destroy({ where: { claimUid: 'u0' } });
  expect(await ask('claim', 'n0/c0', [0, 4])).toMatchObject({
    step: '1m',
    written: { mean: [100, 101, 102, 103] },
    iops: { mean: [null, 10, 10, 10] },
    latency: { mean: [null, 1, 1, 1] },
  });
});

test.each([
  ['namespace', 'n0'],
  ['claim', 'n0/c0'],
  ['site', ''],
  ['class', 'general'],
  ['pool', 'p0'],
  ['backend', 'basalt'],
  ['claim', 'n1/none'],
] as const)('who owns n1 alone is told nothing of %s %s, as if it were not there', async (of, name) => {
  await expect(ask(of, name, [0, 20], owner)).rejects.toMatchObject({ kind: 'not-found' });
  expect((await ask('namespace', 'n1', [0, 20], owner)).claims).toEqual([2, 2, 2, 2]);
});

test.each([
  [20, 0, 'from'],
  [-3 * 365 * 24 * 60 * 2, 0, 'from'],
])('from minute %d to %d is refused with its reason', async (from, to, field) => {
  await expect(ask('site', '', [from, to])).rejects.toMatchObject({ field });
});
