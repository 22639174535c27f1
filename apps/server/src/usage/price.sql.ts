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

/**
 * What was promised to each key, summed up over the time between each two of some moments, which ascend; nothing of times without
 * any.
 */
export const promisedBetween = statement<PromisedSum, [moments: readonly Date[], most: number]>(
  `WITH term AS MATERIALIZED (SELECT min(m) AS from_at, max(m) AS until_at FROM unnest($1::timestamptz[]) m),
   parts AS MATERIALIZED (SELECT m AS from_at, lead(m) OVER (ORDER BY m) AS until_at FROM unnest($1::timestamptz[]) m),
   since AS MATERIALIZED (SELECT max(day) AS day FROM use_days WHERE day <= (SELECT from_at FROM term)), moved AS (
     SELECT key_id, (SELECT from_at FROM term) AS at, provisioned, milli_iops FROM use_sums WHERE day = (SELECT day FROM since)
     UNION ALL
     SELECT key_id, greatest(at, (SELECT from_at FROM term)), provisioned, milli_iops FROM use_changes
     WHERE at > coalesce((SELECT day FROM since), '-infinity') AND at < (SELECT until_at FROM term)
   ), promised AS (
     -- what changes at a moment is promised from then on until the end: what is summed up so needs no order
     SELECT m.key_id, p.from_at,
       sum(m.provisioned::numeric * round(extract(epoch FROM p.until_at - greatest(m.at, p.from_at)) * 1000)) AS byte_ms,
       sum(m.milli_iops::numeric * round(extract(epoch FROM p.until_at - greatest(m.at, p.from_at)) * 1000)) AS milli_iops_ms
     FROM moved m JOIN parts p ON m.at < p.until_at GROUP BY 1, 2
   )
   SELECT s.key_id, k.namespace, k.class_name, k.pool_id, k.application, s.from_at, s.byte_ms::text, s.milli_iops_ms::text
   FROM promised s JOIN use_keys k ON k.id = s.key_id WHERE s.byte_ms > 0 OR s.milli_iops_ms > 0 ORDER BY s.key_id, s.from_at LIMIT $2`,
);
