import { statement } from '../database/statement';

/** What PostgreSQL answers where its disk is full (`disk_full`, SQLSTATE class 53). */
export const diskFullCode = '53100';

/** The sums that each kind of key has at a moment: those kept for the beginning of its day, and what changed since. */
export const sumsAt = (at: string) => `
  SELECT s.key_id, s.claims, s.unbound, s.requested, s.provisioned, s.footprint, s.milli_iops FROM use_sums s
  WHERE s.day = (SELECT max(day) FROM use_days WHERE day <= ${at})
  UNION ALL
  SELECT c.key_id, c.claims, c.unbound, c.requested, c.provisioned, c.footprint, c.milli_iops FROM use_changes c
  WHERE c.at > coalesce((SELECT max(day) FROM use_days WHERE day <= ${at}), '-infinity') AND c.at <= ${at}`;

const amounts = ['claims', 'unbound', 'requested', 'provisioned', 'footprint', 'milli_iops'] as const;
const sums = amounts.map((a) => `sum(s.${a})::bigint AS ${a}`).join(', ');

interface UseFigures {
  claims: number;
  unbound: number;
  requested: number;
  provisioned: number;
  footprint: number;
  milli_iops: number;
  /** Null where a part of it was not told of lately. */
  written: number | null;
  /** What a month of it costs, millionths of the currency; null where a part of it has no price. */
  micros: number | null;
}

export interface UseCell extends UseFigures {
  row: string;
  column: string;
}
export interface UseFlow extends UseFigures {
  namespace: string;
  class_name: string;
  pool_id: string;
}

/** What a month costs of each pool at a moment, by the tier that it had then. Of a time before anything is known, what came first holds. */
const ratesAt = (at: string) => `
  SELECT n.name AS pool_id, r.micros_per_gib, r.micros_per_iops FROM (SELECT DISTINCT name FROM held_as WHERE kind = 'tier') n
  CROSS JOIN LATERAL (SELECT h.value FROM held_as h WHERE h.kind = 'tier' AND h.name = n.name
    ORDER BY h.from_at <= ${at} DESC, CASE WHEN h.from_at <= ${at} THEN h.from_at END DESC, h.from_at LIMIT 1) h
  CROSS JOIN LATERAL (SELECT * FROM rates r WHERE r.tier = h.value AND r.from_at <= ${at} ORDER BY r.from_at DESC LIMIT 1) r`;

/** Figures of each key at a moment, and what they are put together by. */
const ofKeys = {
  from: `SELECT key_id, ${amounts.map((a) => `sum(${a})::bigint AS ${a}`).join(', ')} FROM (${sumsAt('$1')}) m GROUP BY key_id`,
  series: `e.kind = 'key' AND e.name = s.key_id::text`,
};
const figuresFrom = (
  table: string,
  wide: string,
  { by, joins, of = ofKeys }: { by: string; joins: string; of?: typeof ofKeys },
) => {
  const column = table === 'samples' ? 'written' : 'written_last';
  return `WITH price AS MATERIALIZED (${ratesAt('$1::timestamptz')})
   SELECT ${by}, ${sums},
     CASE WHEN bool_and(s.provisioned = 0 OR w.written IS NOT NULL) THEN coalesce(sum(w.written), 0)::bigint END AS written,
     -- rounded for each key, the smallest that is ever told apart: so every grouping adds up to the same
     CASE WHEN bool_and((s.provisioned, s.milli_iops) = (0, 0) OR r.pool_id IS NOT NULL) THEN coalesce(sum(round(
       s.provisioned::numeric * r.micros_per_gib / 1073741824 + s.milli_iops::numeric * r.micros_per_iops / 1000)), 0)::bigint END AS micros
   FROM (${of.from}) s
   JOIN use_keys k ON k.id = s.key_id
   LEFT JOIN series e ON s.provisioned > 0 AND ${of.series}
   LEFT JOIN LATERAL (SELECT m.${column} AS written FROM ${table} m WHERE m.series_id = e.id AND m.at <= $1 AND m.at > $1 - interval '${wide}'
     AND m.${column} IS NOT NULL ORDER BY m.at DESC LIMIT 1) w ON true
   LEFT JOIN price r ON r.pool_id = k.pool_id ${joins}
   WHERE ($2::text[] IS NULL OR k.namespace = ANY($2)) AND (s.claims, s.requested, s.provisioned, s.footprint) <> (0, 0, 0, 0)`;
};

/**
 * What was used at a moment, by rows (`namespace`, or the `team` that a label of the namespace names, which is called so or ends so) and columns (`class`, `pool`,
 * `backend`, `tier` or `application`). `tiers`: of each pool, by its id. `namespaces`: those alone.
 */
type UseAsked = [
  at: Date,
  namespaces: readonly string[] | null,
  rows: string,
  columns: string,
  tiers: string,
  most: number,
];
const useFrom = (table: string, wide: string) =>
  statement<UseCell, UseAsked>(
    `${figuresFrom(table, wide, {
      by: `CASE $3 WHEN 'team' THEN coalesce((SELECT l.value FROM jsonb_each_text(coalesce(n.body #> '{metadata,labels}', '{}')) l
       WHERE l.key = 'team' OR l.key LIKE '%/team' ORDER BY l.key LIMIT 1), '') ELSE k.namespace END AS "row",
     CASE $4 WHEN 'class' THEN k.class_name WHEN 'pool' THEN k.pool_id WHEN 'application' THEN k.application
       WHEN 'backend' THEN coalesce(p.backend_id, '') ELSE coalesce($5::jsonb ->> k.pool_id, '') END AS "column"`,
      joins: `LEFT JOIN pools p ON $4 = 'backend' AND p.id = k.pool_id
   LEFT JOIN platform_objects n ON $3 = 'team' AND n.plural = 'namespaces' AND n.name = k.namespace`,
    })} GROUP BY 1, 2 ORDER BY 1, 2 LIMIT $6`,
  );
/** The same by how long ago a moment is, since what was sampled is known more coarsely then: in which table, and how far back. */
export const byAge = <T>(
  made: (table: string, wide: string) => T,
): Record<'recent' | 'days' | 'weeks' | 'long', T> => ({
  recent: made('samples', '10 minutes'),
  days: made('rolled_5m', '20 minutes'),
  weeks: made('rolled_1h', '3 hours'),
  long: made('rolled_1d', '2 days'),
});
export const useAt = byAge(useFrom);

/** What the pods of a namespace used at a moment: those that use its claims, or did last. */
export const podsAt = byAge((table, wide) =>
  statement<UseCell, [at: Date, namespaces: readonly string[], most: number]>(
    `${figuresFrom(table, wide, {
      by: 'k.namespace AS "row", s.pod AS "column"',
      joins: '',
      of: {
        from: `SELECT u.key_id, u.claim_uid, c.pod, ${amounts.map((a) => `u.${a}`).join(', ')} FROM use_keys n JOIN uses u ON u.key_id = n.id
          JOIN used_claims c ON c.claim_uid = u.claim_uid
          WHERE n.namespace = ANY($2::text[]) AND u.from_at <= $1 AND (u.until_at IS NULL OR u.until_at > $1)`,
        series: `e.kind = 'claim' AND e.name = s.claim_uid`,
      },
    })} GROUP BY 1, 2 ORDER BY 1, 2 LIMIT $3`,
  ),
);

/** What namespaces used of which class on which pool at a moment. */
export const flowsAt = byAge((table, wide) =>
  statement<UseFlow, [at: Date, namespaces: readonly string[] | null, most: number]>(
    `${figuresFrom(table, wide, { by: 'k.namespace, k.class_name, k.pool_id', joins: '' })} GROUP BY 1, 2, 3 ORDER BY 1, 2, 3 LIMIT $3`,
  ),
);

export interface LimitRow {
  namespace: string;
  class_name: string;
  bytes: number;
}

/** Limits as they were at a moment. */
export const limitsAt = statement<LimitRow, [at: Date, namespaces: readonly string[] | null]>(
  `SELECT namespace, class_name, bytes FROM limits_held
   WHERE from_at <= $1 AND (until_at IS NULL OR until_at > $1) AND ($2::text[] IS NULL OR namespace = ANY($2))
   ORDER BY namespace, class_name LIMIT 200000`,
);

/** The site's time now, and the first moment that anything is known of. */
export const siteMoments = statement<{ now: Date; first: Date | null }>(
  'SELECT site_now() AS now, least((SELECT min(day) FROM use_days), (SELECT min(at) FROM use_changes)) AS first',
);

/**
 * Keeps the sums at the beginning of the day that comes next, once that is `afterMs` over, so that nothing of the day before can
 * still come; gives that day, or nothing where none is due.
 */
export const keepSums = statement<{ day: Date }, [afterMs: number]>(
  `WITH due AS (
     SELECT date_trunc('day', coalesce((SELECT max(day) FROM use_days), (SELECT min(at) FROM use_changes)), 'UTC') + interval '1 day' AS day
   ), next AS (
     INSERT INTO use_days (day) SELECT day FROM due WHERE day <= site_now() - $1 * interval '1 millisecond'
     ON CONFLICT DO NOTHING RETURNING day
   )
   SELECT day, sum_day(day) FROM next`,
);

/**
 * Notes how far the platform's clock stands from the database's, where that is news. Within a minute they are taken for the same:
 * it tells whole seconds, and late. One that is more than a day ahead is not believed: what was, cannot be dated in times to come.
 */
export const noteClock = statement<{ ahead_ms: number }, [told: Date]>(
  `WITH seen AS (SELECT round(extract(epoch FROM $1::timestamptz - clock_timestamp()) * 1000)::bigint AS ms)
   UPDATE site_clock c SET ahead_ms = CASE WHEN abs(s.ms) < 60000 OR s.ms > 86400000 THEN 0 ELSE s.ms END FROM seen s
   WHERE c.id = 1 AND abs(c.ahead_ms - CASE WHEN abs(s.ms) < 60000 OR s.ms > 86400000 THEN 0 ELSE s.ms END) > 30000 RETURNING c.ahead_ms`,
);

/** Names the application that a claim's pods are of, and the pod that uses it; null: none now, so the last stays. */
export const nameApplications = statement<object, [claims: string]>(
  `UPDATE used_claims u SET application = f.application, pod = f.pod FROM (
     SELECT u.claim_uid, f.application, coalesce(f.pod, u.pod) AS pod FROM jsonb_to_recordset($1::jsonb) AS f(claim_uid text, application text, pod text)
     JOIN used_claims u USING (claim_uid) WHERE (u.application, u.pod) <> (f.application, coalesce(f.pod, u.pod)) ORDER BY u.claim_uid FOR UPDATE OF u) f
   WHERE u.claim_uid = f.claim_uid`,
);
