import { z } from 'zod';

/** What a namespace may be limited in: provisioned bytes, claims, snapshots, reserved IOPS. */
export const limitMeasures = ['bytes', 'claims', 'snapshots', 'iops'] as const;
export type LimitMeasure = (typeof limitMeasures)[number];
export type CountedMeasure = Exclude<LimitMeasure, 'bytes'>;

/** Whether a limit holds that is below what is used already: nothing is taken away, and nothing new binds. */
const evenIfOver = z.boolean();
const amount = z.int().positive().max(Number.MAX_SAFE_INTEGER);
const saysOne = (body: Readonly<Record<string, unknown>>): boolean =>
  limitMeasures.some((of) => body[of] !== undefined);
/** Null takes a limit away; one that is left out stays as it is. */
export const limitSchema = z
  .object({
    bytes: amount.nullable(),
    claims: amount.nullable(),
    snapshots: amount.nullable(),
    iops: amount.nullable(),
    evenIfOver,
  })
  .partial()
  .refine(saysOne, 'Say at least one limit.');
/** Of a class; snapshots are counted for the namespace as a whole. */
export const classLimitSchema = z
  .object({ bytes: amount.nullable(), claims: amount.nullable(), iops: amount.nullable(), evenIfOver })
  .partial()
  .refine(saysOne, 'Say at least one limit.');
export type NewLimit = z.infer<typeof limitSchema>;

/** Whether claims beyond the limits are refused by the platform, or made and left waiting. */
export const enforcementSchema = z.object({ byPlatform: z.boolean() });

const count = z.object({ limit: z.number().nullable(), used: z.number() });

export const limitRequestStates = ['open', 'granted', 'refused', 'withdrawn', 'ended'] as const;
export type LimitRequestState = (typeof limitRequestStates)[number];

export const limitRequestSchema = z.object({
  id: z.uuid(),
  namespace: z.string(),
  /** Null: the namespace as a whole. */
  className: z.string().nullable(),
  measure: z.enum(limitMeasures),
  /** The limit when it was asked; null: none. */
  was: z.number().nullable(),
  asked: z.number(),
  reason: z.string(),
  /** YYYY-MM-DD. */
  neededBy: z.string().nullable(),
  person: z.string(),
  at: z.iso.datetime(),
  state: z.enum(limitRequestStates),
  /** The limit that was given. */
  granted: z.number().nullable(),
  endsAt: z.iso.datetime().nullable(),
  answer: z.string().nullable(),
  answeredBy: z.string().nullable(),
  answeredAt: z.iso.datetime().nullable(),
});
export type LimitRequest = z.infer<typeof limitRequestSchema>;

/** The limits of a namespace with what it uses of them, how the platform keeps them, and what was asked for lately. */
export const namespaceLimitsSchema = z.object({
  namespace: z.string(),
  /** The namespace as a whole first (`className` null), then each class that it uses or is limited in. */
  scopes: z.array(
    z.object({
      className: z.string().nullable(),
      bytes: count,
      claims: count,
      iops: count,
      /** Of the whole alone; how many there are is the platform's to count. */
      snapshots: z.number().nullable(),
    }),
  ),
  platform: z.object({
    byPlatform: z.boolean(),
    /** `settled`: it has them. `due`: they are being written. `refused`: it does not take them, and why. */
    state: z.enum(['none', 'settled', 'due', 'refused']),
    problem: z.string().nullable(),
    object: z.string(),
  }),
  requests: z.array(limitRequestSchema),
});
export type NamespaceLimits = z.infer<typeof namespaceLimitsSchema>;

export const effectQuerySchema = z.object({
  className: z.string().max(253).optional(),
  measure: z.enum(limitMeasures),
  /** Left out: none. */
  amount: z.coerce.number().int().positive().optional(),
});

/** A date at which something is reached, milliseconds since 1970, with the interval of nine in ten. */
export const runwaySchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('over') }),
  z.object({ kind: z.literal('none') }),
  z.object({ kind: z.literal('meets'), at: z.number(), from: z.number(), to: z.number().nullable() }),
]);
const waiting = z.array(z.object({ namespace: z.string(), name: z.string(), takes: z.number() }));
/** What a limit would do. Claims that wait are told as far as they are among the first hundred. */
export const limitEffectSchema = z.object({
  used: z.number(),
  over: z.number(),
  /** Null: no limit. */
  left: z.number().nullable(),
  /** Null where too little is known of how it went so far. */
  runway: runwaySchema.nullable(),
  frees: waiting,
  keeps: waiting,
  /** What the platform keeps even so: it counts what is asked. */
  enforced: z.boolean(),
});
export type LimitEffect = z.infer<typeof limitEffectSchema>;

export const newLimitRequestSchema = z.object({
  className: z.string().min(1).max(253).nullable().default(null),
  measure: z.enum(limitMeasures).default('bytes'),
  asked: amount,
  reason: z.string().trim().min(3, 'Say why, so that it can be decided.').max(1000),
  neededBy: z.iso.date().nullable().default(null),
});
export type NewLimitRequest = z.infer<typeof newLimitRequestSchema>;

export const limitAnswerSchema = z.object({
  /** The limit that is given, what was asked or less; null: none of it. */
  granted: amount.nullable(),
  /** The last day of it; left out: for good. */
  until: z.iso.date().nullable().default(null),
  answer: z.string().trim().max(1000).default(''),
});
export type LimitAnswer = z.infer<typeof limitAnswerSchema>;

/** Newest first; `more`: there are older ones. */
export const limitRequestsQuerySchema = z.object({ state: z.enum(limitRequestStates).optional() });
export const limitRequestsSchema = z.object({ requests: z.array(limitRequestSchema), more: z.boolean() });
