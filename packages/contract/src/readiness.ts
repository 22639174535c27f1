import { z } from 'zod';

export const readinessCheckSchema = z.object({
  check: z.enum(['node', 'driver', 'label', 'initiator', 'paths', 'export', 'attach']),
  state: z.enum(['passed', 'weak', 'failed']),
  need: z.union([z.string(), z.number()]),
  have: z.union([z.string(), z.number()]),
  of: z.string().optional(),
});

/** Whether each node of the site can really use each backend. */
export const readinessSchema = z.object({
  nodes: z.array(z.object({ name: z.string(), zone: z.string(), addresses: z.array(z.string()) })),
  backends: z.array(z.object({ id: z.string(), reachable: z.boolean() })),
  cells: z.array(
    z.object({
      node: z.string(),
      backend: z.string(),
      state: z.enum(['ready', 'weak', 'unready']),
      checks: z.array(readinessCheckSchema),
    }),
  ),
});
export type Readiness = z.infer<typeof readinessSchema>;
