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
  /** What a class may demand of the pool. */
  snapshots: z.boolean(),
  clones: z.boolean(),
  offsite: z.boolean(),
  /** What it does to what is written. Facts read before these were asked for lack them. */
  compression: z.boolean().default(false),
  deduplication: z.boolean().default(false),
  /** It is levelling out or making shards whole. */
  busy: z.boolean(),
  /** The backend refuses writes to it. */
  readOnly: z.boolean(),
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
  /** Present where the pool is sold in instances: at least so large, in steps, none larger; and those that are sold, with what lies in each. */
  instances: z
    .object({
      minimum: z.number(),
      step: z.number(),
      maximum: z.number(),
      sold: z.array(z.object({ name: z.string(), path: z.string(), bytes: z.number(), used: z.number() })),
    })
    .optional(),
  disks: z.array(diskSchema),
  consumedRaw: z.number(),
  iops: z.number(),
  throughput: z.number(),
  amplification: z.number(),
});
export type PoolFacts = z.infer<typeof poolFactsSchema>;

export const tiers = ['fast', 'standard', 'deep'] as const;
export type Tier = (typeof tiers)[number];

export const poolSchema = z.object({
  id: z.string(),
  name: z.string(),
  backend: z.string(),
  /** Sites that reach it; empty means all. */
  sites: z.array(z.string()),
  facts: poolFactsSchema,
  /** Copies counted where we keep them; provisioned bytes elsewhere. */
  reservedRaw: z.number(),
  reservedBytes: z.number(),
  promisedIops: z.number(),
  /** Bytes per second, as the pool has to move them. */
  promisedThroughput: z.number(),
  /** The largest volume we keep there. */
  largest: z.number(),
  /** Volumes on the pool that no claim of ours holds, counted as reservedRaw is. */
  foreignRaw: z.number(),
  overcommit: z.number(),
  softMark: z.number(),
  hardMark: z.number(),
  allotment: z.number().nullable(),
  /** Caps on what we promise of the pool: back-end operations and bytes per second. */
  allotmentIops: z.number().nullable(),
  allotmentThroughput: z.number().nullable(),
  /** From the media, unless an engineer said otherwise. */
  tier: z.enum(tiers),
  tierSaid: z.boolean(),
  /** Price of a provisioned GiB for a month; null when nobody said. */
  price: z.number().nullable(),
  /** When the backend stopped listing the pool. */
  goneSince: z.string().nullable(),
  /** The size most of its disks have, for advice on what to add; 0 where disks are not told of. */
  usualDisk: z.number(),
  /** Cap over all pools of the backend, and what is taken of it. */
  backendCap: z.object({ limit: z.number(), taken: z.number() }).nullable(),
  version: z.int(),
  volumes: z.int(),
  /** Instances bought for shares of ours, with what is promised of each. */
  instances: z
    .array(z.object({ id: z.string(), bytes: z.number(), used: z.number(), leaving: z.boolean() }))
    .optional(),
});
export type PoolRow = z.infer<typeof poolSchema>;

/** How the certificate of a backend is trusted: by the system, by its fingerprint, or by an authority given here (PEM). */
export const trustSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('system') }),
  z.object({
    kind: z.literal('pinned'),
    fingerprint: z
      .string()
      .regex(
        /^([0-9A-F]{2}:){31}[0-9A-F]{2}$/,
        'A SHA-256 fingerprint: 32 pairs of hexadecimal digits with colons between them.',
      ),
  }),
  z.object({
    kind: z.literal('ca'),
    pem: z
      .string()
      .min(1)
      .max(100_000)
      .refine(
        (p) => p.includes('-----BEGIN CERTIFICATE-----'),
        'A certificate in PEM form, beginning with -----BEGIN CERTIFICATE-----.',
      ),
  }),
]);
export type Trust = z.infer<typeof trustSchema>;

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
  /** Sites whose platforms reach it. */
  sites: z.array(z.string()),
  /** Whether this site is one of them. */
  serves: z.boolean(),
  cap: z.number().nullable(),
  username: z.string(),
  trust: trustSchema,
  /** Nodes and disks it tells of. */
  nodes: z.int(),
  disks: z.int(),
  version: z.int(),
  pools: z.array(poolSchema),
});
export type BackendRow = z.infer<typeof backendSchema>;

export const poolChangeSchema = z.object({
  overcommit: z.number().min(1).max(10).optional(),
  softMark: z.number().gt(0).lt(1).optional(),
  hardMark: z.number().gt(0).lte(1).optional(),
  allotment: z.int().positive().nullable().optional(),
  allotmentIops: z.int().positive().nullable().optional(),
  allotmentThroughput: z.int().positive().nullable().optional(),
  /** Null goes back to what the media say. */
  tier: z.enum(tiers).nullable().optional(),
  price: z.number().min(0).max(10_000).nullable().optional(),
});
export type PoolChange = z.infer<typeof poolChangeSchema>;
