import type { PlacementState } from '@moorage/contract/moorings';
import { statement } from '../database/statement';

/** What is provisioned per namespace and class, or held for claims that are to come. `namespaces`: those alone. */
export const usageOf = statement<PlacementState['usage'][number], [namespaces: readonly string[] | null]>(
  `SELECT namespace, class_name AS "className", sum(bytes)::bigint AS provisioned FROM (
     SELECT namespace, class_name, bytes FROM held_totals WHERE claims <> 0
     UNION ALL SELECT namespace, class_name, bytes FROM planned_places WHERE held_until IS NOT NULL) held
   WHERE $1::text[] IS NULL OR namespace = ANY($1) GROUP BY 1, 2 LIMIT 100000`,
);

/** Limits of claims and of reserved IOPS, with what is used of each. */
export const countedOf = statement<PlacementState['counts'][number], [namespaces: readonly string[] | null]>(
  `SELECT l.namespace, nullif(l.class_name, '') AS "className", l.measure AS of, l.amount AS "limit",
     CASE l.measure WHEN 'claims' THEN u.claims ELSE u.iops END AS used
   FROM counted_limits l CROSS JOIN LATERAL (
     SELECT coalesce(sum(h.claims), 0)::double precision AS claims, coalesce(sum(h.iops), 0) AS iops FROM held_totals h
     WHERE h.namespace = l.namespace AND (l.class_name = '' OR h.class_name = l.class_name)) u
   WHERE l.measure <> 'snapshots' AND ($1::text[] IS NULL OR l.namespace = ANY($1)) ORDER BY 1, 2, 3 LIMIT 100000`,
);

/** Classes that are not open, with the namespaces that were granted them. */
export const closedClasses = statement<PlacementState['grants'][number], [namespaces: readonly string[] | null]>(
  `SELECT a.class_name AS "className", coalesce(array_agg(g.namespace ORDER BY g.namespace) FILTER (WHERE g.namespace IS NOT NULL), '{}') AS namespaces
   FROM class_access a LEFT JOIN grants g ON g.class_name = a.class_name AND ($1::text[] IS NULL OR g.namespace = ANY($1))
   WHERE NOT a.open GROUP BY 1 LIMIT 2000`,
);

/** What is held on each pool for each class, by size. */
export const heldOnPools = statement<PlacementState['held'][number], [namespaces: readonly string[] | null]>(
  `SELECT class_name AS "className", pool_id AS pool, bytes, count(*) AS count, sum(iops_floor) AS floor
   FROM reservations WHERE state <> 'adrift' AND ($1::text[] IS NULL OR namespace = ANY($1)) GROUP BY 1, 2, 3 ORDER BY 1, 2, 3 LIMIT 100000`,
);
