import { z } from 'zod';
import { checkSchema, remedySchema, sizeTextSchema } from './claims';

const poolGrowthSchema = z.object({
  pool: z.string(),
  further: z.enum(['synchronous', 'asynchronous']).optional(),
  from: z.number(),
  to: z.number(),
  addedRaw: z.number(),
  raw: z.number(),
  backendIops: z.number(),
  backendThroughput: z.number(),
  iopsFloor: z.number(),
  throughputFloor: z.number(),
  /** What the instance that it lies in is sold as afterwards, and the bytes that are bought for that. */
  instance: z.object({ id: z.string(), size: z.number(), added: z.number() }).optional(),
  checks: z.array(checkSchema),
});

/** What becomes of a claim that asks for more, as the core reckons it. */
export const growthSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('enough'), provisioned: z.number() }),
  z.object({ kind: z.literal('fixed') }),
  z.object({ kind: z.literal('pool-gone'), pool: z.string() }),
  z.object({ kind: z.literal('reckoned'), fits: z.boolean(), on: z.array(poolGrowthSchema) }),
]);

/** The answer to a growth before it is asked for, or while it waits. Bytes. */
export const growthAnswerSchema = z.object({
  /** What the claim asks for now, what it has, and what it would ask for. */
  requested: z.number(),
  provisioned: z.number(),
  wanted: z.number(),
  growth: growthSchema,
  /** The largest size it may have where it lies. */
  most: z.number(),
  remedies: z.array(remedySchema),
  /** Another pool that would take the whole of it. */
  elsewhere: z.string().nullable(),
  /** At once; by the node while its pods run; or by the node when a pod next starts with it. */
  reaches: z.enum(['at-once', 'while-running', 'at-next-start']),
});
export type GrowthAnswer = z.infer<typeof growthAnswerSchema>;

export const growthQuerySchema = z.object({ size: sizeTextSchema });
export const growthRequestSchema = z.object({ size: sizeTextSchema });
