import { findingKinds, type FindingKind } from '@moorage/core/findings/finding';
import { z } from 'zod';

export const findingSchema = z.object({
  id: z.string(),
  kind: z.enum(Object.keys(findingKinds) as [FindingKind, ...FindingKind[]]),
  subject: z.string(),
  weight: z.number(),
  facts: z.record(z.string(), z.union([z.string(), z.number(), z.array(z.string())])),
  since: z.string(),
  /** Set aside by someone until a date. */
  aside: z.object({ reason: z.string(), until: z.string(), person: z.string() }).nullable(),
});
export type FindingRow = z.infer<typeof findingSchema>;

export const asideSchema = z.object({
  reason: z.string().trim().min(3, 'Say why, in a few words.').max(300),
  until: z.iso.date('A date such as 2026-12-31.'),
});
