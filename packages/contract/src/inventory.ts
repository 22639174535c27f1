import type { InventoryDisk } from '@moorage/core/clusters/disk';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { z } from 'zod';

export const diskUses = ['free', 'system', 'mounted', 'partitioned', 'owned'] as const;

/** Nodes of a backend and their disks. Disks travel in columns: a large cluster has tens of thousands. */
export const inventorySchema = z.object({
  nodes: z.array(
    z.object({
      name: z.string(),
      zone: z.string(),
      rack: z.string(),
      up: z.boolean(),
      /** What the platform's pods leave free; null where the node is not the platform's. */
      freeCores: z.number().nullable(),
      freeMemory: z.number().nullable(),
    }),
  ),
  media: z.array(z.string()),
  owners: z.array(z.string()),
  /** The capacities that occur, in bytes. */
  sizes: z.array(z.number()),
  disks: z.object({
    id: z.array(z.string()),
    /** Index into nodes. */
    node: z.array(z.int()),
    /** Index into media. */
    media: z.array(z.int()),
    /** Index into sizes. */
    size: z.array(z.int()),
    /** Index into the uses. */
    use: z.array(z.int()),
    /** Index into owners; -1 for none. */
    owner: z.array(z.int()),
    /** Sum of: 1 works, 2 expects to fail, 4 has a lasting identifier. */
    flags: z.array(z.int()),
    lifeLeft: z.array(z.int()),
    provisioned: z.array(z.number()),
    written: z.array(z.number()),
  }),
});
export type Inventory = z.infer<typeof inventorySchema>;

export interface SeenDisk extends InventoryDisk {
  /** Promised to copies on it, and written by them. */
  readonly provisioned: number;
  readonly written: number;
}

/** The disks of an inventory as the core knows them. */
export function disksOf({ nodes, media, owners, sizes, disks }: Inventory): SeenDisk[] {
  return disks.id.map((id, i) => {
    const node = nodes[disks.node[i]!]!;
    const flags = disks.flags[i]!;
    const owner = disks.owner[i]!;
    return {
      id,
      node: node.name,
      rack: node.rack,
      zone: node.zone,
      media: media[disks.media[i]!]!,
      capacity: sizes[disks.size[i]!]! as Bytes,
      works: (flags & 1) !== 0 && node.up,
      failing: (flags & 2) !== 0,
      lasting: (flags & 4) !== 0,
      lifeLeft: disks.lifeLeft[i]!,
      use: diskUses[disks.use[i]!]!,
      owner: owner >= 0 ? owners[owner]! : undefined,
      provisioned: disks.provisioned[i]!,
      written: disks.written[i]!,
    };
  });
}

export const backendVolumeSchema = z.object({
  id: z.string(),
  name: z.string(),
  pool: z.string(),
  bytes: z.number(),
  consumed: z.number(),
  degraded: z.boolean(),
  copies: z.array(z.object({ disk: z.string(), node: z.string(), state: z.string(), percent: z.number() })),
  /** The claim it belongs to, as namespace/name; null when none holds it. */
  claim: z.string().nullable(),
});
export type BackendVolumeRow = z.infer<typeof backendVolumeSchema>;
export const backendVolumePageSchema = z.object({ volumes: z.array(backendVolumeSchema), total: z.int() });
export const backendVolumeQuerySchema = z.object({
  q: z.string().max(200).optional(),
  degraded: z.stringbool().optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
  offset: z.coerce.number().int().min(0).max(1_000_000).default(0),
});

/** A day of what one pool did, in even steps. */
export const loadSchema = z.array(
  z.object({
    pool: z.string(),
    iops: z.number(),
    throughput: z.number(),
    points: z.array(z.object({ at: z.string(), iops: z.number(), bytesPerSecond: z.number(), latencyMs: z.number() })),
  }),
);
export type Load = z.infer<typeof loadSchema>;

export const backendEventsSchema = z.array(
  z.object({ at: z.string(), severity: z.enum(['OK', 'Warning', 'Critical']), message: z.string() }),
);
export type BackendEvents = z.infer<typeof backendEventsSchema>;
