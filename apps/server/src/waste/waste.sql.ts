import type { WasteKind } from '@moorage/contract/waste';
import { statement } from '../database/statement';

/** Prices of now by pool, millionths of the currency a month; a pool whose tier has none costs nothing. */
const rated = `SELECT h.name AS pool_id, h.value AS tier, coalesce(r.micros_per_gib, 0) AS gib, coalesce(r.micros_per_iops, 0) AS iops
  FROM held_as h LEFT JOIN LATERAL (SELECT * FROM rates r WHERE r.tier = h.value AND r.from_at <= site_now() ORDER BY r.from_at DESC LIMIT 1) r ON true
  WHERE h.kind = 'tier' AND h.until_at IS NULL`;
const cost = `round(r.bytes / 1073741824.0 * t.gib + r.iops_floor * t.iops)`;
const held = `reservations r JOIN platform_objects c ON c.plural = 'persistentvolumeclaims' AND c.uid = r.claim_uid AND c.phase = 'Bound' AND NOT c.deleting
  LEFT JOIN rated t ON t.pool_id = r.pool_id`;

const keeps = (kind: WasteKind, select: string) => `
  INSERT INTO waste AS w (kind, subject, namespace, name, class_name, pool_id, since, bytes, raw_bytes, cost_micros, saved_micros, facts, reckoned_at)
  SELECT '${kind}', * FROM (${select}) s
  ON CONFLICT (kind, subject) DO UPDATE SET namespace = excluded.namespace, name = excluded.name, class_name = excluded.class_name,
    pool_id = excluded.pool_id, since = least(w.since, excluded.since), bytes = excluded.bytes, raw_bytes = excluded.raw_bytes,
    cost_micros = excluded.cost_micros, saved_micros = excluded.saved_micros, facts = excluded.facts, reckoned_at = excluded.reckoned_at`;

/** Notes which claims pods mount now, and forgets claims that are gone. */
export const noteMounts = statement(
  `WITH mounted AS (
     SELECT DISTINCT c.uid FROM platform_objects p CROSS JOIN LATERAL jsonb_array_elements(CASE WHEN jsonb_typeof(p.body #> '{spec,volumes}') = 'array' THEN p.body #> '{spec,volumes}' ELSE '[]' END) v
     JOIN platform_objects c ON c.plural = 'persistentvolumeclaims' AND c.namespace = p.namespace AND c.name = v #>> '{persistentVolumeClaim,claimName}'
     WHERE p.plural = 'pods' AND coalesce(p.phase, '') NOT IN ('Succeeded', 'Failed')
   ), gone AS (
     DELETE FROM claim_mounts m WHERE NOT EXISTS (SELECT 1 FROM platform_objects c WHERE c.plural = 'persistentvolumeclaims' AND c.uid = m.claim_uid)
   )
   INSERT INTO claim_mounts (claim_uid, last_at) SELECT uid, site_now() FROM mounted ORDER BY uid
   ON CONFLICT (claim_uid) DO UPDATE SET last_at = excluded.last_at`,
);

/** Claims that no pod has mounted for so many days; none ever since they were bound, or not since it was last seen. */
export const findUnmounted = statement<object, [at: Date, days: number]>(
  `WITH rated AS (${rated}) ${keeps(
    'unmounted',
    `SELECT r.claim_uid, r.namespace, r.claim_name, r.class_name, r.pool_id, i.since, r.bytes, r.raw_bytes,
       coalesce(${cost}, 0), coalesce(${cost}, 0), '{}'::jsonb, $1::timestamptz
     FROM ${held} LEFT JOIN claim_mounts m ON m.claim_uid = r.claim_uid
     CROSS JOIN LATERAL (SELECT greatest(min(u.from_at), m.last_at) AS since FROM uses u WHERE u.claim_uid = r.claim_uid AND u.part = '') i
     WHERE i.since < site_now() - $2 * interval '1 day'`,
  )}`,
);

/** Claims that held less than a share of what they have on each of so many days. What they would need is twice the most they held. */
export const findOversized = statement<object, [at: Date, days: number, share: number]>(
  `WITH rated AS (${rated}), told AS (
     SELECT s.name AS claim_uid, max(d.written_most) AS most, min(d.at) AS first FROM series s JOIN rolled_1d d ON d.series_id = s.id
     WHERE s.kind = 'claim' AND d.at >= $1::timestamptz - ($2::integer + 1) * interval '1 day' AND d.written_count > 0 GROUP BY 1 HAVING count(*) >= $2
   ) ${keeps(
     'oversized',
     `SELECT r.claim_uid, r.namespace, r.claim_name, r.class_name, r.pool_id, o.first, r.bytes,
       ((r.bytes - n.need) * (r.raw_bytes::double precision / r.bytes))::bigint, coalesce(${cost}, 0),
       coalesce(round((r.bytes - n.need) / 1073741824.0 * t.gib), 0), jsonb_build_object('written', o.most), $1::timestamptz
     FROM ${held} JOIN told o ON o.claim_uid = r.claim_uid
     CROSS JOIN LATERAL (SELECT greatest(1073741824, 2 * o.most) AS need) n
     WHERE o.most < $3::double precision * r.bytes AND r.bytes > n.need`,
   )}`,
);

/** Our classes that no claim has used, and nobody asked for, since they were made, for so many days. */
export const findUnusedClasses = statement<object, [at: Date, days: number, provisioner: string]>(
  keeps(
    'class-unused',
    `SELECT c.name, '', c.name, c.name, '', greatest(c.created_at, (SELECT max(coalesce(u.until_at, u.from_at)) FROM use_keys k JOIN uses u ON u.key_id = k.id WHERE k.class_name = c.name)),
       0::bigint, 0::bigint, 0::bigint, 0::bigint, '{}'::jsonb, $1::timestamptz
     FROM platform_objects c WHERE c.plural = 'storageclasses' AND c.body ->> 'provisioner' = $3
       AND c.created_at < site_now() - $2 * interval '1 day'
       AND NOT EXISTS (SELECT 1 FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims' AND o.class_name = c.name)
       AND NOT EXISTS (SELECT 1 FROM reservations r WHERE r.class_name = c.name)`,
  ),
);

/** Claims on pools of a tier with the sketches of what they did on each of the last days, a part at a time in the order of their uids. */
export const profilesAfter = statement<
  {
    claim_uid: string;
    namespace: string;
    claim_name: string;
    class_name: string;
    pool_id: string;
    bytes: number;
    raw_bytes: number;
    cost: number;
    first: Date;
    sketches: number[][] | null;
  },
  [since: Date, tiers: readonly string[], days: number, after: string, most: number]
>(
  `WITH rated AS (${rated}), picked AS (
     SELECT r.claim_uid, r.namespace, r.claim_name, r.class_name, r.pool_id, r.bytes, r.raw_bytes, coalesce(${cost}, 0)::double precision AS cost
     FROM ${held} WHERE t.tier = ANY($2) AND r.claim_uid > $4 ORDER BY r.claim_uid LIMIT $5
   )
   SELECT x.*, p.first, CASE WHEN p.days >= $3::integer THEN p.sketches END AS sketches FROM picked x
   CROSS JOIN LATERAL (SELECT min(d.at) AS first, jsonb_agg(to_jsonb(d.iops_sketch)) FILTER (WHERE d.iops_sketch IS NOT NULL) AS sketches, count(*)::integer AS days
     FROM series s JOIN rolled_1d d ON d.series_id = s.id WHERE s.kind = 'claim' AND s.name = x.claim_uid AND d.at >= $1) p
   ORDER BY x.claim_uid`,
);

/** Prices of now by tier. */
export const ratesNow = statement<{ tier: string; gib: number; iops: number }>(
  `SELECT DISTINCT ON (tier) tier, micros_per_gib::double precision AS gib, micros_per_iops::double precision AS iops
   FROM rates WHERE from_at <= site_now() ORDER BY tier, from_at DESC LIMIT 10`,
);

/** Forgets what was not found again. */
export const dropOldWaste = statement<object, [before: Date]>('DELETE FROM waste WHERE reckoned_at < $1');

const asideOf = `LEFT JOIN findings_aside a ON a.id = 'waste:' || w.kind || ':' || w.subject AND a.until >= current_date`;
const seen = `($1::text[] IS NULL OR w.namespace = ANY($1))`;
export const wastePage = statement<
  {
    kind: WasteKind;
    subject: string;
    namespace: string;
    name: string;
    class_name: string;
    pool_id: string;
    since: Date;
    bytes: number;
    raw_bytes: number;
    cost_micros: number;
    saved_micros: number;
    facts: { written?: number; p95?: number; better?: string };
    reckoned_at: Date;
    reason: string | null;
    until: string | null;
    person: string | null;
  },
  [namespaces: readonly string[] | null, kind: string | null, part: string, aside: boolean, most: number]
>(
  `SELECT w.*, a.reason, a.until::text AS until, a.person FROM waste w ${asideOf}
   WHERE ${seen} AND ($2::text IS NULL OR w.kind = $2) AND (strpos(w.name, $3) > 0 OR strpos(w.namespace, $3) > 0) AND (a.id IS NOT NULL) = $4
   ORDER BY w.saved_micros DESC, w.raw_bytes DESC, w.kind, w.subject LIMIT $5`,
);
export const wasteSums = statement<
  { kind: WasteKind; count: number; raw: number; saved: number; aside: number },
  [namespaces: readonly string[] | null]
>(
  `SELECT w.kind, count(*) FILTER (WHERE a.id IS NULL)::integer AS count,
     coalesce(sum(w.raw_bytes) FILTER (WHERE a.id IS NULL), 0)::double precision AS raw,
     coalesce(sum(w.saved_micros) FILTER (WHERE a.id IS NULL), 0)::double precision AS saved, count(a.id)::integer AS aside
   FROM waste w ${asideOf} WHERE ${seen} GROUP BY 1 ORDER BY 1 LIMIT 10`,
);
