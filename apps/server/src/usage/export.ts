import type { History } from '@moorage/contract/history';
import type { UseGrid } from '@moorage/contract/usage';
import { csvOf } from '../database/csv';

/** A grid as CSV: one line for each cell that is not empty. Sizes are bytes. */
export function useText(
  { rows, columns, cells, limits, merged, currency }: UseGrid,
  of: { rows: string; columns: string },
): string {
  const limitOf = new Map(limits.map((l) => [`${l.row}/${l.column ?? ''}`, l.bytes]));
  const column = (i: number) => (merged > 0 && i === columns.length - 1 ? `${merged} others` : columns[i]!);
  return csvOf([
    [
      ...[of.rows, of.columns, 'claims', 'unbound', 'requested_bytes', 'provisioned_bytes', 'written_bytes'],
      ...['raw_bytes', 'reserved_iops', 'limit_bytes', `${of.rows}_limit_bytes`, `month_${currency.toLowerCase()}`],
    ],
    ...cells.row.map((row, i) => [
      ...[rows[row]!, column(cells.column[i]!), cells.claims[i]!, cells.unbound[i]!, cells.requested[i]!],
      ...[cells.provisioned[i]!, cells.written[i]!, cells.footprint[i]!, cells.iops[i]!],
      ...[limitOf.get(`${row}/${cells.column[i]!}`) ?? null, limitOf.get(`${row}/`) ?? null],
      cells.price[i] === null ? null : cells.price[i]! / 1e6,
    ]),
  ]);
}

/** A history as CSV: one line for each span; what was not told is empty. */
export const historyText = (h: History): string =>
  csvOf([
    [
      ...['at', 'claims', 'requested_bytes', 'provisioned_bytes', 'raw_bytes', 'limit_bytes', 'written_least_bytes'],
      ...['written_mean_bytes', 'written_most_bytes', 'iops_mean', 'iops_p95', 'iops_most', 'bytes_per_second_mean'],
      ...['bytes_per_second_p95', 'bytes_per_second_most', 'latency_mean_ms', 'latency_p95_ms', 'latency_most_ms'],
    ],
    ...h.at.map((at, i) => [
      ...[new Date(at).toISOString(), h.claims[i]!, h.requested[i]!, h.provisioned[i]!, h.footprint[i]!, h.limit[i]!],
      ...[h.written.least[i]!, h.written.mean[i]!, h.written.most[i]!],
      ...[h.iops, h.throughput, h.latency].flatMap((s) => [s.mean[i]!, s.p95[i]!, s.most[i]!]),
    ]),
  ]);
