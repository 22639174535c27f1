import { z } from 'zod';

/** Parts of the address that make a filter of claims. */
export const filterParts = ['namespace', 'class', 'state', 'q', 'sort', 'direction'] as const;

export const claimFilterSchema = z.partialRecord(z.enum(filterParts), z.string().min(1).max(300));
export type ClaimFilter = Readonly<z.infer<typeof claimFilterSchema>>;

/** Filters that one person keeps at most. */
export const mostFilters = 100;
export const filterNameSchema = z.object({ name: z.string().trim().min(1).max(40) });
export const keptFilterSchema = z.object({ name: z.string(), filter: claimFilterSchema });
export type KeptFilter = z.infer<typeof keptFilterSchema>;
