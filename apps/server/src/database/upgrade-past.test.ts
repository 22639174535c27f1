import { releases, secret } from '../testing/releases';
import { migrate } from './migrations';

const { releaseOf, dropAll } = releases();
afterEach(dropAll);

test('what a month promised so far is summed up for the days that are kept, and what fails at the upgrade is known to', async () => {
  const { database } = await releaseOf(29);
  await database.rows(`INSERT INTO backends (id, title, address, username, secret, reachable, healthy, checked_at) VALUES
    ('silent', 's', 'http://s', 'u', '', false, true, now()), ('ill', 'i', 'http://i', 'u', '', true, false, now()),
    ('well', 'w', 'http://w', 'u', '', true, true, now()), ('new', 'n', 'http://n', 'u', '', false, false, now())`);
  const key = `INSERT INTO use_keys (id, namespace, class_name, pool_id, application) VALUES (1, 'n', 'c', 'p', '')`;
  const changes = `INSERT INTO use_changes (at, key_id, claims, unbound, requested, provisioned, footprint, milli_iops) VALUES
    ('2026-10-30T12:00Z', 1, 1, 0, 10, 10, 10, 0), ('2026-11-01T06:00Z', 1, -1, 0, -10, -10, -10, 0)`;
  const sums = `INSERT INTO use_sums (day, key_id, claims, unbound, requested, provisioned, footprint, milli_iops)
    SELECT day, 1, 1, 0, 10, 10, 10, 0 FROM use_days WHERE day < '2026-11-02T00:00Z'`;
  const kept = `INSERT INTO use_days SELECT generate_series('2026-10-31T00:00Z'::timestamptz, '2026-11-03T00:00Z', '1 day')`;
  for (const statement of [key, changes, kept, sums]) await database.rows(statement);
  await migrate(database, secret);
  const hours = await database.rows<{ day: Date; hours: number; provisioned: number }>(
    'SELECT day, (byte_ms / 10 / 3600000)::double precision AS hours, provisioned FROM use_sums ORDER BY day',
  );
  // half a day of October, then all of it; six hours of November, which stay known while it lasts
  expect(hours.map((h) => [h.day.toISOString().slice(5, 10), h.hours, Number(h.provisioned)])).toEqual([
    ['10-31', 12, 10],
    ['11-01', 36, 10],
    ['11-02', 6, 0],
    ['11-03', 6, 0],
  ]);
  const failures = `SELECT name FROM facts_held WHERE kind = 'failure' AND until_at IS NULL ORDER BY name`;
  expect((await database.rows<{ name: string }>(failures)).map((f) => f.name)).toEqual(['ill/ill', 'silent/silent']);
});
