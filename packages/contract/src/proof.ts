import { driftKinds } from '@moorage/core/drift/drift';
import { z } from 'zod';
import { linkSchema } from './claims';

const value = z.union([z.string(), z.number()]).nullable();
/** What both worlds say of one claim, when each was last seen, and how they agree. Bytes. */
export const proofSchema = z.object({
  claim: z.string(),
  /** When this was put together. */
  at: z.string(),
  links: z.array(linkSchema),
  platform: z.object({
    /** When the mirror last heard of claims and of persistent volumes. */
    seenAt: z.string().nullable(),
    claimUid: z.string(),
    requested: z.number(),
    phase: z.string().nullable(),
    volumeName: z.string().nullable(),
    volumeUid: z.string().nullable(),
    volumePhase: z.string().nullable(),
    capacity: z.string().nullable(),
    reclaim: z.string().nullable(),
    handle: z.string().nullable(),
  }),
  backend: z
    .object({
      id: z.string(),
      /** When it last answered. */
      seenAt: z.string().nullable(),
      reachable: z.boolean(),
      volumeId: z.string(),
      name: z.string().nullable(),
      pool: z.string().nullable(),
      bytes: z.number().nullable(),
      consumed: z.number().nullable(),
      encrypted: z.boolean().nullable(),
      iopsCeiling: z.number().nullable(),
      throughputCeiling: z.number().nullable(),
      copies: z.array(z.object({ node: z.string(), disk: z.string(), state: z.string() })),
    })
    .nullable(),
  /** Every comparison that is made of a bound volume, and what differs; none where nothing is bound. */
  checks: z.array(
    z.object({
      kind: z.enum(driftKinds),
      passed: z.boolean(),
      declared: value,
      actual: value,
      since: z.string().nullable(),
    }),
  ),
});
export type Proof = z.infer<typeof proofSchema>;
