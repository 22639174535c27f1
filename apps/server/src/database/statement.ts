import { plannedOnce, type Database } from './database';

/** A statement that no model can say. It stands in a room's `….sql.ts`, and a test prepares it against a migrated database. */
export interface Statement<Row extends object, Values extends readonly unknown[]> {
  (database: Database, ...values: Values): Promise<Row[]>;
  readonly text: string;
}

/**
 * Values are bound as $1, $2 … in their order; rows of `RETURNING` are given as those of a selection are. One that is `planned
 * once` is planned once for each connection: for what many wait for and finds its rows by their keys, whatever the values.
 */
export const statement = <Row extends object, Values extends readonly unknown[] = []>(
  text: string,
  planned?: 'planned once',
): Statement<Row, Values> => {
  if (planned) plannedOnce.add(text);
  return Object.assign((database: Database, ...values: Values) => database.rows<Row>(text, values), { text });
};

/** The one row of a statement that gives one at most. */
export const first = async <Row>(rows: Promise<readonly Row[]>): Promise<Row | undefined> => (await rows)[0];

/** A list as PostgreSQL takes it for `jsonb_to_recordset`. */
export const asRecords = (rows: readonly object[]): string => JSON.stringify(rows);
