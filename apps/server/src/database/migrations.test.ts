import { makeDatabase } from '../testing/databases';
import { Database } from './database';
import { migrate, migrations } from './migrations';

let made: Awaited<ReturnType<typeof makeDatabase>>;
let database: Database;
const secret = Buffer.alloc(32, 7);
beforeEach(async () => {
  made = await makeDatabase();
  database = new Database(made.url);
});
afterEach(async () => {
  await database.close();
  await made.drop();
});

/** A database as an earlier release left it. */
async function upTo(count: number): Promise<void> {
  await database.rows('CREATE TABLE migrations (name text PRIMARY KEY)');
  for (const { name, up } of migrations.slice(0, count)) {
    await up(database, secret);
    await database.rows('INSERT INTO migrations VALUES ($1)', [name]);
  }
}
const poolOf = (id: string) =>
  database.one<{ reserved_raw: number; reserved_bytes: number; promised_iops: number }>(
    'SELECT reserved_raw, reserved_bytes, promised_iops FROM pools WHERE id = $1',
    [id],
  );

test('servers that start together bring an empty database up to date once', async () => {
  await Promise.all([migrate(database, secret), migrate(database, secret), migrate(database, secret)]);
  expect(await database.rows('SELECT name FROM migrations ORDER BY name')).toEqual(
    migrations.map(({ name }) => ({ name })),
  );
});

test('second copies and kept plans of a release before are there after it, counted as they were', async () => {
  await upTo(3);
  await database.rows(
    `INSERT INTO backends (id, title, address, username, secret) VALUES ('basalt', 'Basalt', 'http://x', 'u', ''), ('kelp', 'Kelp', 'http://y', 'u', '')`,
  );
  await database.rows(
    `INSERT INTO pools (id, backend_id, name, path, facts) VALUES ('swift', 'basalt', 'swift', '/p/1', '{}'), ('nvme', 'kelp', 'nvme', '/p/2', '{}')`,
  );
  await database.rows(
    `INSERT INTO reservations (claim_uid, namespace, claim_name, class_name, reclaim, pool_id, bytes, raw_bytes, iops_floor, backend_iops, volume_name)
     VALUES ('c1', 'ferry-desk', 'bookings', 'ledger', 'Delete', 'swift', 100, 100, 0, 0, 'pvc-c1')`,
  );
  await database.rows(
    `INSERT INTO second_copies (claim_uid, pool_id, bytes, raw_bytes, backend_iops, backend_throughput, volume_id)
     VALUES ('c1', 'nvme', 100, 300, 20, 0, 'v-9')`,
  );
  await database.rows(
    `INSERT INTO planned_places (namespace, claim_name, pool_id, person) VALUES ('ferry-desk', 'a', 'swift', 'maren'), ('ferry-desk', 'b', 'swift', 'maren')`,
  );
  const before = await poolOf('nvme');
  expect(before).toEqual({ reserved_raw: 300, reserved_bytes: 100, promised_iops: 20 });

  await migrate(database, secret);
  expect(await database.rows('SELECT claim_uid, mode, pool_id, raw_bytes, volume_id FROM further_copies')).toEqual([
    { claim_uid: 'c1', mode: 'synchronous', pool_id: 'nvme', raw_bytes: 300, volume_id: 'v-9' },
  ]);
  expect(await poolOf('nvme')).toEqual(before);
  expect(await database.one('SELECT count(DISTINCT plan) AS plans FROM planned_places')).toEqual({ plans: 2 });

  // one of each kind, each counted, and both gone with the reservation
  await database.rows(
    `INSERT INTO further_copies (claim_uid, mode, pool_id, bytes, raw_bytes, backend_iops, backend_throughput)
     VALUES ('c1', 'asynchronous', 'nvme', 100, 200, 0, 0)`,
  );
  expect((await poolOf('nvme'))!.reserved_raw).toBe(500);
  await expect(
    database.rows(
      `INSERT INTO further_copies (claim_uid, mode, pool_id, bytes, raw_bytes, backend_iops, backend_throughput)
       VALUES ('c1', 'asynchronous', 'swift', 1, 1, 0, 0)`,
    ),
  ).rejects.toThrow();
  await database.rows(`DELETE FROM reservations WHERE claim_uid = 'c1'`);
  expect(await poolOf('nvme')).toEqual({ reserved_raw: 0, reserved_bytes: 0, promised_iops: 0 });
  expect(await database.rows('SELECT 1 FROM further_copies')).toEqual([]);
});
