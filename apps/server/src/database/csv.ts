import { stringify } from 'csv-stringify/sync';

export type Cell = string | number | null;

/** Rows as CSV, as tables read it. A cell that a table would take for a formula is written as text. */
export const csvOf = (rows: readonly (readonly Cell[])[]): string =>
  stringify(rows as Cell[][], { escape_formulas: true, record_delimiter: 'windows' });
