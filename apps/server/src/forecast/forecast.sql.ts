import { statement } from '../database/statement';

export interface DayRow {
  name: string;
  class_name: string;
  day: Date;
  claims: number;
  provisioned: number;
  footprint: number;
  milli_iops: number;
}

const perDay = (name: string, className: string) => `
  SELECT ${name} AS name, ${className} AS class_name, d.day, sum(s.claims)::bigint AS claims, sum(s.provisioned)::bigint AS provisioned,
    sum(s.footprint)::bigint AS footprint, sum(s.milli_iops)::bigint AS milli_iops
  FROM use_days d JOIN use_sums s ON s.day = d.day JOIN use_keys k ON k.id = s.key_id
  WHERE d.day >= $1`;

/** Days since a moment of which it is known what was promised at their beginning. */
export const daysKnown = statement<{ day: Date }, [since: Date]>(
  'SELECT day FROM use_days WHERE day >= $1 ORDER BY day LIMIT 1000',
);

/** What was promised at the beginning of each day since a moment, of each class of the named namespaces. */
export const daysOfNamespaces = statement<DayRow, [since: Date, namespaces: readonly string[]]>(
  `${perDay('k.namespace', 'k.class_name')} AND k.namespace = ANY($2) GROUP BY 1, 2, 3 ORDER BY 1, 2, 3 LIMIT 2000000`,
);
/** The same of each class in each pool. */
export const daysOfPools = statement<DayRow, [since: Date]>(
  `${perDay('k.pool_id', 'k.class_name')} AND k.pool_id <> '' GROUP BY 1, 2, 3 ORDER BY 1, 2, 3 LIMIT 2000000`,
);
/** The same of each pool that a namespace has something of one class in. */
export const daysOfNamespaceOn = statement<DayRow, [since: Date, namespace: string, className: string | null]>(
  `${perDay('k.pool_id', 'k.class_name')} AND k.namespace = $2 AND k.pool_id <> '' AND ($3::text IS NULL OR k.class_name = $3)
   GROUP BY 1, 2, 3 ORDER BY 1, 2, 3 LIMIT 200000`,
);

/** Raw bytes written on each pool, the mean of each day since a moment; of one pool where it is named. */
export const writtenOnPools = statement<
  { name: string; day: Date; written: number },
  [since: Date, pool: string | null]
>(
  `SELECT s.name, r.at AS day, r.written_sum / r.written_count AS written FROM series s JOIN rolled_1d r ON r.series_id = s.id
   WHERE s.kind = 'pool' AND r.at >= $1 AND r.written_count > 0 AND ($2::text IS NULL OR s.name = $2) ORDER BY 1, 2 LIMIT 1000000`,
);

/** Namespaces that are limited, a part at a time in the order of their names, with their limits. */
export const limitedAfter = statement<
  { namespace: string; limits: { className: string; of: 'bytes' | 'claims' | 'iops'; amount: number }[] },
  [after: string, most: number]
>(
  `SELECT namespace, jsonb_agg(jsonb_build_object('className', class_name, 'of', measure, 'amount', amount) ORDER BY class_name, measure) AS limits FROM (
     SELECT namespace, class_name, 'bytes' AS measure, bytes AS amount FROM limits WHERE namespace > $1
     UNION ALL SELECT namespace, class_name, measure, amount FROM counted_limits WHERE namespace > $1 AND measure <> 'snapshots'
   ) l GROUP BY namespace ORDER BY namespace LIMIT $2`,
);

/** What is provisioned of each class of namespaces now, volumes and buckets together, with claims and reserved IOPS. */
export const usedByClass = statement<
  { namespace: string; class_name: string; bytes: number; claims: number; iops: number },
  [namespaces: readonly string[]]
>(
  `SELECT namespace, class_name, sum(bytes)::bigint AS bytes, sum(claims)::integer AS claims, sum(iops) AS iops FROM (
     SELECT namespace, class_name, bytes, 1 AS claims, iops_floor AS iops FROM reservations WHERE namespace = ANY($1)
     UNION ALL SELECT namespace, class_name, bytes, 0, 0 FROM buckets WHERE namespace = ANY($1)
   ) held GROUP BY 1, 2 LIMIT 200000`,
);

/** What each class has on each pool now, in raw bytes; written as far as backends told. Of a namespace alone where one is named. */
export const partsNow = statement<
  {
    pool: string;
    class_name: string;
    promised: number;
    bytes: number;
    written: number;
    iops: number;
    backend_iops: number;
  },
  [namespace: string | null]
>(
  `SELECT r.pool_id AS pool, r.class_name, sum(r.raw_bytes)::bigint AS promised, sum(r.bytes)::bigint AS bytes,
     sum(coalesce(v.consumed, 0)::double precision * r.raw_bytes / nullif(r.bytes, 0)) AS written, sum(r.iops_floor) AS iops, sum(r.backend_iops) AS backend_iops
   FROM reservations r JOIN pools p ON p.id = r.pool_id
   LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
   WHERE $1::text IS NULL OR r.namespace = $1 GROUP BY 1, 2 ORDER BY 1, 2 LIMIT 20000`,
);

/** Forgets what was not reckoned again. */
export const dropOldRunways = statement<object, [before: Date]>(
  `WITH runway AS (DELETE FROM runways WHERE reckoned_at < $1) DELETE FROM jumps WHERE reckoned_at < $1`,
);

/** What was written in namespaces at the end of each day that is over, since a moment; a part at a time, in the order of their names. */
export const writtenDaily = statement<
  { name: string; days: number[]; written: number[] },
  [since: Date, until: Date, after: string, most: number]
>(
  `SELECT s.name, array_agg((extract(epoch FROM r.at - $1::timestamptz) / 86400)::integer ORDER BY r.at) AS days,
     array_agg(r.written_last::double precision ORDER BY r.at) AS written
   FROM (SELECT id, name FROM series WHERE kind = 'namespace' AND name > $3 ORDER BY name LIMIT $4) s
   JOIN rolled_1d r ON r.series_id = s.id WHERE r.at >= $1 AND r.at < $2 AND r.written_last IS NOT NULL GROUP BY 1 ORDER BY 1 LIMIT 10000`,
);

/**
 * What a month of what namespaces have costs, now and at a moment before, at the prices of each time: those whose price rose by more
 * than so many times, and by more than so much.
 */
export const pricesRisen = statement<
  { namespace: string; before: number; now: number },
  [before: Date, times: number, least: number]
>(
  `WITH rated AS (
     SELECT t.tier, w.is_now, (SELECT r.micros_per_gib FROM rates r WHERE r.tier = t.tier AND r.from_at <= w.at ORDER BY r.from_at DESC LIMIT 1) AS gib,
       (SELECT r.micros_per_iops FROM rates r WHERE r.tier = t.tier AND r.from_at <= w.at ORDER BY r.from_at DESC LIMIT 1) AS iops
     FROM (SELECT DISTINCT tier FROM rates) t, (VALUES (true, site_now()), (false, $1::timestamptz)) w(is_now, at)
   ), days AS (
     SELECT (SELECT max(day) FROM use_days) AS now, (SELECT max(day) FROM use_days WHERE day <= $1) AS before
   ), costs AS (
     SELECT k.namespace, s.day = d.now AS is_now,
       sum(s.provisioned / 1073741824.0 * r.gib + s.milli_iops / 1000.0 * r.iops) / 1000000 AS cost
     FROM days d JOIN use_sums s ON s.day IN (d.now, d.before) JOIN use_keys k ON k.id = s.key_id
     JOIN held_as h ON h.kind = 'tier' AND h.name = k.pool_id AND h.until_at IS NULL
     JOIN rated r ON r.tier = h.value AND r.is_now = (s.day = d.now)
     GROUP BY 1, 2
   ), both_of AS (
     SELECT namespace, coalesce(max(cost) FILTER (WHERE is_now), 0)::double precision AS now,
       coalesce(max(cost) FILTER (WHERE NOT is_now), 0)::double precision AS before FROM costs GROUP BY 1
   )
   SELECT * FROM both_of WHERE before > 0 AND now > $2 * before AND now - before > $3 ORDER BY now - before DESC LIMIT 500`,
);

/** What comes to its end within a time: of each thing what is reached first, the mark that says so early aside. */
export const endingSoon = statement<
  {
    kind: string;
    name: string;
    class_name: string;
    against: string;
    used: number;
    ends_at: number;
    state: 'over' | 'meets';
    meets_at: Date | null;
  },
  [days: number]
>(
  `SELECT DISTINCT ON (kind, name, class_name) kind, name, class_name, against, used, ends_at, state, meets_at FROM runways
   WHERE kind <> 'class' AND against <> 'soft' AND (state = 'over' OR meets_at <= site_now() + $1 * interval '1 day'
     OR (kind = 'namespace' AND used >= 0.9 * ends_at))
   ORDER BY kind, name, class_name, (state = 'over') DESC, meets_at, against LIMIT 500`,
);

export const listedRunways = statement<
  {
    kind: string;
    name: string;
    class_name: string;
    against: string;
    used: number;
    ends_at: number;
    per_day: number | null;
    state: 'over' | 'meets' | 'none' | null;
    meets_at: Date | null;
    from_at: Date | null;
    to_at: Date | null;
    reckoned_at: Date;
  },
  [kind: string | null, part: string, namespaces: readonly string[] | null, most: number]
>(
  `SELECT * FROM runways WHERE ($1::text IS NULL OR kind = $1) AND strpos(name, $2) > 0
     AND ($3::text[] IS NULL OR (kind = 'namespace' AND name = ANY($3)))
   ORDER BY (CASE state WHEN 'over' THEN 0 WHEN 'meets' THEN 1 WHEN 'none' THEN 2 ELSE 3 END), meets_at, kind, name, class_name, against LIMIT $4`,
);
