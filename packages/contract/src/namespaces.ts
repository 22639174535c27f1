import { z } from 'zod';

export const namespaceUsageSchema = z.object({
  namespace: z.string(),
  classes: z.array(
    z.object({
      className: z.string(),
      claims: z.int(),
      unbound: z.int(),
      requested: z.number(),
      provisioned: z.number(),
      consumed: z.number(),
      footprint: z.number(),
      limit: z.number().nullable(),
    }),
  ),
  limit: z.number().nullable(),
  claims: z.int(),
  requested: z.number(),
  provisioned: z.number(),
  consumed: z.number(),
  footprint: z.number(),
});
export type NamespaceUsage = z.infer<typeof namespaceUsageSchema>;

/** Limits that are given at once, each with the one that was seen: one that is another by then is not passed over. Null: none. */
export const newLimitsSchema = z
  .array(
    z.object({
      namespace: z.string().min(1).max(253),
      was: z.int().positive().nullable(),
      bytes: z.int().positive().nullable(),
    }),
  )
  .min(1)
  .max(2000);
export type NewLimits = z.infer<typeof newLimitsSchema>;
