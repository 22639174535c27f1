import { bindingModes, reclaimPolicies, strategies } from '@moorage/core/classes/storage-class';
import { nameProblem } from '@moorage/core/claims/name';
import { defaultWriteShare } from '@moorage/core/performance/term';
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
  .number({ error: 'A number of IOPS is needed.' })
  .int('Whole IOPS only.')
  .min(0, 'IOPS cannot be negative.')
  .max(10_000_000, 'More than any pool can do.');

export const rateTermSchema = z
  .discriminatedUnion('kind', [
    z.object({ kind: z.literal('fixed'), value: rate }),
    z.object({
      kind: z.literal('per-gib'),
      perGiB: z.number({ error: 'A number of IOPS per GiB is needed.' }).min(0).max(100_000),
      minimum: rate.optional(),
      maximum: rate.optional(),
    }),
  ])
  .refine((t) => t.kind === 'fixed' || t.minimum === undefined || t.maximum === undefined || t.minimum <= t.maximum, {
    message: 'The minimum is above the maximum.',
    path: ['minimum'],
  });

export const storageClassSchema = z.object({
  name: nameSchema,
  copies: z
    .number({ error: 'A number of copies is needed.' })
    .int('Whole copies only.')
    .min(1, 'At least one copy.')
    .max(5, 'At most five copies.'),
  encrypted: z.boolean(),
  iopsFloor: rateTermSchema.optional(),
  iopsCeiling: rateTermSchema.optional(),
  writeShare: z.number().min(0).max(1),
  reclaim: z.enum(reclaimPolicies),
  binding: z.enum(bindingModes),
  expansion: z.boolean(),
  strategy: z.enum(strategies),
  zones: z.array(z.string().min(1).max(63)).max(50).readonly(),
  locality: z.boolean(),
});

/** A class as the form fills it in: every setting answered. */
export const filledClassSchema = storageClassSchema.extend({ isDefault: z.boolean() });
export type NewClass = z.infer<typeof filledClassSchema>;

/** A class as the API takes it: what is left out gets the default shown here. */
export const newClassSchema = filledClassSchema.extend({
  copies: storageClassSchema.shape.copies.default(1),
  encrypted: z.boolean().default(false),
  writeShare: storageClassSchema.shape.writeShare.default(defaultWriteShare),
  reclaim: storageClassSchema.shape.reclaim.default('Delete'),
  binding: storageClassSchema.shape.binding.default('Immediate'),
  expansion: z.boolean().default(true),
  strategy: storageClassSchema.shape.strategy.default('in-order'),
  zones: storageClassSchema.shape.zones.default([]),
  locality: z.boolean().default(false),
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
  problems: z.array(z.object({ field: z.string(), problem: z.string(), value: z.string() })),
});
export type ClassRow = z.infer<typeof classRowSchema>;
