import { statement } from '../database/statement';

export interface UsageRow {
  namespace: string;
  class_name: string;
  claims: number;
  unbound: number;
  requested: number;
  provisioned: number;
  consumed: number;
  footprint: number;
}

/** What is used per namespace and class, volumes and buckets without a claim included. `namespaces`: those alone. */
export const usageByClass = statement<UsageRow, [namespaces: readonly string[] | null]>(
  `SELECT coalesce(c.namespace, r.namespace) AS namespace, coalesce(c.class_name, r.class_name, '') AS class_name,
     count(c.uid) AS claims, count(c.uid) FILTER (WHERE c.phase <> 'Bound') AS unbound,
     coalesce(sum(c.size_bytes), 0)::bigint AS requested, coalesce(sum(r.bytes), 0)::bigint AS provisioned,
     coalesce(sum(v.consumed), 0)::bigint AS consumed, coalesce(sum(r.raw_bytes + coalesce(f.raw_bytes, 0)), 0)::bigint AS footprint
   FROM (SELECT uid, namespace, class_name, phase, size_bytes FROM platform_objects WHERE plural = 'persistentvolumeclaims') c
   FULL JOIN reservations r ON r.claim_uid = c.uid
   LEFT JOIN (SELECT claim_uid, sum(raw_bytes) AS raw_bytes FROM further_copies GROUP BY 1) f ON f.claim_uid = r.claim_uid
   LEFT JOIN pools p ON p.id = r.pool_id
   LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
   WHERE $1::text[] IS NULL OR coalesce(c.namespace, r.namespace) = ANY($1)
   GROUP BY 1, 2
   UNION ALL
   SELECT coalesce(c.namespace, b.namespace), coalesce(c.class_name, b.class_name, ''), count(c.uid),
     count(c.uid) FILTER (WHERE b.state IS DISTINCT FROM 'ready'), coalesce(sum(b.bytes), 0)::bigint, coalesce(sum(b.bytes), 0)::bigint,
     coalesce(sum(b.written), 0)::bigint, coalesce(sum(b.raw_bytes), 0)::bigint
   FROM (SELECT uid, namespace, class_name FROM platform_objects WHERE plural = 'bucketclaims') c
   FULL JOIN buckets b ON b.claim_uid = c.uid
   WHERE $1::text[] IS NULL OR coalesce(c.namespace, b.namespace) = ANY($1)
   GROUP BY 1, 2 ORDER BY 1, 2 LIMIT 100000`,
);
