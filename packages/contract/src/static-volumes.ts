import { accessModes, volumeModes } from '@moorage/core/classes/storage-class';
import { staticRules } from '@moorage/core/claims/static';
import { z } from 'zod';

/** A volume made beforehand, as a claim sees it. Bytes. */
const candidateSchema = z.object({
  name: z.string(),
  className: z.string(),
  modes: z.array(z.enum(accessModes)),
  volumeMode: z.enum(volumeModes),
  capacity: z.number(),
  /** Beyond what the claim asks: not lendable to anybody else. */
  surplus: z.number(),
  /** For this very claim. */
  reserved: z.boolean(),
  reservedFor: z.object({ namespace: z.string(), name: z.string() }).nullable(),
  /** The rules that refuse it; none when it matches. */
  refused: z.array(z.enum(staticRules)),
  /** What its driver calls it. */
  handle: z.string().nullable(),
  createdAt: z.string(),
});
export type Candidate = z.infer<typeof candidateSchema>;
export const candidatesSchema = z.object({
  /** Best first; then the others, those with fewest refusals first. */
  candidates: z.array(candidateSchema),
  /** The one that the platform binds by itself. */
  best: z.string().nullable(),
  /** The volume that the claim names, whether there is one, and the name that is nearest to it. */
  named: z.object({ name: z.string(), exists: z.boolean(), nearest: z.string().nullable() }).nullable(),
  /** There are more volumes than were looked at. */
  more: z.boolean(),
});
export type Candidates = z.infer<typeof candidatesSchema>;

export const volumeChoiceSchema = z.object({ volume: z.string().min(1).max(253) });
