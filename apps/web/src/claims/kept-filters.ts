import { create } from 'zustand';
import { persist } from 'zustand/middleware';

/** Parts of the address that make a filter of claims. */
export const filterParts = ['namespace', 'class', 'state', 'q', 'sort', 'direction'] as const;
export type FilterPart = (typeof filterParts)[number];
export type Filter = Readonly<Partial<Record<FilterPart, string>>>;

interface KeptFilters {
  readonly filters: readonly { readonly name: string; readonly filter: Filter }[];
  /** Kept under a name; one of that name is taken the place of. */
  keep(name: string, filter: Filter): void;
  drop(name: string): void;
}

/** Filters by name, remembered in this browser. */
export const useKeptFilters = create<KeptFilters>()(
  persist(
    (set) => ({
      filters: [],
      keep: (name, filter) =>
        set(({ filters }) => ({
          filters: [...filters.filter((f) => f.name !== name), { name, filter }].sort((a, b) =>
            a.name.localeCompare(b.name),
          ),
        })),
      drop: (name) => set(({ filters }) => ({ filters: filters.filter((f) => f.name !== name) })),
    }),
    { name: 'moorage-claim-filters' },
  ),
);

/** The filter that an address holds. */
export const filterIn = (search: URLSearchParams): Filter =>
  Object.fromEntries(filterParts.flatMap((part) => (search.get(part) ? [[part, search.get(part)!]] : [])));

export const sameFilter = (a: Filter, b: Filter): boolean =>
  filterParts.every((part) => (a[part] ?? '') === (b[part] ?? ''));
