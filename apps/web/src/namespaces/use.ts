import { sizeText } from '@moorage/core/sizes/display';
import { useMeasures, type UseColumn, type UseGrid, type UseMeasure, type UseRow } from '@moorage/contract/usage';
import { amount } from './statement-words';

/** What is shown of a cell: what is counted, or how much of the limit it is (1: all of it). */
export type Measure = UseMeasure | 'share';
export const measures: readonly Measure[] = [...useMeasures.slice(0, 1), 'share', ...useMeasures.slice(1)];

export const measureWords: Record<Measure, string> = {
  provisioned: 'provisioned',
  requested: 'requested',
  written: 'written',
  footprint: 'raw, with copies',
  iops: 'reserved IOPS',
  price: 'price',
  share: 'of the limit',
  claims: 'claims',
};
export const columnWords: Record<UseColumn, string> = {
  class: 'class',
  tier: 'tier',
  pool: 'pool',
  backend: 'backend',
  application: 'application',
  pod: 'pod',
};
export const rowWords: Record<UseRow, string> = { namespace: 'namespace', team: 'team' };
/** What stands for what has none. */
export const noneOf: Record<UseColumn | UseRow, string> = {
  class: 'no class',
  tier: 'not placed',
  pool: 'not placed',
  backend: 'not placed',
  application: 'no application',
  pod: 'no pod',
  namespace: 'no namespace',
  team: 'no team',
};

/** For a column without a name, and for those that are shown as one: no name of either world looks so. */
const [unnamed, others] = ['~', '+'];
/** What columns are called in the address, each by its own name: the empty text is left to all of them. */
export const columnKeys = ({ columns, merged }: Pick<UseGrid, 'columns' | 'merged'>): string[] =>
  columns.map((name, i) => (merged > 0 && i === columns.length - 1 ? others : name || unnamed));
/** What stands over a column. */
export const columnTitle = (
  { columns, merged }: Pick<UseGrid, 'columns' | 'merged'>,
  i: number,
  of: UseColumn,
): string =>
  merged > 0 && i === columns.length - 1
    ? `${merged} others`
    : of === 'pod' && columns[i] === '*'
      ? 'several pods'
      : columns[i] || noneOf[of];
/** The place of the column of a key; null: all of them. */
export function placeOf(grid: Pick<UseGrid, 'columns' | 'merged'>, key: string): number | null {
  const at = key === '' ? -1 : columnKeys(grid).indexOf(key);
  return at < 0 ? null : at;
}

/** A figure in the unit of its measure, as a text. */
export function figureText(value: number, measure: UseMeasure, currency: string): string {
  if (measure === 'price') return amount(value / 10_000, currency);
  if (measure === 'claims') return value.toLocaleString('en-GB');
  return measure === 'iops' ? `${Math.round(value).toLocaleString('en-GB')} IOPS` : sizeText(value);
}

export const isMeasure = (text: string): text is Measure => (measures as readonly string[]).includes(text);

/** Figures of a row, a column or a cell; null: `written` or `price` where a part has none, `share` where nothing is limited. */
export type Figures = Record<Measure, number | null> & { unbound: number };
const none = (): Figures => ({
  ...{ provisioned: 0, requested: 0, written: 0, footprint: 0, iops: 0, price: 0, claims: 0, unbound: 0 },
  share: null,
});
/** Figures that are only known where all of their parts are. */
const whole = ['written', 'price'] as const;

/** The figures of one answer by the places of rows and columns, with those of every row, every column and all. */
export interface UseIndex {
  readonly grid: UseGrid;
  readonly cell: (row: number, column: number) => Figures | undefined;
  readonly ofRow: readonly Figures[];
  readonly ofColumn: readonly Figures[];
  readonly all: Figures;
  readonly limit: (row: number, column: number | null) => number | null;
}

const shareIn = (used: number, limit: number | undefined): number | null => (limit ? used / limit : null);
const added = ['provisioned', 'requested', 'footprint', 'iops', 'claims', 'unbound'] as const;

export function indexOfUse(grid: UseGrid): UseIndex {
  const { rows, columns, cells, limits } = grid;
  const at = new Map<number, number>(cells.row.map((row, i) => [row * columns.length + cells.column[i]!, i]));
  const ofRow = rows.map(none);
  const ofColumn = columns.map(none);
  const all = none();
  cells.row.forEach((row, i) => {
    for (const sum of [ofRow[row]!, ofColumn[cells.column[i]!]!, all]) {
      for (const figure of added) sum[figure] = sum[figure]! + cells[figure][i]!;
      for (const figure of whole) {
        const value = cells[figure][i]!;
        sum[figure] = sum[figure] === null || value === null ? null : sum[figure] + value;
      }
    }
  });
  const limitAt = new Map(limits.map((l) => [`${l.row}/${l.column ?? ''}`, l.bytes]));
  // of what is limited together: what has no limit is no part of it
  const limited = new Map<number | null, { used: number; limit: number }>();
  for (const { row, column, bytes } of limits) {
    const sum = limited.get(column) ?? { used: 0, limit: 0 };
    const i = column === null ? undefined : at.get(row * columns.length + column);
    sum.used += column === null ? ofRow[row]!.provisioned! : i === undefined ? 0 : cells.provisioned[i]!;
    sum.limit += bytes;
    limited.set(column, sum);
  }
  const shareAmong = (column: number | null) => {
    const sum = limited.get(column);
    return sum && sum.limit > 0 ? sum.used / sum.limit : null;
  };
  ofRow.forEach((sum, row) => (sum.share = shareIn(sum.provisioned!, limitAt.get(`${row}/`))));
  ofColumn.forEach((sum, column) => (sum.share = shareAmong(column)));
  all.share = shareAmong(null);
  return {
    grid,
    ofRow,
    ofColumn,
    all,
    cell: (row, column) => {
      const i = at.get(row * columns.length + column);
      if (i === undefined) return undefined;
      const { provisioned, requested, written, footprint, iops, price, claims, unbound } = cells;
      return {
        share: shareIn(provisioned[i]!, limitAt.get(`${row}/${column}`)),
        price: price[i]!,
        provisioned: provisioned[i]!,
        requested: requested[i]!,
        written: written[i]!,
        footprint: footprint[i]!,
        iops: iops[i]!,
        claims: claims[i]!,
        unbound: unbound[i]!,
      };
    },
    limit: (row, column) => limitAt.get(`${row}/${column ?? ''}`) ?? null,
  };
}

/** Places of the rows as they are shown: those whose name has a text, the largest first, or by name. */
export function rowsShown(
  index: UseIndex,
  q: string,
  sort: string,
  measure: Measure,
): { readonly names: string[]; readonly place: ReadonlyMap<string, number> } {
  const { rows, columns } = index.grid;
  const place = new Map(rows.map((name, i) => [name, i]));
  const text = q.trim().toLowerCase();
  const names = text === '' ? [...rows] : rows.filter((name) => name.toLowerCase().includes(text));
  if (sort !== 'name') {
    const column = sort === 'largest' ? -1 : columns.indexOf(sort);
    const valueOf = (name: string): number => {
      const row = place.get(name)!;
      return (column < 0 ? index.ofRow[row]! : index.cell(row, column))?.[measure] ?? -1;
    };
    names.sort((a, b) => valueOf(b) - valueOf(a) || (a < b ? -1 : 1));
  }
  return { names, place };
}

/** How deep a tint is: the share of the limit, or beside the largest where there is none. */
export const shareOf = (value: number, limit: number | null, largest: number): number =>
  limit ? Math.min(value / limit, 1) : largest > 0 ? (value / largest) * 0.8 : 0;
