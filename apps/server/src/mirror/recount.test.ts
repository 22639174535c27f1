import pino from 'pino';
import type { Database } from '../database/database';
import { Metrics } from '../metrics/metrics';
import { migratedDatabase } from '../testing/databases';
import { fillSite } from '../testing/filling';
import pg from 'pg';
import { Recounter } from './recount';

let database: Database;
let end: () => Promise<void>;
const metrics = new Metrics();
const told: string[] = [];
let recounter: Recounter;

beforeAll(async () => {
  const made = await migratedDatabase();
  ({ database, end } = made);
  const client = new pg.Client({ connectionString: made.url });
  await client.connect();
  await fillSite(client, { claims: 3000, namespaces: 40, classes: 12, pools: 40, seed: 7 });
  await client.end();
  recounter = new Recounter(database, metrics, pino({ level: 'error' }, { write: (line) => told.push(line) }));
});
afterAll(() => end());

test('a filled site is kept as recounting says', async () => {
  expect(await recounter.all()).toEqual([]);
});

test.each([
  [
    'a claim said to stand otherwise',
    `UPDATE claim_states SET state = 'binding' WHERE name = 'data-keel-5-1'`,
    'claims',
    /^claim /,
  ],
  [
    'a claim that is kept and not there',
    `INSERT INTO claim_states VALUES ('ghost', 'team-0001', 'ghost', 'berth-01', 1, now(), 'bound', false)`,
    'claims',
    /^claim ghost$/,
  ],
  ['a claim that is there and not kept', `DELETE FROM claim_states WHERE name = 'data-keel-7-1'`, 'claims', /^claim /],
  [
    'a number of claims',
    `UPDATE claim_totals SET claims = claims + 2 WHERE (namespace, class_name) IN (SELECT namespace, class_name FROM claim_totals LIMIT 1)`,
    'namespaces',
    /^claims of team-/,
  ],
  [
    'what a namespace has reserved',
    `UPDATE held_totals SET bytes = bytes - 7 WHERE (namespace, class_name) IN (SELECT namespace, class_name FROM held_totals LIMIT 1)`,
    'namespaces',
    /^held by team-/,
  ],
  [
    'what is foreign on a pool',
    `UPDATE pool_sums SET foreign_raw = foreign_raw + 1 WHERE pool_id = 'reef-01-a'`,
    'pools',
    /^pool reef-01-a$/,
  ],
  [
    'what is promised on a disk',
    `UPDATE disk_use SET bytes = bytes + 1 WHERE disk IN (SELECT min(disk) FROM disk_use)`,
    'pools',
    /^disk eui\./,
  ],
  [
    'a disk of which nothing was known',
    `DELETE FROM disk_use WHERE disk IN (SELECT max(disk) FROM disk_use)`,
    'pools',
    /^disk eui\./,
  ],
])('%s that is off is put right, counted and told', async (_what, spoil, facts, named) => {
  const counted = async () =>
    (await metrics.differences.get()).values.find((v) => v.labels.facts === facts)?.value ?? 0;
  const before = await counted();
  told.length = 0;
  await database.rows(spoil);
  const off = await recounter.all();
  expect(off).toEqual([expect.stringMatching(named)]);
  expect(await counted()).toBe(before + 1);
  expect(told.join()).toContain(off[0]);
  expect(await recounter.all()).toEqual([]);
});

test('turns go round, a part of each at a time', async () => {
  const ghosts = Array.from(
    { length: 3 },
    (_, i) => `UPDATE claim_states SET stuck = NOT stuck WHERE name = 'data-keel-${i}-0'`,
  );
  for (const spoil of ghosts) await database.rows(spoil);
  const counted = async () => (await metrics.differences.get()).values.find((v) => v.labels.facts === 'claims')!.value;
  const before = await counted();
  // 2,985 claims, a thousand in each turn
  for (let turn = 0; turn < 3; turn++) await recounter.some();
  expect(await counted()).toBe(before + 3);
});
