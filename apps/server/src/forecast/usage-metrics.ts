import type { UseGrid } from '@moorage/contract/usage';
import { Gauge, Registry, type OpenMetricsContentType } from 'prom-client';
import type { Database } from '../database/database';
import type { Sight } from '../people/sight';
import { getUse } from '../usage/use';
import { rawPools } from './pools';
import { listRunways } from './runways';

/** What is not told one by one is told together under this: no name can be so. */
const rest = '_rest';

const measures = [
  ['requested', 'requested_bytes', 'Bytes that claims ask for'],
  ['provisioned', 'provisioned_bytes', 'Bytes that are provisioned'],
  ['footprint', 'footprint_bytes', 'Raw bytes that are promised, copies counted'],
  ['written', 'written_bytes', 'Bytes that are written, as backends told'],
  ['claims', 'claims', 'Claims'],
  ['iops', 'reserved_iops', 'Operations per second that are reserved'],
] as const;

/** Sums of a grid by its rows or its columns. */
function sumsOf(
  grid: UseGrid,
  by: 'row' | 'column',
  measure: (typeof measures)[number][0],
): Map<string, number | null> {
  // columns that are shown as one are of the rest
  const names =
    by === 'row'
      ? grid.rows
      : grid.columns.map((c, i) => (grid.merged > 0 && i === grid.columns.length - 1 ? rest : c));
  const sums = new Map<string, number | null>();
  const values: readonly (number | null)[] = grid.cells[measure];
  grid.cells[by].forEach((place, i) => {
    const name = names[place]!;
    const before = sums.has(name) ? sums.get(name)! : 0;
    const value = values[i]!;
    sums.set(name, before === null || value === null ? null : before + value);
  });
  return sums;
}

/** The largest of some sums, and the rest together. What is not known of one of the rest is not known of it. */
export function topOf(sums: ReadonlyMap<string, number | null>, top: number): [string, number][] {
  const largest = [...sums]
    .filter(([name]) => name !== rest)
    .sort(([a, x], [b, y]) => (y ?? 0) - (x ?? 0) || (a < b ? -1 : 1));
  const others = [...largest.slice(top), ...[...sums].filter(([name]) => name === rest)];
  const sum = others.some(([, v]) => v === null) ? null : others.reduce((all, [, v]) => all + v!, 0);
  const all: [string, number | null][] = others.length > 0 ? [...largest.slice(0, top), [rest, sum]] : largest;
  return all.flatMap(([name, value]): [string, number][] => (value === null ? [] : [[name, value]]));
}

/**
 * Use, limits and runways in OpenMetrics. Of namespaces, classes and pools the `top` largest of each family are told one by one,
 * the rest together; a namespace owner is told of the own namespaces alone.
 */
export async function usageMetrics(
  database: Database,
  sight: Sight,
  top: number,
): Promise<{ type: string; text: string }> {
  const registry = new Registry<OpenMetricsContentType>();
  registry.setContentType(Registry.OPENMETRICS_CONTENT_TYPE);
  const tell = (name: string, help: string, label: string, values: readonly (readonly [string, number])[]) => {
    const gauge = new Gauge({ name, help, labelNames: [label], registers: [registry] });
    for (const [of, value] of values) gauge.set({ [label]: of }, value);
  };
  const grid = await getUse(database, sight, { rows: 'namespace', columns: 'class' }, '');
  for (const [measure, name, help] of measures) {
    tell(`moorage_namespace_${name}`, `${help}, by namespace`, 'namespace', topOf(sumsOf(grid, 'row', measure), top));
    tell(`moorage_class_${name}`, `${help}, by class`, 'class', topOf(sumsOf(grid, 'column', measure), top));
  }
  // a limit of several together would be none of theirs: the largest alone are told
  const limits = grid.limits
    .filter((l) => l.column === null)
    .map((l): [string, number] => [grid.rows[l.row]!, l.bytes]);
  tell(
    'moorage_namespace_limit_bytes',
    'Bytes that may be provisioned, the largest limits',
    'namespace',
    limits.sort(([, a], [, b]) => b - a).slice(0, top),
  );
  if (sight.isWhole) {
    const pools = await rawPools(database);
    const of = (value: (pool: (typeof pools)[number]) => number) =>
      topOf(new Map(pools.map((p) => [p.live.id, value(p)])), top);
    tell(
      'moorage_pool_capacity_bytes',
      'Raw bytes that a pool can keep',
      'pool',
      of((p) => p.capacity),
    );
    tell(
      'moorage_pool_written_bytes',
      'Raw bytes that are written on a pool',
      'pool',
      of((p) => p.written),
    );
    tell(
      'moorage_pool_promised_bytes',
      'Raw bytes that are promised of a pool',
      'pool',
      of((p) => p.promised),
    );
    const { rows } = await listRunways(database, sight, { kind: 'pool' });
    const now = Date.now();
    tell(
      'moorage_pool_runway_seconds',
      'Time until a pool reaches its hard mark, those that do within two years; 0 where it has',
      'pool',
      rows
        .filter((r) => r.against === 'hard')
        .flatMap((r): [string, number][] =>
          r.runway?.kind === 'over'
            ? [[r.name, 0]]
            : r.runway?.kind === 'meets'
              ? [[r.name, Math.max(0, (r.runway.at - now) / 1000)]]
              : [],
        )
        .slice(0, top),
    );
  }
  return { type: registry.contentType, text: withUnits(await registry.metrics()) };
}

/** The library writes no units: they are the last part of a name, and stand after its type. */
const withUnits = (text: string): string =>
  text.replace(/^# TYPE (\S+_(bytes|seconds|claims|iops)) gauge$/gm, '$&\n# UNIT $1 $2');
