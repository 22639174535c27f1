import type { BackendEvents, BackendVolumeRow, Inventory } from '@moorage/contract/inventory';
import { diskUses } from '@moorage/contract/inventory';
import type { NodeFree } from '@moorage/core/clusters/design';
import { parseCores } from '@moorage/core/nodes/cores';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { anywhere } from '../database/cursor';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { reservations } from '../reservations/reservation-model';
import type { BackendView } from '../swordfish/connector';
import { registered } from './backend-model';
import { backendNodes } from './inventory-model';
import {
  allocatableOnNodes,
  disksWithUse,
  markMissing,
  moveCopies,
  requestsOfPods,
  shardShares,
  takeDisks,
  takeNodes,
  takeWays,
  volumesCounted,
  volumesListed,
  type StoredDisk,
} from './inventory.sql';

/** Writes down nodes, disks and ways of a backend; gives how many of them changed. Only what changed is touched. */
export async function storeInventory(database: Database, id: string, view: BackendView): Promise<number> {
  const nodes = await takeNodes(database, id, JSON.stringify(view.nodes));
  const disks = view.disks.map((d) => ({ ...d, life_left: d.lifeLeft, owner: d.owner ?? null }));
  const changed = await takeDisks(database, id, JSON.stringify(disks));
  const ways = await takeWays(database, id, JSON.stringify(view.ways));
  return nodes.length + changed.length + ways.length;
}

/** Notes on the claims whose volumes the backend lists no more, and takes it off those whose volumes came back. */
export async function noteMissing(
  database: Database,
  backend: string,
  volumes: readonly { readonly volume_id: string; readonly gone: boolean }[],
): Promise<void> {
  const those = (gone: boolean) => volumes.filter((v) => v.gone === gone).map((v) => v.volume_id);
  const changed = await markMissing(database, backend, those(true), those(false));
  await announce(
    database,
    changed.slice(0, 100).map((c) => ({ topic: 'claims' as const, subject: `${c.namespace}/${c.claim_name}` })),
  );
}

/** A cluster moves copies by itself when it rebuilds or levels out: what we hold of their places follows. */
export async function followCopies(database: Database, backend: string): Promise<void> {
  await moveCopies(database, backend);
}

type Told = Omit<Inventory, 'nodes'> & {
  readonly nodes: Omit<Inventory['nodes'][number], 'freeCores' | 'freeMemory'>[];
};

/** What was told of large backends, kept as long as nothing of it changes. */
const told = new WeakMap<Database, Map<string, { version: number; told: Told; disks: string }>>();
const mostKept = 16;

async function tell(database: Database, id: string): Promise<{ told: Told; disks: string }> {
  const row = await registered.in(database).findByPk(id, { attributes: ['inventoryVersion'] });
  if (!row) throw Refusal.notFound('backend', id);
  const kept = told.get(database) ?? new Map<string, { version: number; told: Told; disks: string }>();
  told.set(database, kept);
  const known = kept.get(id);
  if (known?.version === row.inventoryVersion) return known;
  const fresh = await readInventory(database, id);
  const entry = { version: row.inventoryVersion, told: fresh, disks: JSON.stringify(fresh.disks) };
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
    backendNodes.in(database).findAll({
      raw: true,
      attributes: ['name', 'zone', 'rack', 'up'],
      where: { backendId: id },
      order: ['zone', 'rack', 'name'],
      limit: 10_000,
    }),
    disksWithUse(database, id),
    shardShares(database, id),
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

/** Cores and memory that the requests of the pods leave free on each node of the platform. */
export async function freeOnNodes(database: Database): Promise<Map<string, NodeFree>> {
  const nodes = await allocatableOnNodes(database);
  const pods = await requestsOfPods(database);
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
  const own = await reservations.in(database).findAll({
    raw: true,
    attributes: ['volumeName'],
    where: { volumeName: named, ...sight.where('namespace') },
    limit: Math.max(1, named.length),
  });
  const seen = new Set(own.map((o) => o.volumeName));
  return events.filter((e) => (e.message.match(volumeNames) ?? []).every((name) => seen.has(name)));
}

/** Volumes on a backend, each with the claim that holds it. */
export async function listBackendVolumes(
  database: Database,
  sight: Sight,
  id: string,
  query: { q?: string; degraded?: boolean; limit: number; offset: number },
): Promise<{ volumes: BackendVolumeRow[]; total: number }> {
  const like = query.q ? anywhere(query.q) : undefined;
  const [volumes, counted] = await Promise.all([
    volumesListed(database, id, like, query.degraded, sight.namespaces, query.limit, query.offset),
    first(volumesCounted(database, id, like, query.degraded, sight.namespaces)),
  ]);
  return { volumes, total: counted?.count ?? 0 };
}
