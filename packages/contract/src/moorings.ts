import { z } from 'zod';
import { poolSchema } from './backends';
import { storageClassSchema } from './classes';

export const mooringSchema = z.object({
  className: z.string(),
  pool: z.string(),
  enabled: z.boolean(),
  order: z.int().min(1).max(1000),
  weight: z.number().min(0.01).max(100),
  version: z.int(),
});
export type MooringRow = z.infer<typeof mooringSchema>;

export const mooringChangeSchema = z.object({
  enabled: z.boolean().optional(),
  weight: z.number().min(0.01).max(100).optional(),
});
export const mooringOrderSchema = z.object({
  /** Every pool moored for the class, first to be tried first. */
  pools: z.array(z.string()).min(1).max(500),
});

/** All that a decision looks at, for the browser's worker to try claims on. */
export const placementStateSchema = z.object({
  classes: z.array(storageClassSchema.extend({ name: z.string() })),
  defaultClass: z.string().nullable(),
  pools: z.array(
    poolSchema.extend({
      reachable: z.boolean(),
      healthy: z.boolean(),
      /** Provisioned bytes of our copies on each disk. */
      diskUse: z.record(z.string(), z.number()),
    }),
  ),
  moorings: z.array(mooringSchema),
  limits: z.array(z.object({ namespace: z.string(), className: z.string().nullable(), bytes: z.number() })),
  usage: z.array(z.object({ namespace: z.string(), className: z.string(), provisioned: z.number() })),
  namespaces: z.array(z.string()),
});
export type PlacementState = z.infer<typeof placementStateSchema>;
