import type { BackendVolumeRow } from '@moorage/contract/inventory';
import { statement } from '../database/statement';

export interface StoredDisk {
  id: string;
  node: string;
  media: string;
  capacity: number;
  works: boolean;
  failing: boolean;
  lasting: boolean;
  life_left: number;
  use: string;
  owner: string | null;
  provisioned: number | null;
  written: number | null;
}

export interface Resources {
  cpu?: string;
  memory?: string;
}

/** Takes what a backend tells of its nodes in the place of what was known; gives what differs. */
export const takeNodes = statement<{ name: string }, [backend: string, nodes: string]>(
  `WITH fresh AS (SELECT * FROM jsonb_to_recordset($2::jsonb) AS n(name text, zone text, rack text, up boolean)),
   gone AS (DELETE FROM backend_nodes b WHERE backend_id = $1 AND NOT EXISTS (SELECT 1 FROM fresh f WHERE f.name = b.name) RETURNING name),
   kept AS (
     INSERT INTO backend_nodes (backend_id, name, zone, rack, up) SELECT $1, name, zone, rack, up FROM fresh
     ON CONFLICT (backend_id, name) DO UPDATE SET zone = excluded.zone, rack = excluded.rack, up = excluded.up
     WHERE (backend_nodes.zone, backend_nodes.rack, backend_nodes.up) IS DISTINCT FROM (excluded.zone, excluded.rack, excluded.up)
     RETURNING name)
   SELECT name FROM gone UNION ALL SELECT name FROM kept`,
);

/** The same of its disks. */
export const takeDisks = statement<{ id: string }, [backend: string, disks: string]>(
  `WITH fresh AS (
     SELECT * FROM jsonb_to_recordset($2::jsonb) AS d(id text, node text, media text, capacity bigint, works boolean,
       failing boolean, lasting boolean, life_left integer, use text, owner text)),
   gone AS (DELETE FROM backend_disks b WHERE backend_id = $1 AND NOT EXISTS (SELECT 1 FROM fresh f WHERE f.id = b.id) RETURNING id),
   kept AS (
     INSERT INTO backend_disks (backend_id, id, node, media, capacity, works, failing, lasting, life_left, use, owner)
     SELECT $1, id, node, media, capacity, works, failing, lasting, life_left, use, owner FROM fresh
     ON CONFLICT (backend_id, id) DO UPDATE SET node = excluded.node, media = excluded.media, capacity = excluded.capacity,
       works = excluded.works, failing = excluded.failing, lasting = excluded.lasting, life_left = excluded.life_left,
       use = excluded.use, owner = excluded.owner
     WHERE (backend_disks.node, backend_disks.media, backend_disks.capacity, backend_disks.works, backend_disks.failing,
         backend_disks.lasting, backend_disks.life_left, backend_disks.use, backend_disks.owner)
       IS DISTINCT FROM (excluded.node, excluded.media, excluded.capacity, excluded.works, excluded.failing,
         excluded.lasting, excluded.life_left, excluded.use, excluded.owner)
     RETURNING id)
   SELECT id FROM gone UNION ALL SELECT id FROM kept`,
);

/** Notes the ways to a backend where they differ. */
export const takeWays = statement<{ id: string }, [backend: string, ways: string]>(
  'UPDATE backends SET ways = $2::jsonb WHERE id = $1 AND ways IS DISTINCT FROM $2::jsonb RETURNING id',
);

/** Marks the volumes of claims that are gone from a backend, and unmarks those that are there again. */
export const markMissing = statement<
  { namespace: string; claim_name: string },
  [backend: string, gone: readonly string[], there: readonly string[]]
>(
  `UPDATE reservations r SET missing_since = CASE WHEN r.volume_id = ANY($2) THEN now() END
   FROM pools p WHERE p.id = r.pool_id AND p.backend_id = $1 AND r.state IN ('made', 'bound', 'adrift')
     AND ((r.volume_id = ANY($2) AND r.missing_since IS NULL) OR (r.volume_id = ANY($3) AND r.missing_since IS NOT NULL))
   RETURNING r.namespace, r.claim_name`,
);

/** What we hold of the places of copies follows where a cluster moved them. */
export const moveCopies = statement<object, [backend: string]>(
  `WITH held AS (
     SELECT h.claim_uid, h.pool_id, h.bytes, h.volume_id FROM (
       SELECT claim_uid, pool_id, bytes, volume_id FROM reservations
       UNION ALL SELECT claim_uid, pool_id, bytes, volume_id FROM further_copies
     ) h JOIN pools p ON p.id = h.pool_id WHERE p.backend_id = $1
       -- a copy that is being made or taken away is held until that has ended
       AND NOT EXISTS (SELECT 1 FROM operations o WHERE o.holds = 'size' AND o.subject = h.claim_uid AND o.kind = 'copies')
   ), seen AS (
     SELECT h.claim_uid, h.pool_id, h.bytes, c ->> 'disk' AS disk, c ->> 'node' AS node
     FROM held h JOIN backend_volumes v ON v.backend_id = $1 AND v.volume_id = h.volume_id,
       jsonb_array_elements(v.copies) c
   ), moved AS (
     SELECT claim_uid, pool_id FROM seen s GROUP BY claim_uid, pool_id
     HAVING array_agg(disk ORDER BY disk) IS DISTINCT FROM
       (SELECT array_agg(c.disk ORDER BY c.disk) FROM reservation_copies c
        WHERE c.claim_uid = s.claim_uid AND c.pool_id = s.pool_id AND c.role = 'data')
   ), dropped AS (
     -- a witness holds no data, so no backend tells of it
     DELETE FROM reservation_copies c USING moved m
     WHERE c.claim_uid = m.claim_uid AND c.pool_id = m.pool_id AND c.role = 'data'
       AND NOT EXISTS (SELECT 1 FROM seen s WHERE s.claim_uid = c.claim_uid AND s.disk = c.disk)
   )
   INSERT INTO reservation_copies (claim_uid, pool_id, disk, node, domain, bytes)
   SELECT s.claim_uid, s.pool_id, s.disk, s.node, s.node, s.bytes FROM seen s JOIN moved m USING (claim_uid, pool_id)
   ON CONFLICT (claim_uid, disk) DO UPDATE SET role = 'data', bytes = excluded.bytes`,
);

/** Disks of a backend with what the copies on them hold. */
export const disksWithUse = statement<StoredDisk, [backend: string]>(
  `SELECT d.id, d.node, d.media, d.capacity, d.works, d.failing, d.lasting, d.life_left, d.use, d.owner, u.provisioned, u.written
   FROM backend_disks d LEFT JOIN (
     SELECT c ->> 'disk' AS disk, sum(v.bytes)::bigint AS provisioned, sum(v.consumed)::bigint AS written
     FROM backend_volumes v, jsonb_array_elements(v.copies) c WHERE v.backend_id = $1 GROUP BY 1
   ) u ON u.disk = d.id WHERE d.backend_id = $1 ORDER BY d.node, d.id LIMIT 100000`,
);

/** Which part of its capacity each disk of a pool of shards holds: they lie evenly. */
export const shardShares = statement<{ id: string; promised: number; written: number }, [backend: string]>(
  `SELECT id, reserved_raw / greatest(raw, 1) AS promised, (facts ->> 'consumedRaw')::double precision / greatest(raw, 1) AS written
   FROM (SELECT p.id, p.facts, p.reserved_raw::double precision AS reserved_raw,
       (SELECT sum((d ->> 'capacity')::double precision) FROM jsonb_array_elements(p.facts -> 'disks') d) AS raw
     FROM pools p WHERE p.backend_id = $1 AND p.facts #>> '{redundancy,scheme,kind}' = 'erasure') s`,
);

/** What each node of the platform has for pods. */
export const allocatableOnNodes = statement<{ name: string; allocatable: Resources | null }>(
  `SELECT name, body #> '{status,allocatable}' AS allocatable FROM platform_objects WHERE plural = 'nodes' LIMIT 10000`,
);

/** What the containers of pods ask for, by node. */
export const requestsOfPods = statement<{ node: string; requests: Resources }>(
  `SELECT p.body #>> '{spec,nodeName}' AS node, c #> '{resources,requests}' AS requests
   FROM platform_objects p, jsonb_array_elements(p.body #> '{spec,containers}') c
   WHERE p.plural = 'pods' AND p.body #>> '{spec,nodeName}' IS NOT NULL AND c #> '{resources,requests}' IS NOT NULL LIMIT 200000`,
);

const from = `FROM backend_volumes v LEFT JOIN reservations r ON r.volume_name = v.name
   WHERE v.backend_id = $1 AND ($2::text IS NULL OR v.name ILIKE $2 OR v.volume_id ILIKE $2 OR v.pool_id ILIKE $2
     OR r.namespace || '/' || r.claim_name ILIKE $2) AND ($3::boolean IS NULL OR v.degraded = $3)
   AND ($4::text[] IS NULL OR r.namespace = ANY($4))`;

/** Volumes on a backend, each with the claim that holds it; what misses copies first. `like` is a pattern for names and identifiers. */
export const volumesListed = statement<
  BackendVolumeRow,
  [
    backend: string,
    like: string | undefined,
    degraded: boolean | undefined,
    namespaces: readonly string[] | null,
    limit: number,
    offset: number,
  ]
>(
  `SELECT v.volume_id AS id, v.name, v.pool_id AS pool, v.bytes, v.consumed, v.degraded, v.copies,
     r.namespace || '/' || r.claim_name AS claim ${from}
   ORDER BY v.degraded DESC, v.consumed DESC, v.volume_id LIMIT $5 OFFSET $6`,
);

/** How many there are in all pages together. */
export const volumesCounted = statement<
  { count: number },
  [backend: string, like: string | undefined, degraded: boolean | undefined, namespaces: readonly string[] | null]
>(`SELECT count(*) ${from}`);
