import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Model, ModelStatic } from 'sequelize';
import { migratedDatabase } from '../testing/databases';
import type { Database } from './database';
import type { Statement } from './statement';
import type { Table } from './table';

let database: Database;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
});
afterAll(() => end());

const server = join(__dirname, '..');
/** What every file with such an ending exports, by where it stands. */
function exported(ending: string): [string, unknown][] {
  const files = readdirSync(server, { recursive: true, encoding: 'utf8' }).filter((f) => f.endsWith(ending));
  return files.flatMap((file) =>
    // eslint-disable-next-line @typescript-eslint/no-require-imports -- each room's files, whichever there are
    Object.entries(require(join(server, file)) as Record<string, unknown>).map(
      ([name, value]) => [`${file} ${name}`, value] as [string, unknown],
    ),
  );
}

const tables = exported('-model.ts').filter((e): e is [string, Table<Model>] => 'in' in (e[1] as object));

/** Tables that a library keeps by itself. */
const ofLibraries = ['migrations', 'session', 'sign_in_failures'];

test('every table has one model, and every model a table', async () => {
  const there = await database.rows<{ name: string }>(
    `SELECT table_name AS name FROM information_schema.tables WHERE table_schema = 'public' AND table_type = 'BASE TABLE'
       AND NOT EXISTS (SELECT 1 FROM pg_class c WHERE c.oid = to_regclass(quote_ident(table_name)) AND c.relispartition) ORDER BY 1`,
  );
  const known = tables.map(([, table]) => table.name).sort();
  expect(known).toEqual(there.map((t) => t.name).filter((name) => !ofLibraries.includes(name)));
});

const typeOf: Record<string, string> = {
  TEXT: 'text',
  INTEGER: 'integer',
  BIGINT: 'bigint',
  DECIMAL: 'numeric',
  'DOUBLE PRECISION': 'double precision',
  BOOLEAN: 'boolean',
  JSONB: 'jsonb',
  BYTEA: 'bytea',
  UUID: 'uuid',
  DATE: 'date',
  'TIMESTAMP WITH TIME ZONE': 'timestamp with time zone',
  JSON: 'json',
  'TEXT[]': 'ARRAY',
  'INTEGER[]': 'ARRAY',
};

test.each(tables)('%s has the columns of its table', async (_name, table) => {
  const columns = await database.rows<{ name: string; type: string; optional: boolean; key: boolean }>(
    `SELECT c.column_name AS name, c.data_type AS type, c.is_nullable = 'YES' AS optional,
       EXISTS (SELECT 1 FROM information_schema.key_column_usage k JOIN information_schema.table_constraints t USING (constraint_name, table_name)
         WHERE t.constraint_type = 'PRIMARY KEY' AND k.table_name = c.table_name AND k.column_name = c.column_name) AS key
     FROM information_schema.columns c WHERE c.table_schema = 'public' AND c.table_name = $1 ORDER BY c.column_name`,
    [table.name],
  );
  const model: ModelStatic<Model> = table.in(database);
  const declared = Object.values(model.getAttributes()).map((a) => ({
    name: a.field!,
    type: typeOf[(a.type as { toSql(): string }).toSql()],
    optional: a.allowNull !== false && !a.primaryKey,
    key: a.primaryKey === true,
  }));
  expect(declared.sort((a, b) => (a.name < b.name ? -1 : 1))).toEqual(columns);
});

const statementsIn = (name: string, value: unknown): [string, Statement<object, never[]>][] => {
  if (typeof value === 'function' && 'text' in value) return [[name, value as never]];
  if (typeof value !== 'object' || value === null) return [];
  return Object.entries(value).flatMap(([key, inner]) => statementsIn(`${name}.${key}`, inner));
};
const statements = exported('.sql.ts').flatMap(([name, value]) => statementsIn(name, value));

test.each(statements)('%s is understood by the migrated database', async (_name, { text }) => {
  const numbers = new Set([...text.matchAll(/\$(\d+)/g)].map((m) => Number(m[1])));
  expect([...numbers].sort((a, b) => a - b)).toEqual(Array.from({ length: numbers.size }, (_, i) => i + 1));
  await database.transaction(async () => {
    await database.sequelize.query(`PREPARE looked_at AS ${text}`);
    await database.sequelize.query('DEALLOCATE looked_at');
  });
});
