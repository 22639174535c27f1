import { reclaimPolicies } from '@moorage/core/classes/storage-class';
import { z } from 'zod';
import { decisionSchema, sizeTextSchema } from './claims';
import { nameSchema } from './classes';

/** How a bucket stands: being made, ready, waiting for something, losing its claim, kept without it, or being emptied. */
export const bucketStates = ['making', 'ready', 'waiting', 'stopped', 'closing', 'kept', 'emptying'] as const;

/** What a bucket claim waits for: its class, how much it may hold, room, the bucket that it names, or the driver of somebody else. */
export const bucketWaits = ['class', 'limit', 'capacity', 'existing', 'other-driver'] as const;
export type BucketWait = (typeof bucketWaits)[number];

const bucketRowSchema = z.object({
  /** Of its claim. */
  uid: z.string(),
  namespace: z.string(),
  name: z.string(),
  className: z.string().nullable(),
  state: z.enum(bucketStates),
  waitsFor: z.enum(bucketWaits).nullable(),
  /** Why its last step failed. */
  problem: z.string().nullable(),
  pool: z.string().nullable(),
  backend: z.string().nullable(),
  /** As the backend knows it. */
  bucket: z.string().nullable(),
  /** Bytes that it may hold. */
  limit: z.number().nullable(),
  /** Bytes that it is to hold instead, once its pool can promise them. */
  wants: z.number().nullable(),
  /** Bytes and objects, as last counted. */
  written: z.number().nullable(),
  objects: z.number().nullable(),
  measuredAt: z.string().nullable(),
  /** Nothing can be written while it holds as much as it may. */
  isShut: z.boolean(),
  /** Since when its backend does not have it any more; null while it does. */
  missingSince: z.string().nullable(),
  deletion: z.enum(reclaimPolicies).nullable(),
  /** Accounts that may use it. */
  keys: z.int(),
  createdAt: z.string(),
  keptSince: z.string().nullable(),
});
export type BucketRow = z.infer<typeof bucketRowSchema>;

export const bucketPageSchema = z.object({ rows: z.array(bucketRowSchema), next: z.string().nullable() });
export type BucketPage = z.infer<typeof bucketPageSchema>;
export const bucketQuerySchema = z.object({
  namespace: z.string().max(253).optional(),
  cursor: z.string().max(600).optional(),
  limit: z.coerce.number().int().min(1).max(500).default(200),
});
export type BucketQuery = z.infer<typeof bucketQuerySchema>;

const bucketKeySchema = z.object({
  uid: z.string(),
  /** Of the access that asks for it. */
  name: z.string(),
  /** The secret in the bucket's namespace that holds its key and endpoint. */
  secretName: z.string(),
  account: z.string().nullable(),
  state: z.enum(['granted', 'waiting', 'making', 'stopped']),
  problem: z.string().nullable(),
  createdAt: z.string(),
});
export type BucketKey = z.infer<typeof bucketKeySchema>;

export const bucketDetailSchema = z.object({
  bucket: bucketRowSchema,
  endpoint: z.string().nullable(),
  decision: decisionSchema.pick({ madeAt: true, tookMicros: true, trace: true }).nullable(),
  accesses: z.array(bucketKeySchema),
});
export type BucketDetail = z.infer<typeof bucketDetailSchema>;

export const newBucketSchema = z.object({
  namespace: nameSchema,
  name: nameSchema,
  className: nameSchema,
  /** Left out: what its class says. */
  limit: sizeTextSchema.optional(),
  /** A bucket that is kept in the same namespace, to be had as it is. */
  existing: z.string().max(63).optional(),
});
export type NewBucket = z.infer<typeof newBucketSchema>;

export const bucketLimitSchema = z.object({ limit: sizeTextSchema });

export const newKeySchema = z.object({ name: nameSchema, secretName: nameSchema });
export type NewKey = z.infer<typeof newKeySchema>;

/** The name of the bucket's claim, where what lies in it would be destroyed. */
export const confirmSchema = z.object({ confirm: z.string().max(300).optional() });

export const bucketClassSchema = z.object({
  name: z.string(),
  pools: z.array(z.string()),
  deletion: z.enum(reclaimPolicies),
  copies: z.int(),
  encrypted: z.boolean(),
  limit: z.number().nullable(),
  buckets: z.int(),
  /** What of its parameters cannot be read. */
  problems: z.array(z.object({ field: z.string(), value: z.string() })),
});
export type BucketClassRow = z.infer<typeof bucketClassSchema>;

export const newBucketClassSchema = z.object({
  name: nameSchema,
  pools: z.array(z.string().min(1).max(300)).min(1, 'At least one pool is needed.').max(50),
  deletion: z.enum(reclaimPolicies),
  copies: z.int().min(1).max(6).default(1),
  encrypted: z.boolean().default(false),
  limit: sizeTextSchema.optional(),
});
export type NewBucketClass = z.infer<typeof newBucketClassSchema>;
