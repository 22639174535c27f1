import { z } from 'zod';

export const applicationAfterSchema = z.object({
  namespace: z.string(),
  application: z.string(),
  replicas: z.int(),
  /** Replicas that have their data before, and afterwards. */
  before: z.int(),
  after: z.int(),
  keepsMajority: z.boolean(),
  losesAll: z.boolean(),
});
export type ApplicationAfter = z.infer<typeof applicationAfterSchema>;

/** The whole consequence of deleting claims together, before it is done. Bytes. */
export const deletionPlanSchema = z.object({
  claims: z
    .array(
      z.object({
        namespace: z.string(),
        name: z.string(),
        fate: z.enum(['nothing', 'kept', 'grace', 'destroyed']),
        used: z.number(),
        graceDays: z.int(),
        /** Backends whose copies of it share its fate. */
        copiesOn: z.array(z.string()).readonly(),
        /** Pods that it waits for. */
        pods: z.array(z.string()).readonly(),
      }),
    )
    .readonly(),
  destroyed: z.number(),
  inGrace: z.number(),
  kept: z.number(),
  copiesDestroyed: z.number(),
  applications: z.array(applicationAfterSchema).readonly(),
  /** Used data would be destroyed for good: a name has to be typed. */
  confirm: z.boolean(),
});
export type DeletionPlan = z.infer<typeof deletionPlanSchema>;
