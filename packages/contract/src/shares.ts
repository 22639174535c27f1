import { rootsOnNodes } from '@moorage/core/classes/storage-class';
import { z } from 'zod';

/** Who reads and writes a share now, and whom its backend shuts out. */
export const shareUseSchema = z.object({
  backend: z.string(),
  /** Ranges that may mount what the backend exports; null where it says nothing of them. */
  ranges: z.array(z.string()).nullable(),
  writing: z.int(),
  reading: z.int(),
  shutOut: z.array(z.object({ node: z.string(), addresses: z.array(z.string()) })),
  users: z.array(
    z.object({
      pod: z.string(),
      owner: z.string().nullable(),
      node: z.string().nullable(),
      phase: z.string(),
      readOnly: z.boolean(),
      addresses: z.array(z.string()),
      letIn: z.enum(['yes', 'no', 'unknown']),
    }),
  ),
  /** Where it is mounted, by the server's name or addresses, and what root on a node writes there; null where its backend does not say now. */
  mounted: z
    .object({
      server: z.string().nullable(),
      addresses: z.array(z.string()),
      path: z.string(),
      root: z.enum(rootsOnNodes).nullable(),
    })
    .nullable(),
  /** What its class asks of root; null: nothing. */
  rootAsked: z.enum(rootsOnNodes).nullable(),
  /** More pods name the claim than are told. */
  more: z.boolean(),
});
export type ShareUseRow = z.infer<typeof shareUseSchema>;
