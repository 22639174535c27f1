import { z } from 'zod';
import { poolSchema } from './backends';
import { nameSchema, newClassSchema, storageClassSchema } from './classes';

export const mooringSchema = z.object({
  className: z.string(),
  pool: z.string(),
  enabled: z.boolean(),
  order: z.int().min(1).max(1000),
  weight: z.number().min(0.01).max(100),
  version: z.int(),
});
export type MooringRow = z.infer<typeof mooringSchema>;

export const mooringChangeSchema = z.object({
  enabled: z.boolean().optional(),
  weight: z.number().min(0.01).max(100).optional(),
});
export const mooringOrderSchema = z.object({
  /** Every pool moored for the class, first to be tried first. */
  pools: z.array(z.string()).min(1).max(500),
});

/** All that a decision looks at, for the browser's worker to try claims on. */
export const placementStateSchema = z.object({
  site: z.string(),
  classes: z.array(storageClassSchema.extend({ name: z.string() })),
  /** Version of each class, by its name. */
  classVersions: z.record(z.string(), z.string()),
  defaultClass: z.string().nullable(),
  pools: z.array(
    poolSchema.extend({
      reachable: z.boolean(),
      healthy: z.boolean(),
      /** Provisioned bytes of our copies on each disk. */
      diskUse: z.record(z.string(), z.number()),
    }),
  ),
  moorings: z.array(mooringSchema),
  limits: z.array(z.object({ namespace: z.string(), className: z.string().nullable(), bytes: z.number() })),
  /** Limits of claims and of reserved IOPS, with what is used of them. */
  counts: z.array(
    z.object({
      namespace: z.string(),
      className: z.string().nullable(),
      of: z.enum(['claims', 'iops']),
      limit: z.number(),
      used: z.number(),
    }),
  ),
  /** Classes kept for namespaces that were granted them, and those namespaces. Classes not listed are open to all. */
  grants: z.array(z.object({ className: z.string(), namespaces: z.array(z.string()) })),
  /** What is kept where: volumes alike in class, pool and size. */
  held: z.array(
    z.object({ className: z.string(), pool: z.string(), bytes: z.number(), count: z.int(), floor: z.number() }),
  ),
  usage: z.array(z.object({ namespace: z.string(), className: z.string(), provisioned: z.number() })),
  namespaces: z.array(z.string()),
});
export type PlacementState = z.infer<typeof placementStateSchema>;

/** Whether claims of the state's site can have their volumes on a pool; else it is there for off-site copies. */
export const isHere = (
  state: Pick<PlacementState, 'site'>,
  pool: Pick<PlacementState['pools'][number], 'sites'>,
): boolean => pool.sites.length === 0 || pool.sites.includes(state.site);

/** One change of a draft, with what it was made against: null where there was nothing. */
export const draftedChangeSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('mooring'),
    className: z.string(),
    pool: z.string(),
    enabled: z.boolean(),
    weight: z.number().min(0.01).max(100),
    /** Version of the mooring the draft saw; null: there was none. */
    seen: z.int().nullable(),
  }),
  z.object({
    kind: z.literal('order'),
    className: z.string(),
    pools: z.array(z.string()).min(1).max(500),
    /** The order the draft saw. */
    seen: z.array(z.string()).max(500),
  }),
  z.object({ kind: z.literal('default'), className: z.string(), seen: z.string().nullable() }),
  z.object({ kind: z.literal('class'), storageClass: newClassSchema }),
  z.object({
    kind: z.literal('class-change'),
    /** The class as it is to be, under the name it has. */
    storageClass: newClassSchema,
    /** As the draft saw it: only what differs from it is meant. */
    was: newClassSchema,
    /** Version of the class the draft saw. */
    seen: z.string(),
  }),
]);
export type DraftedChange = z.infer<typeof draftedChangeSchema>;
export const draftSchema = z.object({
  changes: z.array(draftedChangeSchema).min(1, 'There is nothing to apply.').max(500),
});

/** A change of a draft that somebody else's stands against: what it is now, and who made it so. */
export const conflictSchema = z.object({
  /** Place of the change in the draft. */
  index: z.int(),
  now: z.unknown(),
  person: z.string().nullable(),
  at: z.string().nullable(),
});
export type Conflict = z.infer<typeof conflictSchema>;
export const appliedSchema = z.object({ applied: z.int(), conflicts: z.array(conflictSchema) });
export type Applied = z.infer<typeof appliedSchema>;

/** What is left of a kept plan: claims still to come, and the pools they are to go to. */
export const keptPlanSchema = z.object({
  plan: z.string(),
  namespaces: z.array(z.string()),
  /** The first claim by name, to tell plans apart. */
  first: z.string(),
  claims: z.int(),
  pools: z.array(z.object({ pool: z.string(), claims: z.int() })),
  person: z.string(),
  at: z.string(),
  /** Raw bytes that are held for them against others, and until when; null where the plan is a wish alone. */
  held: z.number(),
  until: z.string().nullable(),
});
export type KeptPlan = z.infer<typeof keptPlanSchema>;

/**
 * A plan for many claims: which pool each is to go to, and which disks its copies where we place them (a witness last). Used when
 * such a claim comes, and its rules still pass.
 */
export const plannedPlacesSchema = z.object({
  places: z

    .array(
      z.object({
        ...{ namespace: nameSchema, claim: nameSchema, pool: z.string() },
        disks: z.array(z.string().min(1).max(200)).max(16).default([]),
      }),
    )
    .min(1)
    .max(5_000, 'A plan takes 5,000 claims at most. Keep it in parts.'),
});
