import type { BackendEvents, BackendVolumeRow, Inventory } from '@moorage/contract/inventory';
import { diskUses } from '@moorage/contract/inventory';
import type { NodeFree } from '@moorage/core/clusters/design';
import { parseCores } from '@moorage/core/nodes/cores';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import type { Sight } from '../people/sight';
import type { BackendView } from './connector';

/** Writes down nodes, disks and ways of a backend; gives how many of them changed. Only what changed is touched. */
export async function storeInventory(database: Database, id: string, view: BackendView): Promise<number> {
  const nodes = await database.rows(
    `WITH fresh AS (SELECT * FROM jsonb_to_recordset($2::jsonb) AS n(name text, zone text, rack text, up boolean)),
     gone AS (DELETE FROM backend_nodes b WHERE backend_id = $1 AND NOT EXISTS (SELECT 1 FROM fresh f WHERE f.name = b.name) RETURNING name),
     kept AS (
       INSERT INTO backend_nodes (backend_id, name, zone, rack, up) SELECT $1, name, zone, rack, up FROM fresh
       ON CONFLICT (backend_id, name) DO UPDATE SET zone = excluded.zone, rack = excluded.rack, up = excluded.up
       WHERE (backend_nodes.zone, backend_nodes.rack, backend_nodes.up) IS DISTINCT FROM (excluded.zone, excluded.rack, excluded.up)
       RETURNING name)
     SELECT name FROM gone UNION ALL SELECT name FROM kept`,
    [id, JSON.stringify(view.nodes)],
  );
  const disks = view.disks.map((d) => ({ ...d, life_left: d.lifeLeft, owner: d.owner ?? null }));
  const changed = await database.rows(
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
    [id, JSON.stringify(disks)],
  );
  const ways = await database.rows(
    'UPDATE backends SET ways = $2::jsonb WHERE id = $1 AND ways IS DISTINCT FROM $2::jsonb RETURNING id',
    [id, JSON.stringify(view.ways)],
  );
  return nodes.length + changed.length + ways.length;
}

/** Notes on the claims whose volumes the backend lists no more, and takes it off those whose volumes came back. */
export async function noteMissing(
  database: Database,
  backend: string,
  volumes: readonly { readonly volume_id: string; readonly gone: boolean }[],
): Promise<void> {
  const those = (gone: boolean) => volumes.filter((v) => v.gone === gone).map((v) => v.volume_id);
  const changed = await database.rows<{ namespace: string; claim_name: string }>(
    `UPDATE reservations r SET missing_since = CASE WHEN r.volume_id = ANY($2) THEN now() END
     FROM pools p WHERE p.id = r.pool_id AND p.backend_id = $1 AND r.state IN ('made', 'bound', 'adrift')
       AND ((r.volume_id = ANY($2) AND r.missing_since IS NULL) OR (r.volume_id = ANY($3) AND r.missing_since IS NOT NULL))
     RETURNING r.namespace, r.claim_name`,
    [backend, those(true), those(false)],
  );
  await announce(
    database,
    changed.slice(0, 100).map((c) => ({ topic: 'claims' as const, subject: `${c.namespace}/${c.claim_name}` })),
  );
}

/** A cluster moves copies by itself when it rebuilds or levels out: what we hold of their places follows. */
export async function followCopies(database: Database, backend: string): Promise<void> {
  await database.rows(
    `WITH held AS (
       SELECT h.claim_uid, h.pool_id, h.bytes, h.volume_id FROM (
         SELECT claim_uid, pool_id, bytes, volume_id FROM reservations
         UNION ALL SELECT claim_uid, pool_id, bytes, volume_id FROM further_copies
       ) h JOIN pools p ON p.id = h.pool_id WHERE p.backend_id = $1
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
    [backend],
  );
}

interface StoredDisk {
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

type Told = Omit<Inventory, 'nodes'> & {
  readonly nodes: Omit<Inventory['nodes'][number], 'freeCores' | 'freeMemory'>[];
};

/** What was told of large backends, kept as long as nothing of it changes. */
const told = new WeakMap<Database, Map<string, { version: number; told: Told; disks: string }>>();
const mostKept = 16;

async function tell(database: Database, id: string): Promise<{ told: Told; disks: string }> {
  const row = await database.one<{ version: number }>(
    'SELECT inventory_version AS version FROM backends WHERE id = $1',
    [id],
  );
  if (!row) throw HttpProblem.notFound('backend', id);
  const kept = told.get(database) ?? new Map<string, { version: number; told: Told; disks: string }>();
  told.set(database, kept);
  const known = kept.get(id);
  if (known?.version === row.version) return known;
  const fresh = await readInventory(database, id);
  const entry = { version: row.version, told: fresh, disks: JSON.stringify(fresh.disks) };
  kept.delete(id);
  kept.set(id, entry);
  if (kept.size > mostKept) kept.delete(kept.keys().next().value!);
  return entry;
}

const withFree = (nodes: Told['nodes'], free: ReadonlyMap<string, NodeFree>): Inventory['nodes'] =>
  nodes.map((n) => ({
    ...n,
    freeCores: free.get(n.name)?.cores ?? null,
    freeMemory: free.get(n.name)?.memory ?? null,
  }));

/** Nodes and disks of a backend, with what the platform leaves free on those nodes that are its own. */
export async function getInventory(database: Database, id: string): Promise<Inventory> {
  const [{ told: inventory }, free] = await Promise.all([tell(database, id), freeOnNodes(database)]);
  return { ...inventory, nodes: withFree(inventory.nodes, free) };
}

/** The same as text in JSON, its large part written once. */
export async function getInventoryText(database: Database, id: string): Promise<string> {
  const [{ told: inventory, disks }, free] = await Promise.all([tell(database, id), freeOnNodes(database)]);
  const { media, owners, sizes } = inventory;
  const rest = JSON.stringify({ nodes: withFree(inventory.nodes, free), media, owners, sizes });
  return `${rest.slice(0, -1)},"disks":${disks}}`;
}

async function readInventory(database: Database, id: string): Promise<Told> {
  const [nodes, disks, shards] = await Promise.all([
    database.rows<{ name: string; zone: string; rack: string; up: boolean }>(
      'SELECT name, zone, rack, up FROM backend_nodes WHERE backend_id = $1 ORDER BY zone, rack, name LIMIT 10000',
      [id],
    ),
    database.rows<StoredDisk>(
      `SELECT d.id, d.node, d.media, d.capacity, d.works, d.failing, d.lasting, d.life_left, d.use, d.owner, u.provisioned, u.written
       FROM backend_disks d LEFT JOIN (
         SELECT c ->> 'disk' AS disk, sum(v.bytes)::bigint AS provisioned, sum(v.consumed)::bigint AS written
         FROM backend_volumes v, jsonb_array_elements(v.copies) c WHERE v.backend_id = $1 GROUP BY 1
       ) u ON u.disk = d.id WHERE d.backend_id = $1 ORDER BY d.node, d.id LIMIT 100000`,
      [id],
    ),
    // shards lie evenly: each disk holds its part of what the pool holds
    database.rows<{ id: string; promised: number; written: number }>(
      `SELECT id, reserved_raw / greatest(raw, 1) AS promised, (facts ->> 'consumedRaw')::double precision / greatest(raw, 1) AS written
       FROM (SELECT p.id, p.facts, p.reserved_raw::double precision AS reserved_raw,
           (SELECT sum((d ->> 'capacity')::double precision) FROM jsonb_array_elements(p.facts -> 'disks') d) AS raw
         FROM pools p WHERE p.backend_id = $1 AND p.facts #>> '{redundancy,scheme,kind}' = 'erasure') s`,
      [id],
    ),
  ]);
  const nodeAt = new Map(nodes.map((n, i) => [n.name, i]));
  const shown = disks.filter((d) => nodeAt.has(d.node));
  const media = [...new Set(shown.map((d) => d.media))];
  const owners = [...new Set(shown.flatMap((d) => d.owner ?? []))];
  const sizes = [...new Set(shown.map((d) => d.capacity))];
  const sizeAt = new Map(sizes.map((c, i) => [c, i]));
  const mediaAt = new Map(media.map((m, i) => [m, i]));
  const ownerAt = new Map(owners.map((o, i) => [o, i]));
  const shareOf = new Map(shards.map((s) => [s.id, s]));
  const part = (d: StoredDisk, of: 'promised' | 'written') =>
    Math.round(d.capacity * (shareOf.get(d.owner ?? '')?.[of] ?? 0));
  const flags = (d: StoredDisk) => (d.works ? 1 : 0) + (d.failing ? 2 : 0) + (d.lasting ? 4 : 0);
  return {
    nodes,
    media,
    owners,
    sizes,
    disks: {
      id: shown.map((d) => d.id),
      node: shown.map((d) => nodeAt.get(d.node)!),
      media: shown.map((d) => mediaAt.get(d.media)!),
      size: shown.map((d) => sizeAt.get(d.capacity)!),
      use: shown.map((d) => diskUses.indexOf(d.use as (typeof diskUses)[number])),
      owner: shown.map((d) => (d.owner === null ? -1 : ownerAt.get(d.owner)!)),
      flags: shown.map(flags),
      lifeLeft: shown.map((d) => d.life_left),
      provisioned: shown.map((d) => d.provisioned ?? part(d, 'promised')),
      written: shown.map((d) => d.written ?? part(d, 'written')),
    },
  };
}

interface Resources {
  cpu?: string;
  memory?: string;
}

/** Cores and memory that the requests of the pods leave free on each node of the platform. */
export async function freeOnNodes(database: Database): Promise<Map<string, NodeFree>> {
  const nodes = await database.rows<{ name: string; allocatable: Resources | null }>(
    `SELECT name, body #> '{status,allocatable}' AS allocatable FROM platform_objects WHERE plural = 'nodes' LIMIT 10000`,
  );
  const pods = await database.rows<{ node: string; requests: Resources }>(
    `SELECT p.body #>> '{spec,nodeName}' AS node, c #> '{resources,requests}' AS requests
     FROM platform_objects p, jsonb_array_elements(p.body #> '{spec,containers}') c
     WHERE p.plural = 'pods' AND p.body #>> '{spec,nodeName}' IS NOT NULL AND c #> '{resources,requests}' IS NOT NULL LIMIT 200000`,
  );
  const memoryOf = (text: string | undefined): number => {
    const size = text === undefined ? undefined : parseQuantity(text);
    return size?.ok ? size.bytes : 0;
  };
  const free = new Map<string, NodeFree>();
  for (const { name, allocatable } of nodes)
    if (allocatable?.memory)
      free.set(name, { cores: parseCores(allocatable.cpu ?? '0'), memory: memoryOf(allocatable.memory) });
  for (const { node, requests } of pods) {
    const left = free.get(node);
    if (left)
      free.set(node, {
        cores: left.cores - parseCores(requests.cpu ?? '0'),
        memory: left.memory - memoryOf(requests.memory),
      });
  }
  return free;
}

const volumeNames = /pvc-[0-9a-f-]+/g;

/** Events of a backend that a person may see: those that name volumes, only when the volumes are theirs. */
export async function ownEvents(database: Database, sight: Sight, events: BackendEvents): Promise<BackendEvents> {
  if (sight.isWhole) return events;
  const named = [...new Set(events.flatMap((e) => e.message.match(volumeNames) ?? []))];
  const own = await database.rows<{ volume_name: string }>(
    'SELECT volume_name FROM reservations WHERE volume_name = ANY($1) AND namespace = ANY($2)',
    [named, sight.namespaces],
  );
  const seen = new Set(own.map((o) => o.volume_name));
  return events.filter((e) => (e.message.match(volumeNames) ?? []).every((name) => seen.has(name)));
}

/** Volumes on a backend, each with the claim that holds it. */
export async function listBackendVolumes(
  database: Database,
  sight: Sight,
  id: string,
  query: { q?: string; degraded?: boolean; limit: number; offset: number },
): Promise<{ volumes: BackendVolumeRow[]; total: number }> {
  const like = query.q ? `%${query.q.replace(/[\\%_]/g, '\\$&')}%` : undefined;
  const from = `FROM backend_volumes v LEFT JOIN reservations r ON r.volume_name = v.name
    WHERE v.backend_id = $1 AND ($2::text IS NULL OR v.name ILIKE $2 OR v.volume_id ILIKE $2 OR v.pool_id ILIKE $2
      OR r.namespace || '/' || r.claim_name ILIKE $2) AND ($3::boolean IS NULL OR v.degraded = $3)
    AND ($4::text[] IS NULL OR r.namespace = ANY($4))`;
  const [volumes, counted] = await Promise.all([
    database.rows<BackendVolumeRow>(
      `SELECT v.volume_id AS id, v.name, v.pool_id AS pool, v.bytes, v.consumed, v.degraded, v.copies,
         r.namespace || '/' || r.claim_name AS claim ${from}
       ORDER BY v.degraded DESC, v.consumed DESC, v.volume_id LIMIT $5 OFFSET $6`,
      [id, like, query.degraded, sight.namespaces, query.limit, query.offset],
    ),
    database.one<{ count: number }>(`SELECT count(*) ${from}`, [id, like, query.degraded, sight.namespaces]),
  ]);
  return { volumes, total: counted?.count ?? 0 };
}
