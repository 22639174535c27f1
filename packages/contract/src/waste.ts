import { z } from 'zod';

/** Claims that no pod mounts, that hold far less than they have, that are faster than they need; classes that nobody uses. */
export const wasteKinds = ['unmounted', 'oversized', 'too-fast', 'class-unused'] as const;
export type WasteKind = (typeof wasteKinds)[number];

export const wasteRowSchema = z.object({
  kind: z.enum(wasteKinds),
  /** The claim's uid, or the class. */
  subject: z.string(),
  namespace: z.string(),
  name: z.string(),
  className: z.string(),
  pool: z.string(),
  since: z.iso.datetime(),
  /** Provisioned bytes, and raw bytes that would be free. */
  bytes: z.number(),
  raw: z.number(),
  /** What a month of it costs, and what of that would be saved, in the site's currency. */
  cost: z.number(),
  saved: z.number(),
  facts: z.object({
    /** Most that was written in the time that is looked at, bytes. */
    written: z.number().optional(),
    /** 95th percentile of its operations per second, and the class that would have served it. */
    p95: z.number().optional(),
    better: z.string().optional(),
  }),
  aside: z.object({ reason: z.string(), until: z.string(), person: z.string() }).nullable(),
});
export type WasteRow = z.infer<typeof wasteRowSchema>;

export const wasteQuerySchema = z.object({
  kind: z.enum(wasteKinds).optional(),
  /** Set aside, or not. */
  aside: z.enum(['yes', 'no']).default('no'),
  q: z.string().max(253).optional(),
});
/** What saves most first; sums are of all of a kind, `more` rows are left out. */
export const wasteSchema = z.object({
  rows: z.array(wasteRowSchema),
  more: z.int(),
  sums: z.array(z.object({ kind: z.enum(wasteKinds), count: z.int(), raw: z.number(), saved: z.number() })),
  aside: z.int(),
  currency: z.string(),
  reckonedAt: z.iso.datetime().nullable(),
});
export type Waste = z.infer<typeof wasteSchema>;

const which = z.object({ kind: z.enum(wasteKinds), subject: z.string().min(1).max(253) });
export const wasteAsideSchema = z.object({
  which: z.array(which).min(1).max(500),
  reason: z.string().trim().min(3, 'Say why, in a few words.').max(300),
  until: z.iso.date('A date such as 2026-12-31.'),
});
export const wasteTakeUpSchema = z.object({ which: z.array(which).min(1).max(500) });
