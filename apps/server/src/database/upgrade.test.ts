import { releases, secret } from '../testing/releases';
import type { Database } from './database';
import type { LastCounts } from '../usage/sample-model';
import { ensureParts } from '../usage/sample.sql';
import { migrate, migrations } from './migrations';

const { connect, copyOf, releaseOf, dropAll } = releases();
afterEach(dropAll);

type Row = Readonly<Record<string, unknown>>;
interface Column {
  readonly table: string;
  readonly name: string;
  readonly type: string;
  readonly isIdentity: boolean;
  readonly isGenerated: boolean;
}

const columnsOf = (database: Database) =>
  database.rows<Column>(
    `SELECT c.table_name AS "table", column_name AS name, data_type AS type, is_identity = 'YES' AS "isIdentity",
       column_default LIKE '%gen_random_uuid%' AS "isGenerated"
     FROM information_schema.columns c JOIN information_schema.tables t USING (table_schema, table_name)
     WHERE table_schema = 'public' AND table_type = 'BASE TABLE' AND table_name <> 'migrations'
       AND NOT EXISTS (SELECT 1 FROM pg_class p WHERE p.oid = to_regclass(quote_ident(table_name)) AND p.relispartition) AND c.is_generated = 'NEVER' ORDER BY 1, ordinal_position`,
  );

const perTable = 3;
const uuid = (i: number) => `00000000-0000-4000-8000-00000000000${i}`;
const facts = (i: number) => ({
  redundancy: {
    kind: 'spread',
    scheme: i === 0 ? { kind: 'copies', copies: 3 } : { kind: 'erasure', data: 4, parity: 2 },
  },
});
/** Values that a column cannot do without, by table and column or by column alone. */
const certain: Readonly<Record<string, (i: number) => unknown>> = {
  backend_id: (i) => `id-${i}`,
  pool_id: (i) => `id-${i}`,
  reshape_id: uuid,
  act_id: uuid,
  operation_id: uuid,
  'acts.id': uuid,
  'act_steps.state': () => 'asked',
  round_id: uuid,
  'rounds.id': uuid,
  'round_claims.state': () => 'done',
  'operations.id': uuid,
  'operations.stopped': (i) => (i === 0 ? 'refused' : null),
  'operations.unit': () => 'bytes',
  claim_uid: (i) => `claim-${i}`,
  person: () => 'maren',
  day: (i) => `2026-10-0${i + 1}T00:00:00Z`,
  'pools.facts': facts,
  'pools.soft_mark': () => 0.7,
  'pools.hard_mark': () => 0.9,
  'applications_due.what': () => 'owner',
  'pools.tier': (i) => ['fast', 'standard', 'deep'][i],
  'pools.allotment': (i) => (i === 2 ? null : 600),
  'backends.cap': (i) => (i === 0 ? 1000 : null),
  'reservations.state': (i) => ['held', 'made', 'bound'][i],
  'reservations.pool_id': () => 'id-2',
  'buckets.state': (i) => ['held', 'ready', 'kept'][i],
  'reservation_copies.role': () => 'data',
  'further_copies.mode': () => 'synchronous',
  'further_copies.pool_id': () => 'id-2',
  'second_copies.pool_id': () => 'id-2',
  'reshapes.id': uuid,
  'reshapes.kind': (i) => ['commission', 'grow', 'shrink'][i],
  'reshapes.ended_at': (i) => (i === 2 ? '2026-11-20T10:00:00Z' : null),
  'reshapes.called_off': (i) => i === 1,
  'reshapes.cause': (i) => ['the backend is full', 'called off by tom', null][i],
  'reshape_nodes.role': () => 'data',
  'reshape_nodes.state': () => 'waiting',
  'operations.kind': (i) => ['bind', 'release', 'bind'][i],
  'operations.subject': (i) => `claim-${i}`,
  'operations.state': (i) => ['waiting', 'released', 'making'][i],
  'operations.error': () => ({ code: 'x', detail: 'y' }),
  'operations.runner': () => null,
  'roll_due.step': (i) => ['5m', '1h', '1d'][i],
  'series.kind': (i) => ['claim', 'pool', 'site'][i],
  ...Object.fromEntries(['iops', 'throughput', 'latency'].map((of) => [`${of}_sketch`, (i: number) => [i, 3]])),
  'counted_limits.measure': (i) => ['claims', 'snapshots', 'iops'][i],
  'limit_requests.id': uuid,
  'limit_requests.measure': () => 'bytes',
  'limit_requests.state': () => 'open',
  'runways.kind': (i) => ['namespace', 'class', 'pool'][i],
  'runways.against': (i) => ['limit', 'pools', 'hard'][i],
  'runways.state': (i) => ['over', 'meets', null][i],
  'jumps.kind': (i) => ['written', 'price', 'written'][i],
  'waste.kind': (i) => ['unmounted', 'oversized', 'too-fast'][i],
  'rates.tier': (i) => ['fast', 'standard', 'deep'][i],
  'facts_held.kind': (i) => ['pool', 'mooring', 'pool'][i],
  'held_as.kind': (i) => ['tier', 'team', 'tier'][i],
  'idempotency.created_at': () => new Date().toISOString(),
  'idempotency.status': () => 201,
};

function valueOf({ table, name, type }: Column, i: number): unknown {
  const given = certain[`${table}.${name}`] ?? certain[name];
  if (given) return given(i);
  switch (type) {
    case 'boolean':
      return i % 2 === 0;
    case 'integer':
    case 'bigint':
    case 'double precision':
    case 'numeric':
      return 100 + i;
    case 'jsonb':
    case 'json':
      return { of: name, n: i };
    case 'uuid':
      return uuid(i);
    case 'bytea':
      return Buffer.from(`${name}-${i}`);
    case 'ARRAY':
      return [`${name}-${i}`];
    default:
      if (type === 'date') return '2026-12-01';
      return type.startsWith('timestamp') ? '2026-11-01T10:00:00Z' : `${name}-${i}`;
  }
}

/** Tables in an order in which each comes after those that it refers to. */
const first = [
  'quota_objects',
  'use_keys',
  'used_claims',
  'use_days',
  'backends',
  'pools',
  'reservations',
  'reshapes',
  'acts',
  'operations',
  'rounds',
  'buckets',
];

/** What the database keeps by itself, of other tables. */
const keptByItself = new Set(['claim_states', 'claim_totals', 'pool_sums', 'disk_use', 'held_totals']);

/** Puts rows into every table, whichever there are. */
async function fill(database: Database): Promise<void> {
  const columns = await columnsOf(database);
  const tables = [...new Set(columns.map((c) => c.table))]
    .filter((name) => !keptByItself.has(name))
    .sort((a, b) => rank(a) - rank(b));
  if (tables.includes('samples')) await ensureParts(database, new Date('2026-11-01T10:00:00Z'));
  for (const table of tables) {
    const of = columns.filter((c) => c.table === table && !c.isIdentity);
    for (let i = 0; i < perTable; i++) {
      const values = of.map((c) => {
        const value = valueOf(c, i);
        return c.type.startsWith('json') ? JSON.stringify(value) : value;
      });
      const places = of.map((c, n) => `$${n + 1}${c.type.startsWith('json') ? `::${c.type}` : ''}`);
      await database
        .rows(`INSERT INTO ${table} (${of.map((c) => `"${c.name}"`).join(', ')}) VALUES (${places.join(', ')})`, values)
        .catch((error: Error) => {
          throw new Error(
            `${table} takes no row: ${(error as { original?: Error }).original?.message ?? error.message}`,
          );
        });
    }
  }
  if (tables.includes('reshapes') && (await hasReshapeKind(database)))
    for (let i = 0; i < perTable; i++)
      await database.rows(`INSERT INTO operations (kind, subject, state, attempts) VALUES ('reshape', $1, $2, 2)`, [
        uuid(i),
        ['settling', 'taking', 'settled'][i],
      ]);
}
const rank = (table: string) => (first.includes(table) ? first.indexOf(table) : first.length);
const hasReshapeKind = async (database: Database) =>
  (await database.rows(`SELECT 1 FROM information_schema.tables WHERE table_name = 'disk_holds'`)).length > 0;

type Contents = ReadonlyMap<string, readonly Row[]>;
async function contents(database: Database): Promise<Contents> {
  const tables = [...new Set((await columnsOf(database)).map((c) => c.table))];
  const found = new Map<string, readonly Row[]>();
  for (const table of tables)
    found.set(
      table,
      (await database.rows<{ row: Row }>(`SELECT to_jsonb(t) AS row FROM ${table} t ORDER BY to_jsonb(t)::text`)).map(
        (r) => r.row,
      ),
    );
  return found;
}

const renamed: Readonly<Record<string, string>> = { second_copies: 'further_copies' };
/** What a later release says in another way, and where: checked on its own below. */
const saidElsewhere = new Set([
  'idempotency.request',
  ...['cause', 'called_off', 'total', 'bytes_left', 'moved_since'].map((column) => `reshapes.${column}`),
]);
/** Versions of the platform became opaque; allotments and caps are raw bytes. */
const saidOtherwise = new Set(['platform_objects.version', 'mirror_state.version', 'pools.allotment', 'backends.cap']);

/** Keys of which something was promised in a month have a row to its end; what classes are like is noted. */
const mayGrow = new Set(['use_sums', 'facts_held']);

/** Whether a row after an upgrade says all that one before it said. */
const keeps = (table: string, before: Row, after: Row): boolean =>
  Object.entries(before).every(([column, value]) => {
    const name = `${table}.${column}`;
    if (saidElsewhere.has(name)) return true;
    if (saidOtherwise.has(name)) return column !== 'version' || String(after[column]) === String(value);
    return JSON.stringify(after[column]) === JSON.stringify(value);
  });

function expectKept(before: Contents, after: Contents): void {
  for (const [table, rows] of before) {
    // a row for each volume became one for each backend
    if (table === 'volume_counts') {
      for (const { backend_id, volume_id, ...row } of rows) {
        const counts = after.get('last_counts')!.find((c) => c.backend_id === backend_id)!.counts as LastCounts;
        const i = counts.volumes.indexOf(volume_id as string);
        expect([counts.operations[i], counts.bytes[i], counts.busyMs[i]]).toEqual([
          row.operations,
          row.bytes,
          row.busy_ms,
        ]);
      }
      continue;
    }
    const now = after.get(renamed[table] ?? table);
    if (!mayGrow.has(table)) expect([table, now?.length]).toEqual([table, rows.length]);
    for (const row of rows)
      if (!now!.some((n) => keeps(table, row, n)))
        throw new Error(`${table} lost or changed ${JSON.stringify(row)}; it has ${JSON.stringify(now)}`);
  }
}

describe.each(Array.from({ length: migrations.length - 1 }, (_, i) => i + 1))(
  'a filled database of migration %d',
  (count) => {
    test('is there after the upgrade, row by row', async () => {
      const { database } = await releaseOf(count);
      await fill(database);
      const before = await contents(database);
      const few = [...before].filter(([name, rows]) => rows.length < perTable && !keptByItself.has(name));
      expect(few).toEqual([]);
      await migrate(database, secret);
      expectKept(before, await contents(database));
    });
  },
);

test('what a change of a cluster knew of its course stands in its operation', async () => {
  const { database } = await releaseOf(6);
  await fill(database);
  await migrate(database, secret);
  const rows = await database.rows(
    `SELECT state, cause, cancelled_by, total, remaining, unit, person, about, holds, ended_at IS NOT NULL AS ended
     FROM operations WHERE kind = 'reshape' ORDER BY subject`,
  );
  const same = { total: 100, unit: 'bytes', person: 'maren' };
  expect(rows).toMatchObject([
    { ...same, state: 'settling', cause: 'the backend is full', cancelled_by: null, ended: false, holds: 'reshape' },
    { ...same, state: 'taking', cause: 'called off by tom', cancelled_by: 'tom', total: 101, holds: 'reshape' },
    { ...same, state: 'settled', cause: null, cancelled_by: null, total: 102, ended: true, holds: null },
  ]);
});

test('operations under way are carried on, what waits goes on waiting, and what is bound is bound for good', async () => {
  const { database } = await releaseOf(6);
  await fill(database);
  await migrate(database, secret);
  const rows = await database.rows(
    `SELECT kind, state, resting, ended_at IS NOT NULL AS ended, holds FROM operations WHERE kind <> 'reshape' ORDER BY subject`,
  );
  expect(rows).toEqual([
    { kind: 'bind', state: 'waiting', resting: true, ended: false, holds: 'bind' },
    { kind: 'release', state: 'released', resting: false, ended: true, holds: 'release' },
    { kind: 'bind', state: 'making', resting: false, ended: false, holds: 'bind' },
  ]);
});

test('allotments and caps allow in raw bytes what they allowed before', async () => {
  const { database } = await releaseOf(4);
  await fill(database);
  await migrate(database, secret);
  // three copies; 4+2; none
  expect(await database.rows('SELECT allotment FROM pools ORDER BY id')).toEqual([
    { allotment: 1800 },
    { allotment: 900 },
    { allotment: null },
  ]);
});

test('what calls were repeated by is kept as digests', async () => {
  const { database } = await releaseOf(4);
  await fill(database);
  await migrate(database, secret);
  const rows = await database.rows<{ key: string; digest: string }>('SELECT key, digest FROM idempotency ORDER BY key');
  expect(rows).toHaveLength(perTable);
  expect(new Set(rows.map((r) => r.digest)).size).toBe(perTable);
  expect(JSON.stringify(rows)).not.toContain('request-0');
});

/** The statements of a text, bodies of functions left whole. */
const statementsOf = (text: string): string[] =>
  text
    .split(/;\s*\n(?=(?:[^$]*\$body\$[^$]*\$body\$)*[^$]*$)/)
    .map((s) => s.trim())
    .filter((s) => s.replace(/--[^\n]*/g, '').trim() !== '');

/** Runs one statement after the other, and loses PostgreSQL after the `survived`th; gives how many there were. */
async function migrateUntil(database: Database, survived: number): Promise<number> {
  const { sequelize } = database;
  const real = sequelize.query.bind(sequelize) as (...args: unknown[]) => Promise<unknown>;
  let done = 0;
  sequelize.query = (async (sql: string, options?: { bind?: unknown }) => {
    // what reads, and what begins and ends a transaction, changes nothing
    if (typeof sql !== 'string' || options?.bind || /^\s*(START|BEGIN|COMMIT|ROLLBACK|SET|SELECT)/i.test(sql))
      return real(sql, options);
    let result: unknown;
    for (const statement of statementsOf(sql)) {
      if (done === survived) await real('SELECT pg_terminate_backend(pg_backend_pid())', options);
      result = await real(statement, options);
      done += 1;
    }
    return result;
  }) as never;
  try {
    await migrate(database, secret);
  } catch (error) {
    if (done !== survived) throw error;
  }
  return done;
}

test('an upgrade that is killed between its statements leaves what was there, and is done by the next start', async () => {
  const { at, database } = await releaseOf(6);
  await fill(database);
  const before = await contents(database);
  await database.close();
  const whole = await migrateUntil(await connect(await copyOf(at)), Infinity);
  expect(whole).toBeGreaterThan(15);
  // Each kill repeats all that came before it, so that they cannot be tried at every statement for ever: at some forty that are
  // spread over all of them, the first and the last ones among them.
  const step = Math.max(1, Math.floor(whole / 40));
  const tried = Array.from({ length: whole }, (_, i) => i).filter((i) => i % step === 0 || i >= whole - 3);
  // one after the other on the same database: what one of them left would be in the way of the next, and of the one that is done
  for (const survived of tried) {
    const killed = await connect(at);
    expect(await migrateUntil(killed, survived)).toBe(survived);
    await killed.close().catch(() => undefined);
    const next = await connect(at);
    // all or nothing: the release before would find its database as it left it
    expect(await contents(next)).toEqual(before);
    await next.close();
  }
  const done = await connect(at);
  await migrate(done, secret);
  expectKept(before, await contents(done));
  expect(await done.rows('SELECT 1 FROM migrations')).toHaveLength(migrations.length);
  await done.close();
}, 300_000);
