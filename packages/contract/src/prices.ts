import { z } from 'zod';
import { tiers } from './backends';

/** A price is at most this much of the currency, and to the millionth. */
const price = z.number().min(0).max(1_000_000);

/** What a month costs from a moment on, by tier: each provisioned GiB, and each reserved operation per second. */
export const rateSchema = z.object({
  tier: z.enum(tiers),
  from: z.iso.datetime(),
  perGiB: price,
  perIops: price,
  person: z.string(),
});
export type RateRow = z.infer<typeof rateSchema>;

export const newRateSchema = z.object({
  tier: z.enum(tiers),
  /** The day (UTC) that it begins with. */
  from: z.iso.date(),
  perGiB: price,
  perIops: price,
});
export type NewRate = z.infer<typeof newRateSchema>;

const month = z.string().regex(/^\d{4}-(0[1-9]|1[0-2])$/, 'A month is a year and a month, as 2026-10.');
export const statementQuerySchema = z.object({ month });
export const statementExportQuerySchema = statementQuerySchema.extend({
  format: z.enum(['csv', 'json']).default('csv'),
});

/**
 * What a month costs, line by line; cents of all lines add up to the whole in any grouping. The same month told later is the same,
 * once it is over.
 */
export const statementSchema = z.object({
  month,
  currency: z.string(),
  /** Up to when it is reckoned: its end, or now. */
  until: z.iso.datetime(),
  isOver: z.boolean(),
  lines: z.array(
    z.object({
      namespace: z.string(),
      team: z.string(),
      className: z.string(),
      pool: z.string(),
      application: z.string(),
      tier: z.string(),
      /** Provisioned GiB, the mean over the whole month. */
      gib: z.number(),
      /** Reserved operations per second, the mean over the whole month. */
      iops: z.number(),
      cents: z.int(),
    }),
  ),
  cents: z.int(),
  rates: z.array(rateSchema),
  /** Tiers that were used and have no price for a part of the month. */
  unpriced: z.array(z.string()),
});
export type Statement = z.infer<typeof statementSchema>;
