import { z } from 'zod';

/** What the columns of a grid of use stand for. A pod is that which uses a claim, or did last; `*` several. */
export const useColumns = ['class', 'tier', 'pool', 'backend', 'application', 'pod'] as const;
export type UseColumn = (typeof useColumns)[number];
/** What its rows stand for: namespaces, or the teams that a label of the namespaces names. */
export const useRows = ['namespace', 'team'] as const;
export type UseRow = (typeof useRows)[number];

/** What a cell tells: bytes, but for `claims`, `iops` and `price` (millionths of the currency for a month). */
export const useMeasures = ['provisioned', 'requested', 'written', 'footprint', 'iops', 'price', 'claims'] as const;
export type UseMeasure = (typeof useMeasures)[number];

export const useQuerySchema = z.object({
  rows: z.enum(useRows).default('namespace'),
  columns: z.enum(useColumns).default('class'),
  /** A moment in the past; left out: now. */
  at: z.iso.datetime({ offset: true }).optional(),
  /** That one alone; what pods use is told of one alone. */
  namespace: z.string().min(1).max(253).optional(),
});

export const flowsQuerySchema = z.object({
  measure: z.enum(useMeasures).default('provisioned'),
  /** A moment in the past; left out: now. */
  at: z.iso.datetime({ offset: true }).optional(),
});
/** Names that are told apart on each shore; those that use least beyond that are one together. */
export const mostOnShore = 14;
const shoreSchema = z.object({
  names: z.array(z.string()),
  /** How many are shown together as the last one; 0: none. */
  merged: z.int(),
});
/** What namespaces use of which class on which pool, by one measure: the largest of each, and the rest. */
export const useFlowsSchema = z.object({
  at: z.iso.datetime(),
  isPast: z.boolean(),
  currency: z.string(),
  measure: z.enum(useMeasures),
  namespaces: shoreSchema,
  classes: shoreSchema,
  /** The empty name: not placed. */
  pools: shoreSchema,
  /** By their places in the three lists. */
  flows: z.array(z.object({ namespace: z.int(), class: z.int(), pool: z.int(), value: z.number(), claims: z.int() })),
  /** Claims of which the measure is not known: they are in none of the flows. */
  unknown: z.int(),
});
export type UseFlows = z.infer<typeof useFlowsSchema>;

/** Columns that are told apart; what uses least beyond that is one column. */
export const mostColumns = 100;

/**
 * Use by rows and columns at one moment: the cells that are not empty, each as the same place of every list. Figures of one
 * measure add up to the same in every grouping.
 */
export const useGridSchema = z.object({
  /** The moment that is shown, by the site's clock. */
  at: z.iso.datetime(),
  isPast: z.boolean(),
  /** The first moment of which anything is known; null: nothing yet. */
  since: z.iso.datetime().nullable(),
  /** Currency of the prices. */
  currency: z.string(),
  rows: z.array(z.string()),
  columns: z.array(z.string()),
  /** How many columns are shown as the last one together; 0: none. */
  merged: z.int(),
  cells: z.object({
    row: z.array(z.int()),
    column: z.array(z.int()),
    claims: z.array(z.int()),
    unbound: z.array(z.int()),
    requested: z.array(z.number()),
    provisioned: z.array(z.number()),
    footprint: z.array(z.number()),
    /** Written bytes as sampled last before the moment; null where nothing was told for too long. */
    written: z.array(z.number().nullable()),
    /** Operations per second that are reserved. */
    iops: z.array(z.number()),
    /** What a month of what is promised costs at that moment's rates, millionths of the currency; null where a part has no price. */
    price: z.array(z.number().nullable()),
  }),
  /** Provisioned bytes that may be had at that moment: in all (`column` null) or of a class. */
  limits: z.array(z.object({ row: z.int(), column: z.int().nullable(), bytes: z.number() })),
});
export type UseGrid = z.infer<typeof useGridSchema>;
