import { tunableRates } from '@moorage/core/placement/tuning';
import { z } from 'zod';
import { checkSchema } from './claims';

/** What a bound claim tunes of its class; what is left out is as the class has it. IOPS, and MB/s. */
export const tuningRequestSchema = z.object({
  tuned: z.partialRecord(z.enum(tunableRates), z.int().min(0).max(1_000_000_000)),
});
export type TuningRequest = z.infer<typeof tuningRequestSchema>;

export const ratesSchema = z.object({
  iopsFloor: z.number(),
  iopsCeiling: z.number().nullable(),
  throughputFloor: z.number(),
  throughputCeiling: z.number().nullable(),
});
export type Rates = z.infer<typeof ratesSchema>;

/** What tuning would come to, before it is asked for. */
export const tuningAnswerSchema = z.object({
  now: ratesSchema,
  tuned: z.partialRecord(z.enum(tunableRates), z.number()),
  tuning: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('pool-gone'), pool: z.string() }),
    z.object({
      kind: z.literal('floor-above-ceiling'),
      of: z.enum(['IOPS', 'throughput']),
      floor: z.number(),
      ceiling: z.number(),
    }),
    z.object({
      kind: z.literal('reckoned'),
      fits: z.boolean(),
      rates: ratesSchema,
      on: z
        .array(
          z.object({
            pool: z.string(),
            further: z.enum(['synchronous', 'asynchronous']).optional(),
            backendIops: z.number(),
            backendThroughput: z.number(),
            checks: z.array(checkSchema).readonly(),
          }),
        )
        .readonly(),
    }),
  ]),
});
export type TuningAnswer = z.infer<typeof tuningAnswerSchema>;
