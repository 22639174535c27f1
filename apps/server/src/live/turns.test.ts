import pg from 'pg';
import type { Database } from '../database/database';
import { migratedDatabase } from '../testing/databases';
import { eventually } from '../testing/world';
import { turns } from './turn-model';
import { Turns } from './turns';

let database: Database;
let end: () => Promise<void>;
let url: string;
/** Connections that show that a server lives: the lease is held for as long as its connection. */
const living: pg.Client[] = [];
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
  url = (database.sequelize.config as unknown as { database: string }).database;
});
afterAll(async () => {
  for (const client of living) await client.end().catch(() => undefined);
  await end();
});

/** A server with a lease of its own, as an anchor takes it. */
async function server(lease: number) {
  const at = new URL(process.env.MOORAGE_TEST_POSTGRES!);
  at.pathname = `/${url}`;
  const client = new pg.Client({ connectionString: at.toString() });
  client.on('error', () => undefined);
  await client.connect();
  await client.query('SELECT pg_advisory_lock(4411, $1)', [lease]);
  living.push(client);
  return { turns: new Turns(database, () => lease), die: () => client.end() };
}
/** A work that lasts until it is let go. */
function work() {
  let release = (): void => undefined;
  const done = new Promise<void>((resolve) => (release = resolve));
  return { done, release };
}
const taken = async () => (await turns.in(database).findAll({ order: ['thing'], limit: 100 })).map((t) => t.thing);

test('at the same things one waits for the other, whichever server they came to; at others nobody waits', async () => {
  const [a, b] = [await server(1), await server(2)];
  const order: string[] = [];
  const { done, release } = work();
  const first = a.turns.at(['class ledger', 'the default class'], async () => {
    order.push('first');
    await done;
  });
  await eventually('the first has its turn', async () => (await taken()).length === 2);
  const second = b.turns.at(['the default class'], async () => void order.push('second'));
  await b.turns.at(['class other'], async () => void order.push('beside'));
  expect(order).toEqual(['first', 'beside']);
  release();
  await Promise.all([first, second]);
  expect(order).toEqual(['first', 'beside', 'second']);
  expect(await taken()).toEqual([]);
});

test('who asks for several things in another order does not keep each other waiting for good', async () => {
  const { turns: at } = await server(3);
  let done = 0;
  await Promise.all(
    Array.from({ length: 12 }, (_, i) =>
      at.at(
        i % 2 ? ['class a', 'class b', 'class c'] : ['class c', 'class b', 'class a'],
        async () => void (done += 1),
      ),
    ),
  );
  expect(done).toBe(12);
});

test('a work that fails gives its turn back', async () => {
  const { turns: at } = await server(4);
  await expect(at.at(['class x'], () => Promise.reject(new Error('the platform is away')))).rejects.toThrow('away');
  expect(await taken()).toEqual([]);
});

test('what a server that died was at is free for the next', async () => {
  const [dying, next] = [await server(5), await server(6)];
  const { done } = work();
  void dying.turns.at(['class orphan'], () => done).catch(() => undefined);
  await eventually('it has its turn', async () => (await taken()).includes('class orphan'));
  await dying.die();
  expect(await next.turns.at(['class orphan'], () => Promise.resolve('free'))).toBe('free');
});

test('without a lease nothing is begun', async () => {
  const none = new Turns(database, () => undefined);
  let begun = false;
  await expect(none.at(['class y'], async () => void (begun = true))).rejects.toMatchObject({
    code: 'database-unavailable',
  });
  expect(begun).toBe(false);
});

test('turns that a server holds without knowing of them are ended, those that it works under are not', async () => {
  const { turns: at } = await server(7);
  await turns.in(database).create({ thing: 'class lost', turn: 'lost', runner: 7 });
  const { done, release } = work();
  const held = at.at(['class held'], () => done);
  await eventually('it has its turn', async () => (await taken()).includes('class held'));
  await at.clear();
  expect(await taken()).toEqual(['class held']);
  release();
  await held;
});
