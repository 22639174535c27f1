import { z } from 'zod';

/** Of what there is a history: everything, a namespace, a class, a pool, a backend, or a claim (`namespace/name`). */
export const historyKinds = ['site', 'namespace', 'class', 'pool', 'backend', 'claim'] as const;
export type HistoryKind = (typeof historyKinds)[number];

export const historyQuerySchema = z.object({
  of: z.enum(historyKinds).default('site'),
  /** Which of them; empty for everything. */
  name: z.string().max(600).default(''),
  from: z.iso.datetime({ offset: true }),
  to: z.iso.datetime({ offset: true }),
});
export type HistoryQuery = z.infer<typeof historyQuerySchema>;

/** Widths of the spans that values are given for. */
export const historySteps = ['1m', '5m', '1h', '1d'] as const;
export type HistoryStep = (typeof historySteps)[number];

const values = z.array(z.number().nullable());
const spread = z.object({ mean: values, most: values, p95: values });

/** Of claims; of limits; of what fails (a backend that is silent, or not well, a node, a disk); of classes and their moorings. */
export const historyEventKinds = [
  ...(['made', 'grown', 'moved', 'gone', 'limit'] as const),
  ...(['silent', 'ill', 'node', 'disk'] as const),
  ...(['class', 'mooring'] as const),
] as const;

/**
 * Values of spans of time, each list with one for each span of `at`; null where nothing was told: a gap. Of what is written, and
 * done, as its backend told; what was promised is known at every moment.
 */
export const historySchema = z.object({
  step: z.enum(historySteps),
  from: z.iso.datetime(),
  to: z.iso.datetime(),
  /** Beginnings of the spans, milliseconds since 1970. */
  at: z.array(z.number()),
  /** Bytes; of a pool as it tells, raw. */
  written: z.object({ least: values, mean: values, most: values }),
  /** Operations per second. */
  iops: spread,
  /** Bytes per second. */
  throughput: spread,
  /** Milliseconds. */
  latency: spread,
  /** At the end of each span, bytes. */
  requested: z.array(z.number()),
  provisioned: z.array(z.number()),
  footprint: z.array(z.number()),
  claims: z.array(z.int()),
  /** Limit of a namespace in all, at the end of each span. */
  limit: values,
  /** What happened to claims, limits, backends and classes, the first of each where there are many; `more` are left out. */
  events: z.array(
    z.object({
      at: z.number(),
      kind: z.enum(historyEventKinds),
      /** The claim; of a limit the class, or nothing for all; what failed; the class. */
      subject: z.string(),
      namespace: z.string(),
      from: z.number().nullable(),
      to: z.number().nullable(),
      /** Pools, of one that moved, and of a mooring that went or came. */
      fromPool: z.string().nullable(),
      toPool: z.string().nullable(),
      /** The backend of what failed. */
      backend: z.string().nullable(),
      /** When what failed was well again; null while it lasts, and of what does not last. */
      until: z.number().nullable(),
      /** Settings that were changed, of a class or a mooring. */
      changes: z.array(z.object({ name: z.string(), from: z.string().nullable(), to: z.string().nullable() })),
    }),
  ),
  more: z.int(),
});
export type History = z.infer<typeof historySchema>;
