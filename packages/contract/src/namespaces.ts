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

export const limitSchema = z.object({
  /** Null takes the limit away. */
  bytes: z.int().positive().nullable(),
});
