import type { ClaimPage, ClaimRow } from '@moorage/contract/claims';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import type { UseGrid } from '@moorage/contract/usage';

const GiB = 2 ** 30;

/** Made-up rows that tests of the interface vary. */
export const aClaimRow = (name: string, part: Partial<ClaimRow> = {}): ClaimRow => ({
  ...{ uid: `uid-${name}`, namespace: 'tide-gauges', name, className: 'ledger' },
  ...{ modes: ['ReadWriteOnce'], volumeMode: 'Filesystem', requested: 80 * GiB, provisioned: 80 * GiB },
  ...{ consumed: 2 * GiB, state: 'bound', pool: 'kelp-nvme', backend: 'kelp' },
  ...{ volumeName: `pvc-uid-${name}`, volumeId: `v-${name}`, createdAt: '2026-11-26T10:00:00Z' },
  ...{ reason: null, growth: null },
  ...part,
});

/** Why a claim has no volume: nothing that is known yet. */
export const aReason = (part: Partial<NonNullable<ClaimRow['reason']>> = {}): NonNullable<ClaimRow['reason']> => ({
  ...{ failed: [], pod: null, podWhy: null, error: null, nextAttemptAt: null, operation: null, stopped: null },
  ...{ attempts: 0, asks: null, nearest: null, missingSince: null },
  ...part,
});

export const aClaimPage = (claims: ClaimRow[], part: Partial<ClaimPage> = {}): ClaimPage => ({
  claims,
  total: claims.length,
  next: null,
  counts: { bound: claims.length, unbound: 0, stuck: 0 },
  ...part,
});

type ClassUse = NamespaceUsage['classes'][number];

/** What a namespace uses, the sums made from its classes. */
export function aUsage(
  namespace: string,
  classes: readonly (Partial<ClassUse> & { className: string })[],
  limit: number | null = null,
): NamespaceUsage {
  const none = { claims: 0, unbound: 0, requested: 0, provisioned: 0, consumed: 0, footprint: 0, limit: null };
  const rows: ClassUse[] = classes.map((c) => ({ ...none, ...c }));
  const sum = (of: 'claims' | 'requested' | 'provisioned' | 'consumed' | 'footprint') =>
    rows.reduce((total, c) => total + c[of], 0);
  return {
    ...{ namespace, classes: rows, limit, claims: sum('claims'), requested: sum('requested') },
    ...{ provisioned: sum('provisioned'), consumed: sum('consumed'), footprint: sum('footprint') },
  };
}

type Cell = readonly [row: string, column: string, figures: Partial<Record<(typeof figures)[number], number | null>>];
const figures = ['claims', 'unbound', 'requested', 'provisioned', 'footprint', 'written', 'iops', 'price'] as const;

/** A grid of use of these cells; limits by row and column, the empty one for all. */
export function aUseGrid(
  cells: readonly Cell[],
  limits: readonly (readonly [row: string, column: string, bytes: number])[] = [],
  part: Partial<UseGrid> = {},
): UseGrid {
  const rows = [...new Set(cells.map(([row]) => row))].sort();
  const columns = [...new Set(cells.map(([, column]) => column))].sort();
  const list = (of: (typeof figures)[number]) => cells.map(([, , f]) => (f[of] === undefined ? 0 : f[of])) as number[];
  return {
    ...{
      at: '2026-11-26T10:00:00.000Z',
      isPast: false,
      since: '2026-10-01T00:00:00.000Z',
      currency: 'EUR',
      rows,
      columns,
      merged: 0,
    },
    cells: {
      row: cells.map(([row]) => rows.indexOf(row)),
      column: cells.map(([, column]) => columns.indexOf(column)),
      ...(Object.fromEntries(figures.map((f) => [f, list(f)])) as Omit<UseGrid['cells'], 'row' | 'column'>),
    },
    limits: limits.map(([row, column, bytes]) => ({
      ...{ row: rows.indexOf(row), column: column === '' ? null : columns.indexOf(column), bytes },
    })),
    ...part,
  };
}
