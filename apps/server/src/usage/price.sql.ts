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

export interface PromisedSpan {
  key_id: number;
  namespace: string;
  class_name: string;
  pool_id: string;
  application: string;
  from_at: Date;
  until_at: Date;
  provisioned: number;
  milli_iops: number;
}

/** What was promised to each key between two moments, span by span in which it stayed the same; nothing of spans without any. */
export const promisedBetween = statement<PromisedSpan, [from: Date, to: Date, most: number]>(
  `WITH since AS MATERIALIZED (SELECT max(day) AS day FROM use_days WHERE day <= $1), moved AS (
     SELECT key_id, $1::timestamptz AS at, provisioned, milli_iops FROM use_sums WHERE day = (SELECT day FROM since)
     UNION ALL
     SELECT key_id, greatest(at, $1), provisioned, milli_iops FROM use_changes
     WHERE at > coalesce((SELECT day FROM since), '-infinity') AND at < $2
   ), together AS (
     SELECT key_id, at, sum(provisioned)::bigint AS provisioned, sum(milli_iops)::bigint AS milli_iops FROM moved GROUP BY key_id, at
   ), spans AS (
     SELECT key_id, at AS from_at, lead(at, 1, $2::timestamptz) OVER w AS until_at,
       sum(provisioned) OVER w AS provisioned, sum(milli_iops) OVER w AS milli_iops
     FROM together WINDOW w AS (PARTITION BY key_id ORDER BY at)
   )
   SELECT s.key_id, k.namespace, k.class_name, k.pool_id, k.application, s.from_at, s.until_at, s.provisioned::bigint AS provisioned,
     s.milli_iops::bigint AS milli_iops
   FROM spans s JOIN use_keys k ON k.id = s.key_id
   WHERE (s.provisioned > 0 OR s.milli_iops > 0) AND s.until_at > s.from_at
   ORDER BY s.key_id, s.from_at LIMIT $3`,
);
