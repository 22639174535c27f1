import { z } from 'zod';
import { tiers } from './backends';
import { runwaySchema } from './limits';

export const runwayKinds = ['namespace', 'class', 'pool', 'backend'] as const;
export type RunwayKind = (typeof runwayKinds)[number];
/** What is reached: a namespace's limits, a pool's marks, its ceiling and its operations, a backend's cap, the last of a class's pools. */
export const runwayEnds = ['limit', 'claims', 'iops-limit', 'soft', 'hard', 'ceiling', 'iops', 'cap', 'pools'] as const;
export type RunwayEnd = (typeof runwayEnds)[number];

export const runwayRowSchema = z.object({
  kind: z.enum(runwayKinds),
  name: z.string(),
  /** Of a limit in one class. */
  className: z.string().nullable(),
  against: z.enum(runwayEnds),
  /** Bytes (raw, of pools and backends), claims or operations per second, as `against` says. */
  used: z.number(),
  end: z.number(),
  perDay: z.number().nullable(),
  /** Null: too little is known. */
  runway: runwaySchema.nullable(),
});
export type RunwayRow = z.infer<typeof runwayRowSchema>;

export const runwaysQuerySchema = z.object({
  kind: z.enum(runwayKinds).optional(),
  q: z.string().max(253).optional(),
});
/** What is reached first comes first; `more` are left out. */
export const runwaysSchema = z.object({
  reckonedAt: z.iso.datetime().nullable(),
  rows: z.array(runwayRowSchema),
  more: z.int(),
});
export type Runways = z.infer<typeof runwaysSchema>;

export const forecastQuerySchema = z.object({
  kind: z.enum(runwayKinds),
  name: z.string().max(253),
  className: z.string().max(253).optional(),
  against: z.enum(runwayEnds),
  /** Days of the past that it is reckoned from. */
  days: z.coerce.number().int().min(7).max(400).default(60),
});
const points = z.array(z.number());
export const forecastSchema = z.object({
  row: runwayRowSchema,
  /** What was, day by day; milliseconds since 1970. */
  was: z.object({ at: points, value: points }),
  /** What came or went at once in these days: growth that is reckoned across it is not how it goes on. */
  steps: z.array(z.object({ at: z.number(), change: z.number() })),
  /** How it goes on, with its interval; empty where too little is known. */
  goesOn: z.object({ at: points, value: points, low: points, high: points }),
});
export type ForecastAnswer = z.infer<typeof forecastSchema>;

const amount = z.number().nonnegative().max(Number.MAX_SAFE_INTEGER);
const day = z.iso.date();
export const scenarioChangeSchema = z.discriminatedUnion('kind', [
  z.object({
    ...{ kind: z.literal('application'), className: z.string().min(1).max(253) },
    /** Provisioned bytes, and reserved IOPS, from a day on. */
    ...{ bytes: amount, iops: amount, from: day },
  }),
  z.object({ kind: z.literal('capacity'), pool: z.string().min(1).max(253), raw: amount, from: day }),
  z.object({ kind: z.literal('copy'), className: z.string().min(1).max(253) }),
  z.object({
    ...{ kind: z.literal('move'), namespace: z.string().min(1).max(253) },
    ...{ from: z.string().min(1).max(253), to: z.string().min(1).max(253) },
  }),
  z.object({
    ...{ kind: z.literal('growth'), of: z.enum(['namespace', 'class', 'pool', 'site']), name: z.string().max(253) },
    times: z.number().min(0).max(100),
  }),
]);
export type AskedChange = z.infer<typeof scenarioChangeSchema>;

/** How long pools are to last, and what a raw TiB costs by tier; null where that is not known. */
export const wishSchema = z.object({
  days: z.int().min(1).max(1095),
  pricePerTiB: z.object(
    Object.fromEntries(tiers.map((t) => [t, amount.nullable()])) as Record<
      (typeof tiers)[number],
      z.ZodNullable<typeof amount>
    >,
  ),
});
export type Wish = z.infer<typeof wishSchema>;

export const whatIfSchema = z.object({ changes: z.array(scenarioChangeSchema).max(50), wish: wishSchema });
export type WhatIf = z.infer<typeof whatIfSchema>;

const marks = z.object({ soft: runwaySchema, hard: runwaySchema, ceiling: runwaySchema, iops: runwaySchema });
export const whatIfAnswerSchema = z.object({
  at: z.iso.datetime(),
  pools: z.array(
    z.object({
      id: z.string(),
      backend: z.string(),
      capacity: z.number(),
      written: z.number(),
      writtenPerDay: z.number(),
      /** The same with the changes. */
      thenPerDay: z.number(),
      now: marks,
      then: marks,
    }),
  ),
  purchases: z.array(
    z.discriminatedUnion('kind', [
      z.object({
        ...{ kind: z.literal('buy'), pool: z.string(), by: z.number(), short: z.number() },
        ...{ units: z.int(), raw: z.number(), cost: z.number().nullable() },
      }),
      z.object({
        ...{ kind: z.literal('send'), pool: z.string(), by: z.number(), to: z.string() },
        ...{ className: z.string(), raw: z.number(), left: z.number() },
      }),
    ]),
  ),
  /** Raw bytes of one unit of each pool. */
  units: z.record(z.string(), z.number()),
  currency: z.string(),
});
export type WhatIfAnswer = z.infer<typeof whatIfAnswerSchema>;

export const scenarioSchema = whatIfSchema.extend({
  name: z.string(),
  person: z.string(),
  at: z.iso.datetime(),
  version: z.int(),
});
export type KeptScenario = z.infer<typeof scenarioSchema>;
/** `version`: the one that was read; left out where it is new. */
export const keepScenarioSchema = whatIfSchema.extend({ version: z.int().optional() });
