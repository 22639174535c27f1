import { accessModes, volumeModes } from '@moorage/core/classes/storage-class';
import { z } from 'zod';
import { nameSchema } from './classes';

/** Kept because its class says so; for its grace; or made by somebody else and found on its backend. */
export const salvageOrigins = ['kept', 'grace', 'foreign'] as const;

/** A volume that no claim holds. Bytes. */
export const salvageRowSchema = z.object({
  /** Of ours: the uid of its last claim; of others: the backend and its identifier there. */
  id: z.string(),
  origin: z.enum(salvageOrigins),
  /** Its last claim; null where nobody here made it. */
  namespace: z.string().nullable(),
  name: z.string().nullable(),
  className: z.string().nullable(),
  /** The set that its last claim was of, and the ordinal in it, as its name tells. */
  set: z.string().nullable(),
  ordinal: z.number().nullable(),
  backend: z.string(),
  pool: z.string(),
  volumeName: z.string(),
  volumeId: z.string(),
  bytes: z.number(),
  consumed: z.number(),
  modes: z.array(z.enum(accessModes)),
  volumeMode: z.enum(volumeModes),
  /** Since when nobody holds it; of others: since when it is known. */
  since: z.string(),
  /** When its data is destroyed; null when never. */
  destroyedAt: z.string().nullable(),
  /** Whether all its copies are there, some are missing, none answers, or the backend lists it no more. */
  copies: z.enum(['whole', 'degraded', 'unreachable', 'missing']),
  /** Of the backend's identifier and what is written: the same before and after. */
  fingerprint: z.string(),
  /** A claim of its old name that is there now. */
  nameTaken: z.boolean(),
  /** It is on its way back to a claim: what carries it. */
  operation: z.string().nullable(),
});
export type SalvageRow = z.infer<typeof salvageRowSchema>;

export const salvageQuerySchema = z.object({
  /** Part of a name, a namespace, a class, a pool, or an identifier of either world. */
  q: z.string().max(200).optional(),
  origin: z.enum(salvageOrigins).optional(),
  cursor: z.string().max(300).optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});
export type SalvageQuery = z.infer<typeof salvageQuerySchema>;
export const salvagePageSchema = z.object({
  rows: z.array(salvageRowSchema),
  next: z.string().nullable(),
  total: z.int(),
  bytes: z.number(),
});
export type SalvagePage = z.infer<typeof salvagePageSchema>;

/** To which claim a volume goes back: one that is made, or one of that name that waits for a volume. */
export const giveBackSchema = z.object({
  volumes: z
    .array(
      z.object({
        id: z.string().min(1).max(300),
        namespace: nameSchema,
        name: nameSchema,
        /** For what nobody here made; else what it had before. */
        className: z.string().max(253).optional(),
        modes: z.array(z.enum(accessModes)).min(1).max(4).optional(),
        volumeMode: z.enum(volumeModes).optional(),
      }),
    )
    .min(1)
    .max(200),
});
export type GiveBack = z.infer<typeof giveBackSchema>;
/** What was begun for each; an id that could not be begun says why. */
export const givenBackSchema = z.object({
  begun: z.array(z.object({ id: z.string(), operation: z.string() })),
  refused: z.array(z.object({ id: z.string(), detail: z.string() })),
});
export type GivenBack = z.infer<typeof givenBackSchema>;

export const graceSchema = z.object({ id: z.string().min(1).max(300), days: z.int().min(1).max(3650) });
export const destroySchema = z.object({
  id: z.string().min(1).max(300),
  /** The name of its last claim, or of the volume. */
  confirm: z.string().max(300),
});
