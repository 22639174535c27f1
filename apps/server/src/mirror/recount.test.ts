import pg from 'pg';
import pino from 'pino';
import type { Model } from 'sequelize';
import type { Database } from '../database/database';
import type { Table } from '../database/table';
import { Metrics } from '../metrics/metrics';
import { diskUse, heldTotals, poolSums } from '../pools/sums-model';
import { migratedDatabase } from '../testing/databases';
import { fillSite } from '../testing/filling';
import { claimStates, claimTotals } from './claim-state-model';
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

const counted = async (facts: string): Promise<number> =>
  (await metrics.differences.get()).values.find((v) => v.labels.facts === facts)?.value ?? 0;
const claimNamed = async (name: string) => (await claimStates.in(database).findOne({ where: { name } }))!;
/** The first row of a table. */
const firstOf = async <M extends Model>(of: Table<M>, by: string) =>
  (await of.in(database).findOne({ order: [[by, 'ASC']] }))!;

test('a filled site is kept as recounting says', async () => {
  expect(await recounter.all()).toEqual([]);
});

const spoils: readonly (readonly [what: string, spoil: () => Promise<unknown>, facts: string, named: RegExp])[] = [
  [
    'how a claim stands',
    async () => (await claimNamed('data-keel-5-1')).update({ state: 'lost' }),
    'claims',
    /^claim /,
  ],
  ['a claim that is there', async () => (await claimNamed('data-keel-7-1')).destroy(), 'claims', /^claim /],
  [
    'a claim that is not there',
    async () =>
      claimStates
        .in(database)
        .bulkCreate([{ ...(await claimNamed('data-keel-5-1')).get(), claimUid: 'ghost', name: 'ghost' }]),
    'claims',
    /^claim ghost$/,
  ],
  [
    'a number of claims',
    async () => (await firstOf(claimTotals, 'namespace')).increment('claims', { by: 2 }),
    'namespaces',
    /^claims of team-/,
  ],
  [
    'what a namespace has reserved',
    async () => (await firstOf(heldTotals, 'namespace')).decrement('bytes', { by: 7 }),
    'namespaces',
    /^held by team-/,
  ],
  [
    'what is foreign on a pool',
    async () => (await firstOf(poolSums, 'poolId')).increment('foreignRaw', { by: 1 }),
    'pools',
    /^pool reef-01-a$/,
  ],
  [
    'what is promised on a disk',
    async () => (await firstOf(diskUse, 'disk')).increment('bytes', { by: 1 }),
    'pools',
    /^disk eui/,
  ],
  ['a disk that is in use', async () => (await firstOf(diskUse, 'disk')).destroy(), 'pools', /^disk eui/],
];
test.each(spoils)('%s that is off is put right, counted and told', async (_what, spoil, facts, named) => {
  const before = await counted(facts);
  told.length = 0;
  await spoil();
  const off = await recounter.all();
  expect(off).toEqual([expect.stringMatching(named)]);
  expect(await counted(facts)).toBe(before + 1);
  expect(told.join()).toContain(off[0]);
  expect(await recounter.all()).toEqual([]);
});

test('turns go round, a part of each at a time', async () => {
  for (let i = 0; i < 3; i++) await (await claimNamed(`data-keel-${i}-0`)).update({ stuck: true });
  const before = await counted('claims');
  // 2,985 claims, a thousand in each turn
  for (let turn = 0; turn < 3; turn++) await recounter.some();
  expect(await counted('claims')).toBe(before + 3);
});
