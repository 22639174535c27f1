import type { LiveEvent } from '@moorage/contract/live';
import pino from 'pino';
import type { RunningServer } from '../server';
import { Database } from '../database/database';
import { makeDatabase } from '../testing/databases';
import { aClaim, makeWorld, moorClass, type Caller, type World } from '../testing/world';
import { oneAtATime } from '../operations/one-at-a-time';
import { OperationQueue } from '../operations/queue';
import { findWaiting } from './sweep';
import { helpedBy, type Helped } from './waking';

test('an operation is in the queue once, however often it is put; a later try beside it, once as well', async () => {
  const made = await makeDatabase();
  const queue = new OperationQueue(made.url, pino({ level: 'silent' }));
  await queue.start();
  await queue.put(['a']);
  await queue.put(['a', 'b']);
  await queue.put(['b', 'a']);
  await queue.put(['a'], 3600);
  await queue.put(['a'], 3600);
  const jobs = await queue.take(10);
  expect(jobs.map((j) => j.operation).sort()).toEqual(['a', 'b']);
  expect(await queue.take(10)).toEqual([]);
  const database = new Database(made.url);
  expect(
    await database.rows(
      `SELECT data ->> 'id' AS id FROM queue.job WHERE state = 'created' AND name LIKE 'operations%'`,
    ),
  ).toEqual([{ id: 'a' }]);
  // what is taken and done can be put again
  for (const { job } of jobs) await queue.done(job);
  await queue.put(['a']);
  expect((await queue.take(10)).map((j) => j.operation)).toEqual(['a']);
  await database.close();
  await queue.stop();
  await made.drop();
});

test('a round of looking that lasts longer than its pause is not begun beside itself, nor kept from the next by failing', async () => {
  let begun = 0;
  let end = (_: Promise<void>): void => undefined;
  const round = oneAtATime(() => {
    begun += 1;
    return new Promise((resolve) => (end = resolve));
  });
  const first = round();
  await round();
  await round();
  expect(begun).toBe(1);
  end(Promise.reject(new Error('the platform is away')));
  await expect(first).rejects.toThrow('away');
  const next = round();
  expect(begun).toBe(2);
  end(Promise.resolve());
  await next;
});

test.each<[LiveEvent, Helped | undefined]>([
  [{ topic: 'moorings', subject: 'broad/basalt-swift' }, { className: 'broad' }],
  [{ topic: 'classes', subject: 'broad' }, { className: 'broad' }],
  [{ topic: 'classes' }, {}],
  [{ topic: 'backends', subject: 'kelp/credentials' }, { backend: 'kelp' }],
  [{ topic: 'backends' }, undefined],
  [{ topic: 'pools', subject: 'kelp-nvme' }, { pool: 'kelp-nvme' }],
  [{ topic: 'pools' }, undefined],
  [{ topic: 'namespaces', subject: 'ferry-desk' }, { namespace: 'ferry-desk' }],
  [{ topic: 'namespaces' }, undefined],
  [{ topic: 'claims', subject: 'ferry-desk/log' }, undefined],
  [{ topic: 'findings' }, undefined],
])('a change of %j can help %j', (event, helped) => {
  expect(helpedBy(event)).toEqual(helped);
});

describe('what a change can help', () => {
  let world: World;
  let server: RunningServer;
  let maren: Caller;
  let database: Database;
  /** The names of the operations' claims, in turn. */
  const waiting = async (helped: Helped): Promise<string[]> => {
    const ids = await findWaiting(database, 200, undefined, helped);
    const rows = await world.rows<{ name: string }>(
      `SELECT o.name FROM operations op JOIN platform_objects o ON o.uid = op.subject WHERE op.id = ANY($1) ORDER BY 1`,
      [ids],
    );
    return rows.map((r) => r.name);
  };
  const tooMuch = { size: '900Ti' };
  beforeAll(async () => {
    world = await makeWorld();
    server = await world.start();
    maren = await world.operator(server);
    database = new Database(world.config.databaseUrl);
    await moorClass(maren, 'broad', ['basalt-broad'], { copies: 1 });
    await moorClass(maren, 'quick', ['kelp-nvme'], { copies: 1 });
    for (const [name, cls, namespace] of [
      ['b-gauges', 'broad', 'tide-gauges'],
      ['b-desk', 'broad', 'ferry-desk'],
      ['q-gauges', 'quick', 'tide-gauges'],
    ] as const) {
      await maren.ok('POST', '/api/claims', aClaim(name, cls, { ...tooMuch, namespace }));
      await maren.inState(name, 'nothing-fits', namespace);
    }
  });
  afterAll(async () => {
    await database.close();
    await world.end();
  });

  test.each([
    ['a class', { className: 'broad' }, ['b-desk', 'b-gauges']],
    ['a pool', { pool: 'kelp-nvme' }, ['q-gauges']],
    ['a pool that no class is moored to', { pool: 'basalt-swift' }, []],
    ['a backend', { backend: 'basalt' }, ['b-desk', 'b-gauges']],
    ['a namespace', { namespace: 'tide-gauges' }, ['b-gauges', 'q-gauges']],
    ['everything', {}, ['b-desk', 'b-gauges', 'q-gauges']],
  ] as const)('%s: those claims alone are looked at again', async (_what, helped, names) => {
    expect(await waiting(helped)).toEqual(names);
  });
});
