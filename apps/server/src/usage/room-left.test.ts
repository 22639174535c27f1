import { pino } from 'pino';
import type { Database } from '../database/database';
import { reservations } from '../reservations/reservation-model';
import { migratedDatabase } from '../testing/databases';
import { seedUse, usedVolume } from '../testing/used';
import { UsageKeeper } from './keeper';
import { freeOn, reserveBytes } from './room-left';
import { samples, samplingStops } from './sample-model';

let database: Database;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
  await seedUse(database, new Date(Date.now() - 3_600_000));
});
afterAll(() => end());
beforeEach(() => database.rows('TRUNCATE samples, sampled, series, sampling_stops'));
afterEach(() => database.rows('DROP TRIGGER IF EXISTS full_disk ON sampled'));

const keeperWith = (free: () => Promise<number | null>) =>
  new UsageKeeper(
    database,
    { fetchTime: () => Promise.resolve(new Date()) },
    // what was told before is nothing here
    { connector: () => new Promise(() => undefined) },
    pino({ level: 'silent' }),
    () => false,
    free,
  );
const seen = () => ({ view: { volumes: [usedVolume(0, 7)] } as never, at: new Date() });

test('with little room on the disk nothing is sampled and it is told; binding goes on, and sampling once there is room', async () => {
  let free = reserveBytes - 1;
  const keeper = keeperWith(() => Promise.resolve(free));
  await keeper.take('basalt', seen());
  await keeper.take('basalt', seen());
  expect(await samples.in(database).count()).toBe(0);
  expect(await samplingStops.in(database).findAll({ raw: true })).toMatchObject([{ id: 1, free: reserveBytes - 1 }]);
  await reservations.in(database).update({ iopsFloor: 3 }, { where: { claimUid: 'u0' } });
  free = reserveBytes;
  await keeper.take('basalt', seen());
  expect(await samples.in(database).count()).toBeGreaterThan(0);
  expect(await samplingStops.in(database).count()).toBe(0);
});

test('a disk that turns out to be full stops sampling for a time, and nothing else; another fault is no full disk', async () => {
  const raising = (code: string) =>
    database.rows(`CREATE OR REPLACE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS '
      BEGIN RAISE EXCEPTION ''could not extend file'' USING ERRCODE = ''${code}''; END'`);
  await raising('53100');
  await database.rows('CREATE TRIGGER full_disk BEFORE INSERT ON sampled FOR EACH ROW EXECUTE FUNCTION full_disk()');
  const keeper = keeperWith(() => Promise.resolve(null));
  await keeper.take('basalt', seen());
  expect(await samplingStops.in(database).findAll({ raw: true })).toMatchObject([{ free: 0 }]);
  await database.rows('DROP TRIGGER full_disk ON sampled');
  // it would be full again with the next sample
  await keeper.take('basalt', seen());
  expect(await samples.in(database).count()).toBe(0);
  await raising('22000');
  await database.rows('CREATE TRIGGER full_disk BEFORE INSERT ON sampled FOR EACH ROW EXECUTE FUNCTION full_disk()');
  await expect(keeperWith(() => Promise.resolve(null)).take('basalt', seen())).rejects.toThrow();
});

test('free bytes are those of the disk of a folder; without one nobody knows', async () => {
  expect(await freeOn(undefined)).toBeNull();
  expect(await freeOn('/nowhere/at/all')).toBeNull();
  expect(await freeOn('/tmp')).toBeGreaterThan(0);
});
