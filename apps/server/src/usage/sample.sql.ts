import { statement } from '../database/statement';
import type { LastCounts } from './sample-model';

/** The minute (UTC) that the site's clock is in, and the last that a backend told of. */
export const minuteOf = statement<{ now: Date; last: Date | null }, [backend: string]>(
  `SELECT date_trunc('minute', site_now()) AS now, (SELECT at FROM sampled WHERE backend_id = $1) AS last`,
);

/** Makes the parts of the tables that hold a moment. */
export const ensureParts = statement<object, [at: Date]>(
  `SELECT ensure_part('samples', 'day', $1), ensure_part('rolled_5m', 'day', $1), ensure_part('rolled_1h', 'month', $1),
     ensure_part('rolled_1d', 'month', $1)`,
);

/** Notes a minute as told of by a backend; nothing comes back where it was already. A clock that was set back begins anew. */
export const takeMinute = statement<object, [backend: string, at: Date]>(
  `INSERT INTO sampled (backend_id, at) VALUES ($1, $2) ON CONFLICT (backend_id) DO UPDATE SET at = excluded.at
   WHERE sampled.at IS NULL OR sampled.at < excluded.at OR sampled.at > excluded.at + interval '5 minutes' RETURNING backend_id`,
);

/** Lets every claim with a volume on a backend have its series. */
export const ensureClaimSeries = statement<object, [backend: string]>(
  `INSERT INTO series (kind, name) SELECT 'claim', r.claim_uid FROM reservations r JOIN pools p ON p.id = r.pool_id
   WHERE p.backend_id = $1 AND r.volume_id IS NOT NULL
     AND NOT EXISTS (SELECT 1 FROM series s WHERE s.kind = 'claim' AND s.name = r.claim_uid)
   UNION ALL SELECT 'claim', b.claim_uid FROM buckets b JOIN pools p ON p.id = b.pool_id
   WHERE p.backend_id = $1 AND b.state <> 'held'
     AND NOT EXISTS (SELECT 1 FROM series s WHERE s.kind = 'claim' AND s.name = b.claim_uid)
   ORDER BY 2 ON CONFLICT DO NOTHING`,
);

/** Gives what is told in \`of\` (kind, name and values) its series, and takes it as the samples of a minute. */
const takeAs = (of: string) => `
  named AS (
    INSERT INTO series (kind, name) SELECT kind, name FROM ${of} o
    WHERE NOT EXISTS (SELECT 1 FROM series s WHERE s.kind = o.kind AND s.name = o.name)
    ORDER BY kind, name ON CONFLICT DO NOTHING RETURNING id, kind, name
  )
  INSERT INTO samples (series_id, at, written, iops, throughput, latency)
  SELECT n.id, $2, o.written, o.iops, o.throughput, o.latency FROM ${of} o
  JOIN (SELECT id, kind, name FROM series WHERE kind IN ('key', 'pool') UNION ALL SELECT id, kind, name FROM named) n
    ON n.kind = o.kind AND n.name = o.name
  ON CONFLICT DO NOTHING`;

/** Lists of the same length, each as one text: parted by that character, or by commas. */
export interface HeldNow {
  volumes: string | null;
  lies: string;
  series: string;
  keys: string;
  pools: string;
}
/** What no name of the other world has in it: where one does, it is taken for another name, which nobody tells of. */
export const between = '\x1f';

/**
 * What claims hold on a backend at a moment: the volume (empty for a bucket), the bytes that were counted last of what lies in a
 * bucket, the series (empty where it has none yet), what it is used for, and its pool.
 */
export const heldNow = statement<HeldNow, [backend: string, at: Date]>(
  `SELECT string_agg(replace(coalesce(r.volume_id, ''), E'\\x1f', ' '), E'\\x1f') AS volumes,
     coalesce(string_agg(coalesce(r.lies::text, ''), ','), '') AS lies, coalesce(string_agg(coalesce(s.id::text, ''), ','), '') AS series,
     coalesce(string_agg(coalesce(u.key_id::text, ''), ','), '') AS keys, coalesce(string_agg(r.pool_id, E'\\x1f'), '') AS pools
   FROM pools p JOIN (
     SELECT pool_id, claim_uid, volume_id, NULL::bigint AS lies FROM reservations WHERE volume_id IS NOT NULL
     UNION ALL SELECT pool_id, claim_uid, NULL, CASE WHEN missing_since IS NULL THEN written END FROM buckets WHERE state <> 'held'
   ) r ON r.pool_id = p.id
   LEFT JOIN series s ON s.kind = 'claim' AND s.name = r.claim_uid
   LEFT JOIN uses u ON u.claim_uid = r.claim_uid AND u.part = '' AND u.from_at <= $2 AND (u.until_at IS NULL OR u.until_at > $2)
   WHERE p.backend_id = $1`,
);

/** What a backend had counted when it was sampled last. */
export const countedLast = statement<{ at: Date; counts: LastCounts }, [backend: string]>(
  'SELECT at, counts FROM last_counts WHERE backend_id = $1',
);
/** Notes what it counted now. */
export const noteCounted = statement<object, [backend: string, at: Date, counts: string]>(
  `INSERT INTO last_counts (backend_id, at, counts) VALUES ($1, $2, $3)
   ON CONFLICT (backend_id) DO UPDATE SET at = excluded.at, counts = excluded.counts`,
);

/** Takes samples of a minute; lists as PostgreSQL writes them. */
export const takeSamples = statement<
  object,
  [at: Date, series: string, written: string, iops: string, throughput: string, latency: string]
>(
  'SELECT take_samples($1, $2::integer[], $3::bigint[], $4::double precision[], $5::double precision[], $6::double precision[])',
);

/**
 * Takes what volumes do together by what they are used for, and by their pools; of pools what is written is as the pool tells it, raw:
 * now of all of them, of a moment of the past (`isPast`) of those that are told of.
 */
export const takeSums = statement<
  object,
  [
    backend: string,
    at: Date,
    kinds: string,
    names: readonly string[],
    written: string,
    iops: string,
    throughput: string,
    latency: string,
    isPast: boolean,
  ]
>(
  `WITH told AS (
     SELECT * FROM unnest($3::text[], $4::text[], $5::bigint[], $6::double precision[], $7::double precision[], $8::double precision[])
       AS t(kind, name, written, iops, throughput, latency)
   ), sums AS MATERIALIZED (
     SELECT * FROM told WHERE kind = 'key' UNION ALL
     SELECT 'pool', p.id, CASE WHEN $9 THEN t.written ELSE (p.facts ->> 'consumedRaw')::bigint END, CASE WHEN t.name IS NULL THEN 0 ELSE t.iops END,
       CASE WHEN t.name IS NULL THEN 0 ELSE t.throughput END, t.latency
     FROM pools p LEFT JOIN told t ON t.kind = 'pool' AND t.name = p.id WHERE p.backend_id = $1 AND CASE WHEN $9 THEN t.written IS NOT NULL ELSE p.gone_since IS NULL END
   ), ${takeAs('sums')}`,
);

/** Whether pools of a backend were sampled within five minutes of a moment. */
export const isSampledNear = statement<{ is_near: boolean }, [backend: string, at: Date]>(
  `SELECT EXISTS (SELECT 1 FROM pools p JOIN series s ON s.kind = 'pool' AND s.name = p.id JOIN samples m ON m.series_id = s.id
     AND m.at BETWEEN $2::timestamptz - interval '5 minutes' AND $2::timestamptz + interval '5 minutes' WHERE p.backend_id = $1) AS is_near`,
);

/** What a backend's reports were taken of last. */
export const reportTaken = statement<{ report: string | null }, [backend: string]>(
  'SELECT report FROM sampled WHERE backend_id = $1',
);
export const noteReport = statement<object, [backend: string, report: string]>(
  `INSERT INTO sampled (backend_id, report) VALUES ($1, $2) ON CONFLICT (backend_id) DO UPDATE SET report = excluded.report`,
);

/** Notes that the five minutes that hold a moment are to be rolled up, again if they were. */
export const noteDue = statement<object, [step: string, at: Date]>(
  'INSERT INTO roll_due (step, at) VALUES ($1, $2) ON CONFLICT DO NOTHING',
);

/** Drops the parts of a table (`wide`: of a day or a month each) whose time was over so many days ago and that the step which rolls them up has done with; gives how many. */
export const dropParts = statement<{ dropped: number }, [table: string, wide: string, days: number, rolledBy: string]>(
  `SELECT drop_parts($1, $2, site_now() - $3 * interval '1 day', $4) AS dropped`,
);
