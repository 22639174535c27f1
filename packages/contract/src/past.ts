import { z } from 'zod';
import { tiers } from './backends';

/** A moment of the past. */
export const pastQuerySchema = z.object({ at: z.iso.datetime({ offset: true }) });

const factsSchema = z.object({
  id: z.string(),
  backend: z.string(),
  tier: z.enum(tiers).nullable(),
  /** Bytes: raw where copies are spread over nodes, else as the backend told. */
  capacity: z.number(),
  iops: z.number(),
  overcommit: z.number(),
  softMark: z.number(),
  hardMark: z.number(),
  allotment: z.number().nullable(),
  /** Nothing was noted of it so long ago: it is shown as it was when it was noted first. */
  isGuess: z.boolean(),
});

/** Pools and moorings as they were at a moment. */
export const pastSchema = z.object({
  at: z.iso.datetime(),
  /** The first moment that use is known of; null: nothing yet. */
  since: z.iso.datetime().nullable(),
  pools: z.array(
    factsSchema.extend({
      /** As sampled last before the moment; null where nothing was told for too long. */
      written: z.number().nullable(),
      operations: z.number().nullable(),
      latency: z.number().nullable(),
      claims: z.int(),
      provisioned: z.number(),
      footprint: z.number(),
      /** Operations per second that were reserved. */
      reserved: z.number(),
    }),
  ),
  moorings: z.array(
    z.object({
      ...{ className: z.string(), pool: z.string(), enabled: z.boolean(), order: z.int(), weight: z.number() },
    }),
  ),
  /** Since when moorings are noted; of times before only what was kept where is known. Null: none was ever. */
  mooringsSince: z.iso.datetime().nullable(),
  /** What was kept where, as far as it is seen. */
  held: z.array(
    z.object({ ...{ className: z.string(), pool: z.string(), claims: z.int(), bytes: z.number(), raw: z.number() } }),
  ),
});
export type Past = z.infer<typeof pastSchema>;

export const pastClaimsQuerySchema = pastQuerySchema.extend({
  namespace: z.string().min(1).max(253),
  class: z.string().max(253).optional(),
  pool: z.string().max(200).optional(),
  backend: z.string().max(200).optional(),
  application: z.string().max(253).optional(),
  q: z.string().trim().max(253).optional(),
  cursor: z.string().max(1000).optional(),
});

/** Claims of a namespace as they were at a moment, by name; of those asked for by a place, what they have there alone. */
export const pastClaimsSchema = z.object({
  at: z.iso.datetime(),
  claims: z.array(
    z.object({
      uid: z.string(),
      name: z.string(),
      className: z.string(),
      /** Null while none was chosen. */
      pool: z.string().nullable(),
      application: z.string(),
      isBound: z.boolean(),
      requested: z.number(),
      provisioned: z.number(),
      footprint: z.number(),
      reserved: z.number(),
      /** Whether it is there now. */
      isThere: z.boolean(),
    }),
  ),
  /** Where it goes on; null: that is all. */
  next: z.string().nullable(),
  /** Of all of them, not of this page. */
  total: z.object({ claims: z.int(), provisioned: z.number(), footprint: z.number() }),
});
export type PastClaims = z.infer<typeof pastClaimsSchema>;
