import { protocols } from '@moorage/core/classes/protocol';
import { tunables } from '@moorage/core/classes/tunable';
import {
  bindingModes,
  fileSystems,
  levels,
  plainClass,
  purposes,
  reclaimPolicies,
  rootsOnNodes,
  strategies,
  volumeModes,
} from '@moorage/core/classes/storage-class';
import { nameProblem } from '@moorage/core/claims/name';
import { z } from 'zod';

const nameWords: Record<NonNullable<ReturnType<typeof nameProblem>>, string> = {
  empty: 'A name is needed.',
  'too-long': 'The name is too long: 253 characters at most.',
  'bad-characters': 'Only a-z, 0-9, "-" and "." between labels are allowed.',
  'bad-start': 'The name must begin with a letter or digit.',
  'bad-end': 'The name must end with a letter or digit.',
};

/** A name the platform takes (RFC 1123). */
export const nameSchema = z.string().superRefine((name, context) => {
  const problem = nameProblem(name);
  if (problem) context.addIssue({ code: 'custom', message: nameWords[problem] });
});

const rate = z
  .number({ error: 'A number is needed.' })
  .int('Whole numbers only.')
  .min(0, 'A rate cannot be negative.')
  .max(10_000_000, 'More than any pool can do.');

/** IOPS, or MB/s. */
export const rateTermSchema = z
  .discriminatedUnion('kind', [
    z.object({ kind: z.literal('fixed'), value: rate }),
    z.object({
      kind: z.literal('per-gib'),
      perGiB: z.number({ error: 'A number per GiB is needed.' }).min(0).max(100_000),
      minimum: rate.optional(),
      maximum: rate.optional(),
    }),
  ])
  .refine((t) => t.kind === 'fixed' || t.minimum === undefined || t.maximum === undefined || t.minimum <= t.maximum, {
    message: 'The minimum is above the maximum.',
    path: ['minimum'],
  });

const whole = (most: number, words: string) =>
  z.number({ error: words }).int('Whole numbers only.').min(1, 'At least one.').max(most, `At most ${most}.`);
const names = z.array(z.string().min(1).max(63)).max(50).readonly();

export const allowanceSchema = z
  .object({
    setting: z.enum(tunables),
    minimum: rate,
    maximum: rate,
    namespaces: names,
  })
  .refine((a) => a.minimum <= a.maximum, { message: 'The minimum is above the maximum.', path: ['minimum'] });

export const storageClassSchema = z.object({
  name: nameSchema,
  purpose: z.enum(purposes),
  copies: z
    .number({ error: 'A number of copies is needed.' })
    .int('Whole copies only.')
    .min(1, 'At least one copy.')
    .max(5, 'At most five copies.'),
  shards: z
    .object({
      data: z
        .number({ error: 'A number of data shards is needed.' })
        .int()
        .min(2, 'At least two.')
        .max(16, 'At most 16.'),
      parity: z
        .number({ error: 'A number of parity shards is needed.' })
        .int()
        .min(1, 'At least one.')
        .max(4, 'At most 4.'),
    })
    .optional(),
  level: z.enum(levels),
  witness: z.boolean(),
  secondCopy: z.boolean(),
  offsite: z.boolean(),
  pinnedNodes: names,
  zones: names,
  locality: z.boolean(),
  strategy: z.enum(strategies),
  iopsFloor: rateTermSchema.optional(),
  iopsCeiling: rateTermSchema.optional(),
  throughputFloor: rateTermSchema.optional(),
  throughputCeiling: rateTermSchema.optional(),
  writeShare: z.number().min(0).max(1),
  latencyAimMs: z
    .number({ error: 'A number of milliseconds is needed.' })
    .positive('Above zero.')
    .max(10_000)
    .optional(),
  protocols: z.array(z.enum(protocols)).max(protocols.length).readonly(),
  encrypted: z.boolean(),
  volumeMode: z.enum(['any', ...volumeModes]),
  fileSystem: z.enum(fileSystems).optional(),
  mountOptions: z.array(z.string().min(1).max(200)).max(30).readonly(),
  /** What root on a node writes to a share is root's, or nobody's. */
  root: z.enum(rootsOnNodes).optional(),
  compression: z.boolean(),
  deduplication: z.boolean(),
  reclaim: z.enum(reclaimPolicies),
  graceDays: z.number({ error: 'A number of days is needed.' }).int().min(0).max(3650, 'At most ten years.'),
  binding: z.enum(bindingModes),
  expansion: z.boolean(),
  safeguard: z
    .object({
      everyHours: whole(8760, 'A number of hours is needed.'),
      keep: whole(1000, 'A number of snapshots is needed.'),
    })
    .optional(),
  allowances: z.array(allowanceSchema).max(tunables.length).readonly(),
});

/** A class as the form fills it in: every setting answered. */
export const filledClassSchema = storageClassSchema.extend({ isDefault: z.boolean() });
export type NewClass = z.infer<typeof filledClassSchema>;

const shape = storageClassSchema.shape;
/** A class as the API takes it: what is left out gets the default shown here. */
export const newClassSchema = filledClassSchema.extend({
  purpose: shape.purpose.default(plainClass.purpose),
  copies: shape.copies.default(plainClass.copies),
  level: shape.level.default(plainClass.level),
  witness: z.boolean().default(false),
  secondCopy: z.boolean().default(false),
  offsite: z.boolean().default(false),
  pinnedNodes: shape.pinnedNodes.default([]),
  zones: shape.zones.default([]),
  locality: z.boolean().default(false),
  strategy: shape.strategy.default(plainClass.strategy),
  writeShare: shape.writeShare.default(plainClass.writeShare),
  protocols: shape.protocols.default([]),
  encrypted: z.boolean().default(false),
  volumeMode: shape.volumeMode.default('any'),
  mountOptions: shape.mountOptions.default([]),
  compression: z.boolean().default(false),
  deduplication: z.boolean().default(false),
  reclaim: shape.reclaim.default(plainClass.reclaim),
  graceDays: shape.graceDays.default(0),
  binding: shape.binding.default(plainClass.binding),
  expansion: z.boolean().default(true),
  allowances: shape.allowances.default([]),
  isDefault: z.boolean().default(false),
});

export const classRowSchema = z.object({
  uid: z.string(),
  storageClass: storageClassSchema.extend({ name: z.string() }),
  isDefault: z.boolean(),
  createdAt: z.string(),
  claims: z.int(),
  bound: z.int(),
  provisioned: z.number(),
  mooredPools: z.int(),
  /** Version of the platform's object: what a change is made against. */
  version: z.string(),
  /** The class it takes over from, when it is a successor. */
  succeeds: z.string().nullable(),
  /** Claims of stateful sets among those that use it. */
  statefulClaims: z.int(),
  /** The manifest as the platform has it. */
  manifest: z.unknown(),
  problems: z.array(
    z.object({
      field: z.string(),
      problem: z.string(),
      value: z.string(),
      meant: z.string().optional(),
      example: z.string().optional(),
    }),
  ),
});
export type ClassRow = z.infer<typeof classRowSchema>;

/** A class of another provisioner: shown, kept, never changed. */
export const foreignClassSchema = z.object({
  name: z.string(),
  provisioner: z.string(),
  isDefault: z.boolean(),
  manifest: z.unknown(),
});
export type ForeignClass = z.infer<typeof foreignClassSchema>;

/** Which namespaces may use a class. */
export const grantsSchema = z.object({
  className: z.string(),
  /** Open to all, or kept for those granted. */
  open: z.boolean(),
  version: z.int(),
  namespaces: z.array(
    z.object({
      namespace: z.string(),
      labels: z.record(z.string(), z.string()),
      granted: z.boolean(),
      /** Limit of provisioned bytes in this class; null for none. */
      quota: z.number().nullable(),
      claims: z.int(),
      provisioned: z.number(),
    }),
  ),
});
export type Grants = z.infer<typeof grantsSchema>;
export const grantsChangeSchema = z.object({
  open: z.boolean().optional(),
  /** Namespaces to grant or to take the grant from, each with a quota if it is to change. */
  set: z
    .array(
      z.object({
        namespace: nameSchema,
        granted: z.boolean().optional(),
        quota: z.int().positive().nullable().optional(),
      }),
    )
    .max(10_000)
    .default([]),
});
export type GrantsChange = z.infer<typeof grantsChangeSchema>;

/** A plan for moving the claims of a class over to its successor. */
export const successionSchema = z.object({
  from: z.string(),
  to: z.string(),
  person: z.string(),
  createdAt: z.string(),
  /** In the order they should move. */
  moves: z.array(
    z.object({
      namespace: z.string(),
      claim: z.string(),
      from: z.string().nullable(),
      /** Where it would go; null: it fits nowhere yet. */
      to: z.string().nullable(),
      bytes: z.number(),
      consumed: z.number(),
      seconds: z.number(),
    }),
  ),
  bytes: z.number(),
  seconds: z.number(),
});
export type Succession = z.infer<typeof successionSchema>;
export const newSuccessorSchema = z.object({ storageClass: newClassSchema, takesDefault: z.boolean().default(false) });
