import { z } from 'zod';

export const operationActs = ['pause', 'resume', 'retry', 'cancel'] as const;
export type OperationAct = (typeof operationActs)[number];

export const steerSchema = z.object({ id: z.uuid(), act: z.enum(operationActs) });

/** Something that takes time, of whatever kind. */
export const operationSchema = z.object({
  id: z.string(),
  kind: z.string(),
  /** What is done, and to what, as people read it. */
  title: z.string(),
  about: z.string(),
  /** Who began it; null when nobody did. */
  person: z.string().nullable(),
  state: z.string(),
  /** The state in words. */
  words: z.string(),
  /** `retrying`: its last try failed and another follows. `refused`: its step was refused for good; a person has to say what now. */
  status: z.enum(['running', 'retrying', 'waiting', 'paused', 'refused', 'ended']),
  /** It did not reach its end: what it did is or was taken back. */
  isUndone: z.boolean(),
  cause: z.string().nullable(),
  /** How much there is to do in all, and still; null when that is not known. */
  progress: z
    .object({
      total: z.number(),
      remaining: z.number(),
      unit: z.enum(['bytes', 'steps']),
      etaSeconds: z.number().nullable(),
    })
    .nullable(),
  attempts: z.int(),
  error: z.object({ code: z.string(), detail: z.string() }).nullable(),
  nextAttemptAt: z.string().nullable(),
  stoppedBy: z.string().nullable(),
  createdAt: z.string(),
  updatedAt: z.string(),
  endedAt: z.string().nullable(),
  /** What calling it off comes to; null when all that it did is taken back. */
  callsOff: z.string().nullable(),
  /** What the one who asks may do to it now. */
  can: z.array(z.enum(operationActs)),
});
export type OperationRow = z.infer<typeof operationSchema>;

export const operationQuerySchema = z.object({
  /** `under-way` leaves out what waits for something from outside, as a claim for its first pod. */
  show: z.enum(['under-way', 'stopped', 'ended']).default('under-way'),
  kind: z.string().min(1).max(60).optional(),
  cursor: z.string().max(100).optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});
export type OperationQuery = z.infer<typeof operationQuerySchema>;

export const operationPageSchema = z.object({
  rows: z.array(operationSchema),
  next: z.string().nullable(),
  /** How many are under way and how many are stopped, whatever is shown. */
  underWay: z.int(),
  stopped: z.int(),
  /** Every kind there is, to choose from. */
  kinds: z.array(z.object({ kind: z.string(), title: z.string() })),
});
export type OperationPage = z.infer<typeof operationPageSchema>;

export const retriedSchema = z.object({ tried: z.int(), more: z.boolean() });
