import { tunableRates } from '@moorage/core/placement/tuning';
import { z } from 'zod';
import { applicationAfterSchema } from './deletion';
import { checkSchema, sizeTextSchema } from './claims';
import { nameSchema } from './classes';
import { ratesSchema } from './tuning';

/** Claims that one round takes at most. */
export const mostInRound = 1000;

/** One change that is made to many claims. */
export const roundChangeSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('grow'), to: sizeTextSchema }),
  z.object({ kind: z.literal('grow-by'), by: sizeTextSchema }),
  z.object({ kind: z.literal('delete') }),
  z.object({
    kind: z.literal('tune'),
    /** IOPS, and MB/s; null as the class has it, and as it stands what is left out. */
    tuned: z.partialRecord(z.enum(tunableRates), z.int().min(0).max(1_000_000_000).nullable()),
  }),
]);
export type RoundChange = z.infer<typeof roundChangeSchema>;

export const roundRequestSchema = z.object({
  claims: z
    .array(z.object({ namespace: nameSchema, name: nameSchema }))
    .min(1, 'Name at least one claim.')
    .max(mostInRound, `One round takes ${mostInRound} claims at most.`),
  change: roundChangeSchema,
  /** Typed once more where used data would be destroyed. */
  confirm: z.string().max(100).optional(),
});
export type RoundRequest = z.infer<typeof roundRequestSchema>;

/** Why a claim is left out of a round. */
export const roundRefusals = [
  'gone',
  'not-bound',
  'class-gone',
  'fixed',
  'pool-gone',
  'enough',
  'does-not-fit',
  'deleting',
  'as-asked',
  'floor-above-ceiling',
  'changing',
] as const;

export const roundRowSchema = z.object({
  namespace: z.string(),
  name: z.string(),
  uid: z.string().nullable(),
  pool: z.string().nullable(),
  /** Provisioned bytes now, and afterwards. */
  from: z.number().nullable(),
  to: z.number().nullable(),
  /** Raw bytes that growing adds, copies counted. */
  addedRaw: z.number(),
  /** Its ceilings and floors now, and afterwards. */
  rates: z.object({ now: ratesSchema, then: ratesSchema }).nullable(),
  refusal: z.enum(roundRefusals).nullable(),
  /** The rule that refuses first. */
  failed: z.object({ pool: z.string(), check: checkSchema }).nullable(),
  /** What becomes of its volume when it is deleted. */
  fate: z
    .object({
      kind: z.enum(['no-volume', 'destroyed', 'kept-for-days', 'kept']),
      /** Written bytes. */
      used: z.number(),
      graceDays: z.number(),
      /** Pods that use it: it goes when they are gone. */
      pods: z.array(z.string()),
    })
    .nullable(),
});
export type RoundRow = z.infer<typeof roundRowSchema>;

/** What a round would bring about, claim by claim and in all. Bytes. */
export const roundPlanSchema = z.object({
  rows: z.array(roundRowSchema),
  /** How many claims are changed, and how many are left as they are. */
  goes: z.int(),
  refused: z.int(),
  /** What growing adds, and with the copies counted. */
  added: z.number(),
  addedRaw: z.number(),
  /** Written bytes that deleting destroys, and keeps. */
  destroyed: z.number(),
  kept: z.number(),
  /** What has to be typed before used data is destroyed; null when none is. */
  confirm: z.string().nullable(),
  /** What is left of applications whose claims go. */
  applications: z.array(applicationAfterSchema),
});
export type RoundPlan = z.infer<typeof roundPlanSchema>;

/** A round as it stands. */
export const roundSchema = z.object({
  id: z.string(),
  /** The operation that carries it. */
  operation: z.string(),
  change: roundChangeSchema,
  done: z.int(),
  waiting: z.int(),
  refused: z.array(z.object({ namespace: z.string(), name: z.string(), detail: z.string() })),
});
export type Round = z.infer<typeof roundSchema>;
