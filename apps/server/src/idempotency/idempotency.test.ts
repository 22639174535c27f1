import { spawnSync } from 'node:child_process';
import { Database } from '../database/database';
import { migrate, migrations } from '../database/migrations';
import { makeDatabase } from '../testing/databases';
import { aClaim, type Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';
import type { RunningServer } from '../server';
import type { Request } from 'express';
import { digestOf } from '../secrets/digest';
import { Idempotency, purgeKeys } from './idempotency';
import type { Problem } from '@moorage/contract/problem';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'general', ['basalt-broad'], { copies: 1 });
});
afterAll(() => world.end());

const key = (name: string) => ({ 'Idempotency-Key': name });

test('what a key came with is kept as a digest; the request is nowhere', async () => {
  await maren.call(
    'POST',
    '/api/backends',
    {
      id: 'x',
      title: 'x',
      sites: ['quayside'],
      address: 'http://127.0.0.1:9',
      username: 'u',
      password: 'marked-secret-7',
    },
    key('k-secret'),
  );
  await maren.ok('POST', '/api/claims', aClaim('kept', 'general'), key('k-kept'));
  const [row] = await world.rows<{ digest: string }>(`SELECT digest FROM idempotency WHERE key = 'k-kept'`);
  expect(row!.digest).toBe(digestOf(world.config.key, `/api/claims ${JSON.stringify(aClaim('kept', 'general'))}`));
  const columns = await world.rows<{ column_name: string }>(
    `SELECT column_name FROM information_schema.columns WHERE table_name = 'idempotency'`,
  );
  expect(columns.map((c) => c.column_name)).not.toContain('request');
});

test('a key whose request died with its server is free at once; one of a living server is not', async () => {
  const waiting = (runner: string) =>
    world.rows(
      `INSERT INTO idempotency (key, person, digest, runner) VALUES ('k-dead', 'maren', 'x', ${runner})
       ON CONFLICT (key, person) DO UPDATE SET digest = 'x', runner = excluded.runner, status = NULL`,
    );
  await waiting(`(SELECT objid::int FROM pg_locks WHERE locktype = 'advisory' AND classid = 4411 LIMIT 1)`);
  expect(
    (await maren.call<Problem>('POST', '/api/claims', aClaim('after-death', 'general'), key('k-dead'))).data.code,
  ).toBe('key-reused');
  await waiting('1');
  expect((await maren.call('POST', '/api/claims', aClaim('after-death', 'general'), key('k-dead'))).status).toBe(201);
});

test('a key that its server could not release is free after the next round; one of a call under way is not', async () => {
  const [server] = await world.rows<{ lease: number }>(
    `SELECT objid::int AS lease FROM pg_locks WHERE locktype = 'advisory' AND classid = 4411
       AND database = (SELECT oid FROM pg_database WHERE datname = current_database())`,
  );
  const database = new Database(world.config.databaseUrl);
  const keys = new Idempotency(database, world.config.key, () => server!.lease);
  const called = (name: string, run: () => Promise<{ status: number; body: unknown }>) =>
    keys.once({ method: 'POST', path: '/x', body: {}, header: () => name } as unknown as Request, 'maren', run);
  let answer = (_: { status: number; body: unknown }): void => undefined;
  const first = called('k-slow', () => new Promise((resolve) => (answer = resolve)));
  await eventually('it is under way', () =>
    world.rows(`SELECT 1 FROM idempotency WHERE key = 'k-slow'`).then((r) => r.length > 0),
  );
  await world.rows(`INSERT INTO idempotency (key, person, digest, runner) VALUES ('k-stuck', 'maren', 'x', $1)`, [
    server!.lease,
  ]);
  await keys.clear();
  const left = async () =>
    (await world.rows<{ key: string }>(`SELECT key FROM idempotency WHERE key IN ('k-slow', 'k-stuck')`)).map(
      (r) => r.key,
    );
  expect(await left()).toEqual(['k-slow']);
  // nor does a repeated call end it
  await expect(called('k-slow', () => Promise.reject(new Error('made twice')))).rejects.toMatchObject({
    code: 'in-progress',
  });
  await keys.clear();
  expect(await left()).toEqual(['k-slow']);
  answer({ status: 201, body: 'made' });
  expect(await first).toEqual({ status: 201, body: 'made' });
  expect(await called('k-slow', () => Promise.reject(new Error('made twice')))).toEqual({ status: 201, body: 'made' });
  await database.close();
});

test('keys are forgotten after a day, in steps', async () => {
  await world.rows(
    `INSERT INTO idempotency (key, person, digest, created_at) SELECT 'old-' || i, 'maren', 'x', now() - interval '25 hours' FROM generate_series(1, 1500) i`,
  );
  const database = new Database(world.config.databaseUrl);
  expect(await purgeKeys(database)).toBe(true);
  expect(await purgeKeys(database)).toBe(false);
  await database.close();
  const left = await world.rows<{ key: string }>(`SELECT key FROM idempotency`);
  expect(left.map((r) => r.key)).toContain('k-kept');
  expect(left.filter((r) => r.key.startsWith('old-'))).toEqual([]);
});

test('keys of the release before are digested where they stand, and still know their request', async () => {
  const made = await makeDatabase();
  const database = new Database(made.url);
  const secret = Buffer.alloc(32, 3);
  await database.rows('CREATE TABLE migrations (name text PRIMARY KEY)');
  for (const { name, up } of migrations.slice(0, 4)) {
    await up(database, secret);
    await database.rows('INSERT INTO migrations VALUES ($1)', [name]);
  }
  const request = '/api/backends {"password":"marked-secret-8"}';
  await database.rows(
    `INSERT INTO idempotency (key, person, request, status, body, created_at) VALUES ('k', 'maren', $1, 201, '{"id":"x"}', now()),
       ('old', 'maren', $1, 201, '{}', now() - interval '2 days')`,
    [request],
  );
  await migrate(database, secret);
  expect(await database.rows('SELECT key, digest, status, body FROM idempotency')).toEqual([
    { key: 'k', digest: digestOf(secret, request), status: 201, body: { id: 'x' } },
  ]);
  const dump = spawnSync('pg_dump', ['--data-only', made.url], { encoding: 'utf8' });
  expect(dump.status).toBe(0);
  expect(dump.stdout).not.toContain('marked-secret');
  await database.close();
  await made.drop();
});
