import type { BackendRow, Trust } from '@moorage/contract/backends';
import { statement } from '../database/statement';

export interface Listed {
  id: string;
  title: string;
  address: string;
  username: string;
  sites: string[];
  trust: Trust;
  cap: number | null;
  version: number;
  reachable: boolean;
  healthy: boolean;
  problem: BackendRow['problem'];
  checked_at: Date | null;
  degraded: number;
  nodes: number;
  disks: number;
}

const listed = `SELECT b.id, b.title, b.address, b.username, b.sites, b.trust, b.cap, b.version, b.reachable, b.healthy, b.problem, b.checked_at,
   (SELECT count(*) FROM backend_volumes v WHERE v.backend_id = b.id AND v.degraded) AS degraded,
   (SELECT count(*) FROM backend_nodes n WHERE n.backend_id = b.id) AS nodes,
   (SELECT count(*) FROM backend_disks d WHERE d.backend_id = b.id) AS disks FROM backends b`;

/** Backends with how much there is of each. `id`: that one alone. */
export const backendsListed = statement<Listed, [id: string | null]>(
  `${listed} WHERE $1::text IS NULL OR b.id = $1 ORDER BY b.id LIMIT 500`,
);

/** Adds a backend of the estate, or brings its address up to date. One that a person has forgotten stays so. */
export const ensureBackend = statement<
  object,
  [id: string, title: string, address: string, username: string, secret: Buffer, sites: readonly string[]]
>(
  `INSERT INTO backends (id, title, address, username, secret, sites) SELECT $1, $2, $3, $4, $5, $6
   -- one that a person has forgotten stays so
   WHERE NOT EXISTS (SELECT 1 FROM logbook WHERE kind = 'backend' AND action = 'delete' AND subject = $1)
   ON CONFLICT (id) DO UPDATE SET address = excluded.address`,
);

/** The database's own time, now and not when the transaction began. */
export const clock = statement<{ at: Date }>('SELECT clock_timestamp() AS at');

/** Notes that a backend cannot be used, and whether that is news. */
export const noteUnreachable = statement<object, [id: string, problem: string]>(
  `UPDATE backends SET reachable = false, problem = $2::jsonb, checked_at = now()
   WHERE id = $1 AND (reachable OR problem IS DISTINCT FROM $2::jsonb) RETURNING id`,
);

/** Writes pools as a backend tells of them; gives those that differ. One that is being commissioned is there when it is whole. */
export const takePools = statement<object, [backend: string, pools: string]>(
  `INSERT INTO pools (id, backend_id, name, path, facts, largest_usable)
   SELECT id, $1, name, path, facts, usable FROM jsonb_to_recordset($2::jsonb)
     AS p(id text, name text, path text, facts jsonb, usable bigint)
   -- a pool that is being commissioned is there when it is whole
   WHERE NOT EXISTS (SELECT 1 FROM reshapes r WHERE r.backend_id = $1 AND r.pool = p.name AND r.kind = 'commission' AND r.ended_at IS NULL)
   ORDER BY id
   ON CONFLICT (id) DO UPDATE SET facts = excluded.facts, path = excluded.path, seen_at = now(), gone_since = NULL,
     largest_usable = greatest(pools.largest_usable, excluded.largest_usable)
   WHERE pools.backend_id = $1 AND (pools.facts IS DISTINCT FROM excluded.facts OR pools.gone_since IS NOT NULL
     OR pools.largest_usable < excluded.largest_usable) RETURNING id`,
);

/** Notes pools that a backend lists no longer. */
export const notePoolsGone = statement<{ id: string }, [backend: string, listed: readonly string[]]>(
  `UPDATE pools SET gone_since = now() WHERE backend_id = $1 AND gone_since IS NULL AND NOT id = ANY($2) RETURNING id`,
);

/** Forgets pools that are gone and that nothing hangs on. */
export const dropPoolsGone = statement<object, [backend: string]>(
  `DELETE FROM pools p WHERE backend_id = $1 AND gone_since IS NOT NULL
   AND NOT EXISTS (SELECT 1 FROM reservations r WHERE r.pool_id = p.id)
   AND NOT EXISTS (SELECT 1 FROM further_copies f WHERE f.pool_id = p.id)
   AND NOT EXISTS (SELECT 1 FROM moorings m WHERE m.pool_id = p.id)`,
);

/** Takes what a backend lists at a moment in the place of the volumes that were known; gives what is new, changed or gone. What was made since is not in its list. */
export const takeVolumes = statement<
  { volume_id: string; gone: boolean },
  [backend: string, volumes: string, asked: Date]
>(
  `WITH fresh AS (
     SELECT * FROM jsonb_to_recordset($2::jsonb) AS v(volume_id text, name text, pool_id text, bytes bigint, raw_bytes bigint,
       consumed bigint, degraded boolean, reachable boolean, copies jsonb, encrypted boolean, iops_ceiling double precision,
       throughput_ceiling double precision, instance text)
   ), gone AS (
     DELETE FROM backend_volumes b WHERE backend_id = $1 AND seen_at < $3 AND NOT EXISTS (SELECT 1 FROM fresh f WHERE f.volume_id = b.volume_id) RETURNING volume_id
   ), kept AS (
     INSERT INTO backend_volumes (backend_id, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, reachable, copies, encrypted,
       iops_ceiling, throughput_ceiling, instance, seen_at)
     SELECT $1, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, reachable, copies, encrypted, iops_ceiling,
       throughput_ceiling, instance, $3 FROM fresh
     ON CONFLICT (backend_id, volume_id) DO UPDATE SET name = excluded.name, pool_id = excluded.pool_id, bytes = excluded.bytes, raw_bytes = excluded.raw_bytes,
       consumed = excluded.consumed, degraded = excluded.degraded, reachable = excluded.reachable, copies = excluded.copies,
       encrypted = excluded.encrypted, iops_ceiling = excluded.iops_ceiling, throughput_ceiling = excluded.throughput_ceiling,
       instance = excluded.instance
     WHERE (backend_volumes.name, backend_volumes.pool_id, backend_volumes.bytes, backend_volumes.consumed, backend_volumes.degraded,
         backend_volumes.reachable, backend_volumes.copies, backend_volumes.encrypted, backend_volumes.iops_ceiling,
         backend_volumes.throughput_ceiling, backend_volumes.instance)
       IS DISTINCT FROM (excluded.name, excluded.pool_id, excluded.bytes, excluded.consumed, excluded.degraded, excluded.reachable,
         excluded.copies, excluded.encrypted, excluded.iops_ceiling, excluded.throughput_ceiling, excluded.instance) RETURNING volume_id
   )
   SELECT volume_id, true AS gone FROM gone UNION ALL SELECT volume_id, false FROM kept`,
);

/** Notes that a backend answers, and whether that is news; counts its inventory on when it changed. */
export const noteReachable = statement<
  { changed: boolean },
  [id: string, healthy: boolean, changes: number, identity: string | undefined]
>(
  `UPDATE backends b SET reachable = true, healthy = $2, problem = NULL, checked_at = now(), identity = coalesce($4, identity),
     inventory_version = inventory_version + $3
   FROM (SELECT reachable, healthy FROM backends WHERE id = $1) old
   WHERE b.id = $1 RETURNING (NOT old.reachable OR old.healthy <> $2) AS changed`,
);
