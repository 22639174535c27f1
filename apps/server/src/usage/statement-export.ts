import type { Statement } from '@moorage/contract/prices';
import { csvOf } from '../database/csv';

type Line = Statement['lines'][number];
const columns: readonly (readonly [head: string, of: (line: Line) => string | number])[] = [
  ['namespace', (l) => l.namespace],
  ['team', (l) => l.team],
  ['class', (l) => l.className],
  ['tier', (l) => l.tier],
  ['pool', (l) => l.pool],
  ['application', (l) => l.application],
  ['mean_gib', (l) => l.gib.toFixed(3)],
  ['mean_reserved_iops', (l) => l.iops.toFixed(3)],
];

/** A statement as a text: CSV of its lines with their amounts in whole units of the currency, or JSON of all of it. */
export function statementText(statement: Statement, format: 'csv' | 'json'): string {
  if (format === 'json') return `${JSON.stringify(statement, null, 2)}\n`;
  const rows = statement.lines.map((line) => [...columns.map(([, of]) => of(line)), (line.cents / 100).toFixed(2)]);
  return csvOf([[...columns.map(([head]) => head), `amount_${statement.currency}`], ...rows]);
}
