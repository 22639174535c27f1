import { driftKinds, driftRemedies } from '@moorage/core/drift/drift';
import { z } from 'zod';

export const driftQuerySchema = z.object({
  /** Of one claim, by its uid. */
  claim: z.string().max(100).optional(),
  kind: z.enum(driftKinds).optional(),
  cursor: z.string().max(400).optional(),
  limit: z.coerce.number().int().min(1).max(500).default(200),
});
export type DriftQuery = z.infer<typeof driftQuerySchema>;

const value = z.union([z.string(), z.number()]).nullable();
const driftRowSchema = z.object({
  claimUid: z.string(),
  kind: z.enum(driftKinds),
  namespace: z.string(),
  name: z.string(),
  className: z.string(),
  pool: z.string(),
  backend: z.string(),
  volumeName: z.string(),
  volumeId: z.string(),
  declared: value,
  actual: value,
  by: z.enum(['backend', 'platform', 'ours']),
  remedy: z.enum(driftRemedies).nullable(),
  since: z.string(),
  /** Somebody asked that it is put right. */
  asked: z.boolean(),
  /** Why that has not come about yet. */
  problem: z.string().nullable(),
});
export type DriftRow = z.infer<typeof driftRowSchema>;
export const driftPageSchema = z.object({
  rows: z.array(driftRowSchema),
  /** How many differ in each way. */
  counts: z.partialRecord(z.enum(driftKinds), z.number()),
  next: z.string().nullable(),
});
export type DriftPage = z.infer<typeof driftPageSchema>;

export const mendSchema = z.object({
  drifts: z
    .array(z.object({ claimUid: z.string().min(1).max(100), kind: z.enum(driftKinds) }))
    .min(1)
    .max(200),
});
export type MendRequest = z.infer<typeof mendSchema>;
export const mendAnswerSchema = z.object({
  begun: z.int(),
  /** Gone by now, without a remedy here, or not to be seen. */
  left: z.int(),
});
export type MendAnswer = z.infer<typeof mendAnswerSchema>;
