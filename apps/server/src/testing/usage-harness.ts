/** How use is sampled, rolled up and asked for, in an empty database: `node usage-harness.js URL VOLUMES DAYS`. Prints JSON. */
import pg from 'pg';
import { Database } from '../database/database';
import { migrate } from '../database/migrations';
import { getPast } from '../past/past';
import { Sight } from '../people/sight';
import type { BackendVolume } from '../swordfish/connector';
import { getHistory } from '../usage/history';
import { LastCounted } from '../usage/last-counted';
import { rollDay } from '../usage/roll.sql';
import { forgetSamples, rollUp, takeMinuteOf } from '../usage/sampling';
import { getStatement } from '../usage/statement';
import { getUse, keepDays } from '../usage/use';

const [url = '', volumesText = '20000', daysText = '60'] = process.argv.slice(2);
const [volumes, days] = [Number(volumesText), Number(daysText)];
const namespaces = 1000;
const dayMs = 24 * 3_600_000;
const database = new Database(url);
const byHand = new pg.Client({ connectionString: url });
/** As the keeper has it, who samples minute after minute. */
const last = new LastCounted(database);
const midnight = Math.floor(Date.now() / dayMs) * dayMs;

async function timed(work: () => Promise<unknown>): Promise<number> {
  const began = performance.now();
  await work();
  return performance.now() - began;
}
const percentile = (all: readonly number[], share: number): number =>
  all.toSorted((a, b) => a - b)[Math.min(all.length - 1, Math.floor(all.length * share))]!;

/** Claims made over all of the days, of a thousand namespaces and twelve classes on forty pools. */
async function fill(): Promise<void> {
  await byHand.query(`INSERT INTO backends (id, title, address, username, secret) VALUES ('b', 'b', 'x', 'x', '')`);
  await byHand.query(
    `INSERT INTO pools (id, backend_id, name, path, facts) SELECT 'pool-' || i, 'b', 'pool-' || i, '/p' || i, '{"consumedRaw": 1}' FROM generate_series(0, 39) i`,
  );
  for (let from = 0; from < volumes; from += 10_000) {
    const range = `generate_series(${from}, ${Math.min(volumes, from + 10_000) - 1}) i`;
    const made = `to_timestamp(${(midnight - days * dayMs) / 1000}) + (i % 97) * ${days} / 200.0 * interval '1 day'`;
    await byHand.query(
      `INSERT INTO platform_objects (plural, uid, namespace, name, version, body, class_name, phase, size_bytes, created_at)
       SELECT 'persistentvolumeclaims', 'claim-' || i, 'team-' || i % ${namespaces}, 'data-' || i, '1', '{"metadata":{}}', 'class-' || (i % 1000 + (i / 1000) % 3) % 12, 'Bound',
         (1 + i % 90) * 1073741824::bigint, ${made} FROM ${range}`,
    );
    await byHand.query(
      `INSERT INTO reservations (claim_uid, namespace, claim_name, class_name, reclaim, pool_id, bytes, raw_bytes, iops_floor, backend_iops,
         volume_name, volume_id, state, created_at)
       SELECT 'claim-' || i, 'team-' || i % ${namespaces}, 'data-' || i, 'class-' || (i % 1000 + (i / 1000) % 3) % 12, 'Delete', 'pool-' || (i % 1000 + (i / 1000) % 3) % 12 * 3 + i % 3,
         (1 + i % 90) * 1073741824::bigint, (1 + i % 90) * 2147483648::bigint, 0, 0, 'pvc-' || i, 'v-' || i, 'bound', ${made} FROM ${range}`,
    );
  }
  // as if all of it had been seen as it came: bound when it was asked for
  await byHand.query(`UPDATE uses u SET from_at = f.from_at, until_at = CASE WHEN u.until_at IS NOT NULL THEN f.from_at END
    FROM (SELECT claim_uid, min(from_at) AS from_at FROM uses GROUP BY 1) f WHERE f.claim_uid = u.claim_uid`);
  await byHand.query('TRUNCATE use_changes');
  await byHand.query(`INSERT INTO use_changes (at, key_id, claims, unbound, requested, provisioned, footprint, milli_iops)
    SELECT from_at, key_id, claims, unbound, requested, provisioned, footprint, milli_iops FROM uses WHERE until_at IS NULL ORDER BY from_at`);
  await keepDays(database);
  await byHand.query('VACUUM ANALYZE');
}

const told = (day: number): BackendVolume[] =>
  Array.from({ length: volumes }, (_, i) => ({
    ...{
      id: `v-${i}`,
      name: `pvc-${i}`,
      pool: 'p',
      bytes: 2 ** 30,
      consumed: i * 1000 + day,
      ready: true,
      degraded: false,
    },
    ...{
      offline: false,
      copies: [],
      counted: { operations: day * 1000 + i, bytes: day * 10_000 + i, busyMs: day * 100 + i },
    },
  }));

/** A minute of each day, rolled up and forgotten as time goes on. */
async function sampleAll() {
  const times: number[] = [];
  let rollMs = 0;
  for (let day = days; day > 0; day--) {
    const at = new Date(midnight - day * dayMs + dayMs / 2);
    times.push(await timed(() => takeMinuteOf(database, 'b', told(days - day), at, at)));
    rollMs += await timed(() => rollUp(database));
    if (day % 10 === 0) await forgetSamples(database);
  }
  return { times, rollMs };
}

/** A minute of samples into the same table by COPY alone, beside the same by our path. */
async function beside() {
  const at = new Date(midnight - dayMs / 4);
  const [own, copied]: [number[], number[]] = [[], []];
  const volumesNow = told(days + 1);
  const { rows: settings } = await byHand.query<{ data_directory: string }>('SHOW data_directory');
  const file = `${settings[0]!.data_directory}/usage-bench.copy`;
  for (let i = 0; i < 4; i++) {
    const minute = new Date(at.getTime() + i * 60_000);
    own.push(await timed(() => takeMinuteOf(database, 'b', volumesNow, minute, minute, last)));
    const when = `at = '${minute.toISOString()}'`;
    const rows = `(SELECT series_id, at, written, iops, throughput, latency FROM samples WHERE ${when})`;
    await byHand.query(`COPY ${rows} TO '${file}'`);
    await byHand.query(`DELETE FROM samples WHERE ${when}`);
    await byHand.query('VACUUM samples');
    copied.push(await timed(() => byHand.query(`COPY samples FROM '${file}'`)));
  }
  return { ours: percentile(own, 0.5), copy: percentile(copied, 0.5) };
}

async function ask() {
  const past = new Date(midnight - Math.floor(days / 2) * dayMs + 1234);
  const month = new Date(Date.UTC(past.getUTCFullYear(), past.getUTCMonth(), 1));
  const year = { from: new Date(midnight - days * dayMs).toISOString(), to: new Date(midnight).toISOString() };
  const sums = 'sum(u.claims), sum(u.requested), sum(u.provisioned), sum(u.footprint)';
  const grid = (when: string) =>
    `SELECT k.namespace, k.class_name, ${sums} FROM uses u JOIN use_keys k ON k.id = u.key_id WHERE ${when} GROUP BY 1, 2`;
  const ways: [string, () => Promise<unknown>, string, unknown[]][] = [
    [
      'the grid, now',
      () => getUse(database, Sight.everything, { rows: 'namespace', columns: 'class' }, 'EUR'),
      grid('u.until_at IS NULL'),
      [],
    ],
    [
      'the grid, at a past moment',
      () => getUse(database, Sight.everything, { rows: 'namespace', columns: 'class', at: past.toISOString() }, 'EUR'),
      grid('u.from_at <= $1 AND (u.until_at IS NULL OR u.until_at > $1)'),
      [past],
    ],
    [
      'backends and moorings, at a past moment',
      () => getPast(database, Sight.everything, past.toISOString()),
      `SELECT k.class_name, k.pool_id, ${sums} FROM uses u JOIN use_keys k ON k.id = u.key_id
       WHERE u.from_at <= $1 AND (u.until_at IS NULL OR u.until_at > $1) GROUP BY 1, 2`,
      [past],
    ],
    [
      'the statement of a month',
      () => getStatement(database, Sight.everything, month.toISOString().slice(0, 7), 'EUR'),
      `SELECT k.namespace, k.class_name, k.pool_id, k.application,
         sum(u.provisioned * extract(epoch FROM least(coalesce(u.until_at, $2), $2) - greatest(u.from_at, $1)))
       FROM uses u JOIN use_keys k ON k.id = u.key_id WHERE u.from_at < $2 AND (u.until_at IS NULL OR u.until_at > $1) GROUP BY 1, 2, 3, 4`,
      [month, new Date(Math.min(midnight, Date.UTC(month.getUTCFullYear(), month.getUTCMonth() + 1, 1)))],
    ],
    [
      "a namespace's chart of all days",
      () => getHistory(database, Sight.everything, { of: 'namespace', name: 'team-7', ...year }),
      `SELECT r.*, h.* FROM series s JOIN rolled_1d r ON r.series_id = s.id LEFT JOIN LATERAL (
         SELECT sum(u.claims), sum(u.requested), sum(u.provisioned), sum(u.footprint) FROM use_keys k JOIN uses u ON u.key_id = k.id
         WHERE k.namespace = 'team-7' AND u.from_at < r.at AND (u.until_at IS NULL OR u.until_at >= r.at)) h ON true
       WHERE s.kind = 'namespace' AND s.name = 'team-7' AND r.at >= $1 AND r.at < $2 ORDER BY r.at`,
      [year.from, year.to],
    ],
    [
      "the site's chart of all days",
      () => getHistory(database, Sight.everything, { of: 'site', name: '', ...year }),
      `SELECT r.*, h.* FROM series s JOIN rolled_1d r ON r.series_id = s.id LEFT JOIN LATERAL (
         SELECT sum(u.claims), sum(u.requested), sum(u.provisioned), sum(u.footprint) FROM uses u
         WHERE u.from_at < r.at AND (u.until_at IS NULL OR u.until_at >= r.at)) h ON true
       WHERE s.kind = 'site' AND r.at >= $1 AND r.at < $2 ORDER BY r.at`,
      [year.from, year.to],
    ],
  ];
  const results: { name: string; ours: number; byHand: number }[] = [];
  for (const [name, mine, theirs, values] of ways) {
    const [own, hand]: [number[], number[]] = [[], []];
    for (let i = -3; i < 30; i++) {
      const [a, b] = [await timed(mine), await timed(() => byHand.query(theirs, values))];
      if (i < 0) continue;
      own.push(a);
      hand.push(b);
    }
    results.push({ name, ours: percentile(own, 0.99), byHand: percentile(hand, 0.99) });
  }
  return results;
}

await migrate(database, Buffer.alloc(32));
await byHand.connect();
const fillMs = await timed(fill);
const { times: sampled, rollMs } = await sampleAll();
await byHand.query('VACUUM ANALYZE');
const asked = await ask();
const taken = await beside();
const dayRollMs = await timed(() => rollDay(database, new Date(midnight - 2 * dayMs)));
const { rows: size } = await byHand.query<{ bytes: string; rows: string }>(
  `SELECT sum(pg_total_relation_size(i.inhrelid))::text AS bytes, (SELECT count(*) FROM rolled_1d)::text AS rows
   FROM pg_inherits i WHERE i.inhparent = 'rolled_1d'::regclass`,
);
await byHand.end();
await database.close();
console.log(
  JSON.stringify({
    ...{ volumes, days, fillMs, minuteMs: percentile(sampled, 0.5), rollMs, asked, taken, dayRollMs },
    bytesPerYear: (365 * Number(size[0]!.bytes)) / Number(size[0]!.rows),
  }),
);
process.exit(0);
