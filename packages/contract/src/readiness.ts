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
  backends: z.array(
    z.object({
      id: z.string(),
      reachable: z.boolean(),
      /** Addresses that may mount its exports; null where it says nothing of them. Counts as text: they may be very large. */
      ranges: z
        .object({
          now: z.array(z.string()),
          /** The shortest list of blocks that holds the nodes and nobody else. */
          exact: z.array(z.string()),
          /** The smallest block that holds them all, and how many others. */
          single: z.object({ block: z.string(), strangers: z.string() }).nullable(),
          /** Addresses of nodes in none of the blocks, addresses let in that no node has, blocks without any node. */
          missing: z.array(z.string()),
          strangers: z.string(),
          idle: z.array(z.string()),
        })
        .nullable(),
    }),
  ),
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
