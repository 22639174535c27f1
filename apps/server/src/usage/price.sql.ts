import { statement } from '../database/statement';

/** Notes as what each of a kind is held now: what differs from what was noted ends, and begins anew. */
export const noteHeldAs = statement<object, [kind: string, now: string]>(
  `WITH fresh AS (SELECT * FROM jsonb_to_recordset($2::jsonb) AS f(name text, value text)), ended AS (
     UPDATE held_as h SET until_at = site_now() FROM fresh f
     WHERE h.kind = $1 AND h.name = f.name AND h.until_at IS NULL AND h.value <> f.value RETURNING h.name
   )
   INSERT INTO held_as (kind, name, value, from_at) SELECT $1, f.name, f.value, site_now() FROM fresh f
   WHERE NOT EXISTS (SELECT 1 FROM held_as h WHERE h.kind = $1 AND h.name = f.name AND h.until_at IS NULL AND h.value = f.value)
   ORDER BY f.name ON CONFLICT DO NOTHING`,
);

/** The teams that labels of namespaces name. */
export const teamsNow = statement<{ name: string; value: string }>(
  `SELECT n.name, coalesce((SELECT l.value FROM jsonb_each_text(coalesce(n.body #> '{metadata,labels}', '{}')) l
     WHERE l.key = 'team' OR l.key LIKE '%/team' ORDER BY l.key LIMIT 1), '') AS value
   FROM platform_objects n WHERE n.plural = 'namespaces' ORDER BY n.name LIMIT 100000`,
);

export interface HeldAsRow {
  kind: 'tier' | 'team';
  name: string;
  value: string;
  from_at: Date;
  until_at: Date | null;
}

/** What was held as what between two moments; the first of each may have begun later. */
export const heldAsBetween = statement<HeldAsRow, [from: Date, to: Date]>(
  `SELECT kind, name, value, from_at, until_at FROM held_as WHERE from_at < $2 AND (until_at IS NULL OR until_at > $1)
   UNION ALL
   -- where nothing is known of the time, what came first holds
   SELECT kind, name, value, from_at, until_at FROM held_as h WHERE h.from_at >= $2
     AND NOT EXISTS (SELECT 1 FROM held_as e WHERE e.kind = h.kind AND e.name = h.name AND e.from_at < h.from_at)
   ORDER BY 1, 2, 4 LIMIT 400000`,
);

export interface PromisedSum {
  key_id: number;
  namespace: string;
  class_name: string;
  pool_id: string;
  application: string;
  from_at: Date;
  /** Bytes by milliseconds, and thousandths of an operation per second by milliseconds: larger than numbers here are. */
  byte_ms: string;
  milli_iops_ms: string;
}

const promised = (of: string, ms: string) =>
  `${of}.provisioned::numeric * ${ms} AS byte_ms, ${of}.milli_iops::numeric * ${ms} AS milli_iops_ms`;

/**
 * What was promised to each key, summed up over the time between each two of some moments, which ascend; nothing of times without
 * any. The first is the beginning of a month, and none lies after its end. Each moment reads what is kept for the beginning of its
 * day, and what changed since.
 */
export const promisedBetween = statement<PromisedSum, [moments: readonly Date[], most: number]>(
  `WITH parts AS MATERIALIZED (
     SELECT m AS until_at, lag(m) OVER (ORDER BY m) AS from_at, (SELECT max(day) FROM use_days WHERE day <= m) AS day, min(m) OVER () AS month
     FROM unnest($1::timestamptz[]) m
   ), reached AS (
     SELECT s.key_id, p.until_at, s.byte_ms, s.milli_iops_ms FROM parts p JOIN use_sums s ON s.day = p.day
     WHERE p.from_at IS NOT NULL AND p.day > p.month
     UNION ALL
     SELECT s.key_id, p.until_at, ${promised('s', 'ms_in_month(p.day, p.until_at)')} FROM parts p JOIN use_sums s ON s.day = p.day
     WHERE p.from_at IS NOT NULL AND p.day < p.until_at
     UNION ALL
     SELECT c.key_id, p.until_at, ${promised('c', 'ms_in_month(c.at, p.until_at)')}
     FROM parts p JOIN use_changes c ON c.at > coalesce(p.day, '-infinity') AND c.at < p.until_at WHERE p.from_at IS NOT NULL
   ), summed AS (
     SELECT key_id, until_at, sum(byte_ms) AS byte_ms, sum(milli_iops_ms) AS milli_iops_ms FROM reached GROUP BY 1, 2
   ), between_each AS (
     SELECT s.key_id, p.from_at, s.byte_ms - coalesce(lag(s.byte_ms) OVER w, 0) AS byte_ms,
       s.milli_iops_ms - coalesce(lag(s.milli_iops_ms) OVER w, 0) AS milli_iops_ms
     FROM summed s JOIN parts p USING (until_at) WINDOW w AS (PARTITION BY s.key_id ORDER BY s.until_at)
   )
   SELECT s.key_id, k.namespace, k.class_name, k.pool_id, k.application, s.from_at, s.byte_ms::text, s.milli_iops_ms::text
   FROM between_each s JOIN use_keys k ON k.id = s.key_id WHERE s.byte_ms > 0 OR s.milli_iops_ms > 0 ORDER BY s.key_id, s.from_at LIMIT $2`,
);
