import { z } from 'zod';

/** Sizes are bytes, rates per second, everywhere in the contract. */
export const schemeSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('copies'), copies: z.int() }),
  z.object({ kind: z.literal('erasure'), data: z.int(), parity: z.int() }),
]);

export const diskSchema = z.object({
  id: z.string(),
  node: z.string(),
  zone: z.string(),
  rack: z.string(),
  media: z.string(),
  capacity: z.number(),
  works: z.boolean(),
});
export type Disk = z.infer<typeof diskSchema>;

/** What a backend says of one pool: read from it, never typed in. */
export const poolFactsSchema = z.object({
  protocols: z.array(z.string()),
  access: z.array(z.enum(['block', 'file'])),
  sharedBlock: z.boolean(),
  encryption: z.boolean(),
  expansion: z.boolean(),
  zones: z.array(z.string()),
  minimum: z.number(),
  maximum: z.number(),
  granule: z.number(),
  redundancy: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('inner'), survives: z.int(), usable: z.number() }),
    z.object({
      kind: z.literal('spread'),
      scheme: schemeSchema,
      level: z.enum(['node', 'rack', 'zone']),
      domains: z.array(z.object({ name: z.string(), capacity: z.number(), live: z.boolean() })),
    }),
  ]),
  disks: z.array(diskSchema),
  consumedRaw: z.number(),
  iops: z.number(),
  throughput: z.number(),
  amplification: z.number(),
});
export type PoolFacts = z.infer<typeof poolFactsSchema>;

export const poolSchema = z.object({
  id: z.string(),
  name: z.string(),
  backend: z.string(),
  facts: poolFactsSchema,
  /** Copies counted where we keep them; provisioned bytes elsewhere. */
  reservedRaw: z.number(),
  reservedBytes: z.number(),
  promisedIops: z.number(),
  /** Volumes on the pool that no claim of ours holds, counted as reservedRaw is. */
  foreignRaw: z.number(),
  overcommit: z.number(),
  softMark: z.number(),
  hardMark: z.number(),
  allotment: z.number().nullable(),
  version: z.int(),
  volumes: z.int(),
});
export type PoolRow = z.infer<typeof poolSchema>;

export const backendSchema = z.object({
  id: z.string(),
  title: z.string(),
  address: z.string(),
  reachable: z.boolean(),
  healthy: z.boolean(),
  /** Why it is not reachable or healthy, as code and words of the last failed call. */
  problem: z.object({ code: z.string(), detail: z.string() }).nullable(),
  checkedAt: z.string().nullable(),
  degradedVolumes: z.int(),
  pools: z.array(poolSchema),
});
export type BackendRow = z.infer<typeof backendSchema>;

export const poolChangeSchema = z.object({
  overcommit: z.number().min(1).max(10).optional(),
  softMark: z.number().gt(0).lt(1).optional(),
  hardMark: z.number().gt(0).lte(1).optional(),
  allotment: z.int().positive().nullable().optional(),
});
export type PoolChange = z.infer<typeof poolChangeSchema>;
