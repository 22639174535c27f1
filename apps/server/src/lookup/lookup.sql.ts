import type { Found } from '@moorage/contract/lookup';
import { statement } from '../database/statement';
import { claimsOf } from '../mirror/claim-rows.sql';

/** Of each kind at most. */
const most = 6;
/** What begins with the text comes before what has it elsewhere. */
const one = (select: string) => `(SELECT * FROM (${select}) k ORDER BY (k.name ILIKE $2) DESC, k.name LIMIT ${most})`;

/**
 * Everything with a text in its name or identifiers, a few of each kind. `$1`: the pattern that finds it anywhere, `$2` the one for
 * what begins with it, `$3` the text itself, since a device's path holds its disk's identifier; `$4`: those namespaces alone.
 */
export const lookFor = statement<
  Found,
  [anywhere: string, begins: string, text: string, namespaces: readonly string[] | null]
>(
  [
    `SELECT 'claim' AS kind, c.name, c.namespace AS of, CASE WHEN c.namespace || '/' || c.name ILIKE $1 THEN NULL
         WHEN c.uid ILIKE $1 THEN c.uid WHEN c.volume_name ILIKE $1 THEN c.volume_name ELSE c.backend_id || '/' || c.volume_id END AS by
       FROM ${claimsOf(`SELECT s.claim_uid FROM claim_states s WHERE s.namespace || '/' || s.name || ' ' || s.class_name ILIKE $1
           OR lower(s.claim_uid) LIKE lower($2)
         UNION SELECT r.claim_uid FROM reservations r WHERE lower(r.volume_name) LIKE lower($2) OR lower(r.volume_id) LIKE lower($2)
         UNION SELECT r.claim_uid FROM reservations r JOIN pools p ON p.id = r.pool_id WHERE strpos($3, '/') > 0
           AND lower(p.backend_id) LIKE split_part(lower($2), '/', 1) AND lower(r.volume_id) LIKE split_part(lower($2), '/', 2)`)}
       WHERE ($4::text[] IS NULL OR c.namespace = ANY($4))`,
    `SELECT 'adrift' AS kind, r.namespace || '/' || r.claim_name AS name, NULL AS of, r.claim_uid AS by FROM reservations r
       WHERE r.state IN ('adrift', 'returning') AND (r.namespace || '/' || r.claim_name ILIKE $1 OR r.volume_name ILIKE $1
         OR r.volume_id ILIKE $1) AND ($4::text[] IS NULL OR r.namespace = ANY($4))`,
    `SELECT 'adrift' AS kind, v.name, NULL AS of, v.backend_id || '/' || v.volume_id AS by FROM backend_volumes v
       WHERE $4::text[] IS NULL AND NOT v.ours AND v.name || ' ' || v.backend_id || '/' || v.volume_id ILIKE $1`,
    `SELECT 'bucket' AS kind, o.name, o.namespace AS of, CASE WHEN o.name ILIKE $1 THEN NULL ELSE b.name END AS by FROM platform_objects o
       LEFT JOIN buckets b ON b.claim_uid = o.uid WHERE o.plural = 'bucketclaims'
         AND (o.namespace || '/' || o.name ILIKE $1 OR o.uid ILIKE $1 OR b.name ILIKE $1) AND ($4::text[] IS NULL OR o.namespace = ANY($4))`,
    `SELECT 'pod' AS kind, o.name, o.namespace AS of, NULL AS by FROM platform_objects o
       WHERE o.plural = 'pods' AND o.name ILIKE $1 AND ($4::text[] IS NULL OR o.namespace = ANY($4))`,
    `SELECT 'application' AS kind, o.name, o.namespace AS of, NULL AS by FROM platform_objects o
       WHERE o.plural = 'statefulsets' AND o.name ILIKE $1 AND ($4::text[] IS NULL OR o.namespace = ANY($4))`,
    `SELECT 'disk' AS kind, d.id AS name, d.backend_id AS of, d.node AS by FROM backend_disks d
       WHERE d.id ILIKE $1 OR strpos(lower($3), lower(d.id)) > 0`,
    `SELECT 'node' AS kind, o.name, NULL AS of, NULL AS by FROM platform_objects o WHERE o.plural = 'nodes' AND o.name ILIKE $1`,
    `SELECT 'pool' AS kind, p.name, p.backend_id AS of, NULL AS by FROM pools p WHERE p.id ILIKE $1 OR p.name ILIKE $1`,
    `SELECT 'backend' AS kind, b.id AS name, NULL AS of, b.title AS by FROM backends b WHERE b.id ILIKE $1 OR b.title ILIKE $1`,
    `SELECT 'class' AS kind, o.name, NULL AS of, NULL AS by FROM platform_objects o WHERE o.plural = 'storageclasses' AND o.name ILIKE $1`,
    `SELECT 'namespace' AS kind, o.name, o.name AS of, NULL AS by FROM platform_objects o
       WHERE o.plural = 'namespaces' AND o.name ILIKE $1 AND ($4::text[] IS NULL OR o.name = ANY($4))`,
  ]
    .map(one)
    .join(' UNION ALL '),
);
