import { sketchFactor } from '@moorage/core/usage/sketch';
import { statement } from '../database/statement';
import type { Step } from './sample-model';

const figures = ['iops', 'throughput', 'latency'] as const;
type Figure = (typeof figures)[number];
const parts = ['count', 'least', 'most', 'sum'] as const;
const columns = [
  ...[...parts, 'last'].map((p) => `written_${p}`),
  ...figures.flatMap((f) => [...parts, 'sketch'].map((p) => `${f}_${p}`)),
];

/** Where a value stands in a sketch, as `packages/core` has it. */
const placeOf = (x: string) =>
  `CASE WHEN ${x} > 0 THEN least(2047, greatest(1, 1024 + ceil(ln(${x}) / ln(${sketchFactor}::double precision))))::integer ELSE 0 END`;
const packed = '(place << 20) | least(n, 1048575)::integer';
/** The sketches of a figure, by series: from places and how often each came. */
const sketched = (of: string) =>
  `SELECT series_id, array_agg(${packed} ORDER BY place) AS sketch FROM (${of}) c GROUP BY series_id`;

const write = (table: string, select: string) => `
  INSERT INTO ${table} (series_id, at, ${columns.join(', ')}) ${select}
  ON CONFLICT (series_id, at) DO UPDATE SET ${columns.map((c) => `${c} = excluded.${c}`).join(', ')}`;

const within = (wide: string, of = '') => `${of}at >= $1 AND ${of}at < $1 + interval '${wide}'`;

/** Which group a row of grouping sets stands for. */
const groupKind = `CASE WHEN namespace IS NOT NULL THEN 'namespace' WHEN class_name IS NOT NULL THEN 'class'
  WHEN backend_id IS NOT NULL THEN 'backend' ELSE 'site' END`;

/** Rolls values of single minutes up: those in `values`. The few of a sketch stand one by one, added up by the next roll. */
const rollValues = write(
  'rolled_5m',
  `SELECT series_id, $1::timestamptz, count(written), min(written), max(written), sum(written),
     (array_agg(written ORDER BY at DESC) FILTER (WHERE written IS NOT NULL))[1],
     ${figures
       .flatMap((f) => [
         ...[`count(${f})`, `min(${f})`, `max(${f})`, `sum(${f})`],
         `array_agg((${placeOf(f)} << 20) | 1) FILTER (WHERE ${f} IS NOT NULL)`,
       ])
       .join(', ')}
   FROM "values" GROUP BY series_id`,
);

/** Rolls up the five minutes that begin at a moment: of all that was sampled. */
export const rollMinutes = statement<object, [at: Date]>(
  `WITH "values" AS MATERIALIZED (
     SELECT series_id, at, written, iops, throughput, latency FROM samples WHERE ${within('5 minutes')}
   ) ${rollValues}`,
);

/**
 * What groups of use keys had together in each minute of five: where every key that has volumes was told of, since what is missing
 * would look like a fall.
 */
export const rollGroups = statement<object, [at: Date]>(
  `WITH expected AS (
     SELECT DISTINCT u.key_id, k.namespace, k.class_name, p.backend_id FROM (
       SELECT pool_id, claim_uid FROM reservations WHERE volume_id IS NOT NULL
       UNION ALL SELECT pool_id, claim_uid FROM buckets WHERE state <> 'held'
     ) r JOIN uses u ON u.claim_uid = r.claim_uid AND u.part = ''
     JOIN use_keys k ON k.id = u.key_id JOIN pools p ON p.id = r.pool_id
     WHERE k.pool_id <> '' AND u.from_at <= $1 AND (u.until_at IS NULL OR u.until_at > $1)
   ), wanted AS (
     SELECT ${groupKind} AS kind, coalesce(namespace, class_name, backend_id, '') AS name, count(*) AS keys
     FROM expected GROUP BY GROUPING SETS ((namespace), (class_name), (backend_id), ())
   ), told AS (
     SELECT m.at, ${groupKind} AS kind, coalesce(k.namespace, k.class_name, p.backend_id, '') AS name,
       sum(m.written)::bigint AS written, CASE WHEN count(m.iops) = count(*) THEN sum(m.iops) END AS iops,
       CASE WHEN count(m.throughput) = count(*) THEN sum(m.throughput) END AS throughput,
       sum(m.latency * m.iops) / nullif(sum(m.iops) FILTER (WHERE m.latency IS NOT NULL), 0) AS latency, count(*) AS keys,
       count(*) FILTER (WHERE e.key_id IS NOT NULL) AS awaited
     FROM samples m JOIN series s ON s.id = m.series_id AND s.kind = 'key' JOIN use_keys k ON k.id = s.name::integer
     JOIN pools p ON p.id = k.pool_id LEFT JOIN (SELECT key_id FROM expected) e ON e.key_id = k.id
     WHERE ${within('5 minutes', 'm.')}
     GROUP BY GROUPING SETS ((m.at, k.namespace), (m.at, k.class_name), (m.at, p.backend_id), (m.at))
   ), whole AS (
     SELECT t.* FROM told t LEFT JOIN wanted w ON w.kind = t.kind AND w.name = t.name WHERE t.awaited >= coalesce(w.keys, 0)
   ), named AS (
     INSERT INTO series (kind, name) SELECT DISTINCT kind, name FROM whole o
     WHERE NOT EXISTS (SELECT 1 FROM series s WHERE s.kind = o.kind AND s.name = o.name)
     ORDER BY kind, name ON CONFLICT DO NOTHING RETURNING id, kind, name
   ), "values" AS MATERIALIZED (
     SELECT n.id AS series_id, o.at, o.written, o.iops, o.throughput, o.latency FROM whole o
     JOIN (SELECT id, kind, name FROM series WHERE kind IN ('namespace', 'class', 'backend', 'site') UNION ALL SELECT id, kind, name FROM named) n
       ON n.kind = o.kind AND n.name = o.name
   ) ${rollValues}`,
);

const merged = (f: Figure, from: string, wide: string) =>
  `${f}_sketches AS (${sketched(
    `SELECT series_id, e >> 20 AS place, sum(e & 1048575) AS n FROM ${from}, unnest(${f}_sketch) e WHERE ${within(wide)} GROUP BY 1, 2`,
  )})`;
const rollOn = (from: string, to: string, wide: string) =>
  statement<object, [at: Date]>(
    `WITH ${figures.map((f) => merged(f, from, wide)).join(', ')}
     ${write(
       to,
       `SELECT v.series_id, $1::timestamptz, v.written_count, v.written_least, v.written_most, v.written_sum, v.written_last,
          ${figures.flatMap((f) => [...parts.map((p) => `v.${f}_${p}`), `${f}_sketches.sketch`]).join(', ')}
        FROM (SELECT series_id, (array_agg(written_last ORDER BY at DESC) FILTER (WHERE written_last IS NOT NULL))[1] AS written_last,
          ${['written', ...figures]
            .flatMap((f) => [
              `sum(${f}_count)::integer AS ${f}_count`,
              `min(${f}_least) AS ${f}_least`,
              `max(${f}_most) AS ${f}_most`,
              `sum(${f}_sum) AS ${f}_sum`,
            ])
            .join(', ')}
          FROM ${from} WHERE ${within(wide)} GROUP BY series_id) v
        ${figures.map((f) => `LEFT JOIN ${f}_sketches USING (series_id)`).join(' ')}`,
     )}`,
  );

/** Roll up the hour, and the day (UTC), that begin at a moment. */
export const rollHour = rollOn('rolled_5m', 'rolled_1h', '1 hour');
export const rollDay = rollOn('rolled_1h', 'rolled_1d', '1 day');

/** Takes a span that is over and due, the earliest first. */
export const takeDue = statement<{ step: Step; at: Date }, [restMs: number]>(
  `DELETE FROM roll_due WHERE (step, at) = (
     SELECT step, at FROM roll_due WHERE at + CASE step WHEN '5m' THEN interval '5 minutes' WHEN '1h' THEN interval '1 hour' ELSE interval '1 day' END
       <= site_now() - $1 * interval '1 millisecond'
     ORDER BY step = '1d', step = '1h', at LIMIT 1 FOR UPDATE SKIP LOCKED) RETURNING step, at`,
);
