import { leastLifePercent } from '@moorage/core/clusters/disk';
import type { Drift } from '@moorage/core/drift/drift';
import { takenOf } from '../pools/pools.sql';
import { statement } from '../database/statement';
import { mostNamed } from './stuck.sql';

export interface BackendState {
  id: string;
  reachable: boolean;
  problem: { code: string; detail: string } | null;
  checked_at: Date | null;
  claims: number;
  cap: number | null;
  taken: number;
}

export interface PoolClaims {
  pool_id: string;
  claims: number;
  some: string[];
}

/** How each backend is, and what is promised of it. */
export const backendStates = statement<BackendState>(
  `SELECT b.id, b.reachable, b.problem, b.checked_at, b.cap,
     (SELECT coalesce(sum(s.claims), 0)::bigint FROM pools p JOIN pool_sums s ON s.pool_id = p.id WHERE p.backend_id = b.id) AS claims,
     ${takenOf('b.id')} AS taken
   FROM backends b LIMIT 500`,
);

/** How many claims each pool holds, and some of them. */
export const claimsOnPools = statement<PoolClaims>(
  `SELECT s.pool_id, s.claims, (SELECT array_agg(namespace || '/' || claim_name ORDER BY namespace, claim_name) FROM (
       SELECT namespace, claim_name FROM reservations r WHERE r.pool_id = s.pool_id ORDER BY namespace, claim_name LIMIT ${mostNamed}) r) AS some
   FROM pool_sums s WHERE s.claims > 0 LIMIT 5000`,
);

/** The most each pool ever could keep. A change that is under way, or a node that is down, explains why one keeps less: it is told there. */
export const largestEver = statement<{ id: string; largest_usable: number; explained: boolean }>(
  `SELECT p.id, p.largest_usable,
     EXISTS (SELECT 1 FROM reshapes r WHERE r.backend_id = p.backend_id AND r.pool = p.name AND r.ended_at IS NULL)
     OR EXISTS (SELECT 1 FROM backend_nodes n JOIN backend_disks d ON d.backend_id = n.backend_id AND d.node = n.name
       WHERE n.backend_id = p.backend_id AND NOT n.up AND d.owner = p.name) AS explained
   FROM pools p LIMIT 5000`,
);

/** Disks of pools that failed, will soon, or are worn. */
export const unwellDisks = statement<{
  backend_id: string;
  id: string;
  node: string;
  works: boolean;
  failing: boolean;
  life_left: number;
  owner: string;
  copies: number;
  up: boolean | null;
}>(
  `SELECT d.backend_id, d.id, d.node, d.works, d.failing, d.life_left, d.owner, n.up,
     (SELECT count(*) FROM reservation_copies c WHERE c.disk = d.id) AS copies
   FROM backend_disks d LEFT JOIN backend_nodes n ON n.backend_id = d.backend_id AND n.name = d.node
   WHERE (NOT d.works OR d.failing OR d.life_left < ${leastLifePercent}) AND d.owner IS NOT NULL ORDER BY d.id LIMIT 500`,
);

/** Nodes that are down and have disks of pools, with what misses copies because of them. */
export const lostNodes = statement<{
  backend_id: string;
  name: string;
  disks: number;
  volumes: number;
  some: string[] | null;
}>(
  `SELECT n.backend_id, n.name, count(d.id) AS disks, v.volumes, v.some FROM backend_nodes n
   JOIN backend_disks d ON d.backend_id = n.backend_id AND d.node = n.name AND d.owner IS NOT NULL
   CROSS JOIN LATERAL (
     SELECT count(DISTINCT v.volume_id) AS volumes,
       (array_agg(DISTINCT coalesce(r.namespace || '/' || r.claim_name, v.name)))[1:${mostNamed}] AS some
     FROM backend_volumes v CROSS JOIN jsonb_array_elements(v.copies) c LEFT JOIN reservations r ON r.volume_name = v.name
     WHERE v.backend_id = n.backend_id AND v.degraded AND c ->> 'node' = n.name AND c ->> 'state' <> 'Synchronized') v
   WHERE NOT n.up GROUP BY 1, 2, 4, 5 LIMIT 500`,
);

/** Volumes that miss copies for another reason than a node that is down, by pool. */
export const missingCopies = statement<{
  pool_id: string;
  backend_id: string;
  count: number;
  syncing: number;
  bytes: number;
  some: string[];
}>(
  `SELECT v.pool_id, v.backend_id, count(DISTINCT v.volume_id) AS count,
     count(DISTINCT v.volume_id) FILTER (WHERE c ->> 'state' = 'Synchronizing') AS syncing,
     coalesce(sum(v.consumed * (100 - (c ->> 'percent')::numeric) / 100), 0)::bigint AS bytes,
     (array_agg(DISTINCT coalesce(r.namespace || '/' || r.claim_name, v.name)))[1:${mostNamed}] AS some
   FROM backend_volumes v CROSS JOIN jsonb_array_elements(v.copies) c LEFT JOIN reservations r ON r.volume_name = v.name
   LEFT JOIN backend_nodes n ON n.backend_id = v.backend_id AND n.name = c ->> 'node'
   -- what a node that is down keeps is that node's finding
   WHERE v.degraded AND v.reachable AND c ->> 'state' <> 'Synchronized' AND coalesce(n.up, true) GROUP BY 1, 2`,
);

/** Volumes of ours that no claim holds any more, by backend. */
export const adriftVolumes = statement<{
  backend_id: string;
  count: number;
  bytes: number;
  consumed: number;
  some: string[];
}>(
  `SELECT v.backend_id, count(*) AS count, sum(v.bytes)::bigint AS bytes, sum(v.consumed)::bigint AS consumed,
     (array_agg(v.name ORDER BY v.name))[1:${mostNamed}] AS some
   FROM (SELECT v.* FROM backend_volumes v WHERE NOT v.ours
     UNION ALL SELECT v.* FROM reservations r CROSS JOIN LATERAL (SELECT * FROM backend_volumes v WHERE v.name = r.volume_name OFFSET 0) v WHERE r.state = 'adrift') v
   WHERE v.name LIKE 'pvc-%' AND v.seen_at < now() - interval '1 minute' GROUP BY 1`,
);

/** In which ways volumes are not as they were declared; those that are lost, or miss copies, are findings of their own. */
export const driftsByKind = statement<{ kind: Drift['kind']; actual: string | null; count: number; some: string[] }>(
  `SELECT d.kind, CASE d.kind WHEN 'reclaim' THEN d.actual #>> '{}' END AS actual, count(*) AS count, (array_agg(r.namespace || '/' || r.claim_name ORDER BY d.since, r.claim_name))[1:${mostNamed}] AS some
   FROM drifts d JOIN reservations r ON r.claim_uid = d.claim_uid
   WHERE d.kind NOT IN ('not-on-backend', 'copies-fewer', 'copies-more') AND d.since < now() - interval '10 seconds' GROUP BY 1, 2`,
);

/** Classes of a provisioner. */
export const countClasses = statement<{ count: number }, [provisioner: string]>(
  `SELECT count(*) FROM platform_objects WHERE plural = 'storageclasses' AND body ->> 'provisioner' = $1`,
);

/** Changes of disks whose tries fail again and again. */
export const stalledChanges = statement<{
  id: string;
  backend_id: string;
  pool: string;
  kind: string;
  error: { detail: string };
}>(
  `SELECT r.id, r.backend_id, r.pool, r.kind, op.error FROM reshapes r JOIN operations op ON op.kind = 'reshape' AND op.subject = r.id::text
   WHERE r.ended_at IS NULL AND op.error IS NOT NULL AND op.attempts >= 2 LIMIT 100`,
);

/** What could be had back and is not set aside, by kind. */
export const wasteByKind = statement<{ kind: string; count: number; raw: number; saved: number; some: string[] }>(
  `SELECT w.kind, count(*)::integer AS count, sum(w.raw_bytes)::double precision AS raw, sum(w.saved_micros) / 1000000.0 AS saved,
     (array_agg(CASE w.namespace WHEN '' THEN w.name ELSE w.namespace || '/' || w.name END ORDER BY w.saved_micros DESC, w.subject))[1:${mostNamed}] AS some
   FROM waste w WHERE NOT EXISTS (SELECT 1 FROM findings_aside a WHERE a.id = 'waste:' || w.kind || ':' || w.subject AND a.until >= current_date)
   GROUP BY 1 LIMIT 10`,
);

/** Higher limits that were asked for and are not answered, by namespace; the one that waits longest first. */
export const limitsAsked = statement<{ namespace: string; count: number; some: string[]; since: Date }>(
  `SELECT namespace, count(*)::integer AS count, (array_agg(DISTINCT person))[1:5] AS some, min(at) AS since
   FROM limit_requests WHERE state = 'open' GROUP BY 1 ORDER BY min(at) LIMIT 100`,
);

/** Applications of which several replicas, or all copies of a volume, stand on one disk, node, rack or zone. */
export const standingTogether = statement<
  { of: 'replicas' | 'copies' | 'witness'; level: string; count: number; some: string[] },
  [namespaces: readonly string[] | null]
>(
  `SELECT of, level, count(*) AS count, (array_agg(application ORDER BY leaves_all DESC, application))[1:${mostNamed}] AS some
   FROM (SELECT p ->> 'of' AS of, p ->> 'level' AS level, a.namespace || '/' || a.name AS application,
       bool_or(p ->> 'leaves' = 'none') AS leaves_all
     FROM applications a CROSS JOIN jsonb_array_elements(a.points) p
     WHERE a.points @? '$[*] ? (@.level != "pool" && @.level != "backend")' AND p ->> 'level' NOT IN ('pool', 'backend')
       AND ($1::text[] IS NULL OR a.namespace = ANY($1)) GROUP BY 1, 2, 3) t
   GROUP BY 1, 2 ORDER BY 1, 2 LIMIT 50`,
);
