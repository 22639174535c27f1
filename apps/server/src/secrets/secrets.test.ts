import { spawnSync } from 'node:child_process';
import { endpoints } from '@moorage/contract/endpoints';
import type { Endpoint } from '@moorage/contract/endpoints/endpoint';
import type { RunningServer } from '../server';
import { gneissSeed } from '@moorage/standins/backend-seeds';
import { aClaim, aClass, Caller, eventually, makeWorld, type World } from '../testing/world';

/** Every secret that goes in carries this mark, and nothing else does. */
const mark = 'brine-lantern';

let world: World;
let server: RunningServer;
let maren: Caller;
const answers: string[] = [];
const streamed: string[] = [];
const logged: string[] = [];
beforeAll(async () => {
  world = await makeWorld({ more: [() => ({ ...gneissSeed(), password: `${mark}-gneiss` })] });
  server = await world.start({ onLog: (line) => logged.push(line) }, { logLevel: 'trace' });
  maren = await world.operator(server);
});
afterAll(() => world.end());

const told = async (
  caller: Caller,
  method: string,
  path: string,
  body?: unknown,
  headers: Record<string, string> = {},
) => {
  const answer = await caller.call(method, path, body, headers);
  answers.push(`${method} ${path}: ${JSON.stringify(answer.data)}`);
  return answer;
};
const key = (n: number) => ({ 'Idempotency-Key': `secret-${n}` });

test('what was told in secret is in no table, log, event, answer or dump', async () => {
  const stream = await fetch(`${server.url}/api/events`, { headers: { Cookie: maren.cookieText } });
  void (async () => {
    for await (const chunk of stream.body!) streamed.push(Buffer.from(chunk as Uint8Array).toString());
  })().catch(() => undefined);
  const access = { address: world.more[0]!.url, username: 'moorage', trust: { kind: 'system' } };
  const register = { ...access, id: 'gneiss', title: 'Gneiss', sites: ['quayside'] };
  // wrong, refused, repeated with a key, right, changed: each way a password can go
  await told(new Caller(server.url), 'POST', '/api/session', { name: 'maren', password: `${mark}-wrong` });
  await told(new Caller(server.url), 'POST', '/api/session', { name: `${mark}-in-the-wrong-field`, password: 'x' });
  await told(maren, 'POST', '/api/backends/probe', { ...access, password: `${mark}-probe` }, key(1));
  await told(maren, 'POST', '/api/backends', { ...register, password: `${mark}-refused` }, key(2));
  await told(
    maren,
    'POST',
    '/api/backends',
    { ...register, id: 'far', address: 'http://127.0.0.1:1', password: `${mark}-far` },
    key(3),
  );
  expect((await told(maren, 'POST', '/api/backends', { ...register, password: `${mark}-gneiss` }, key(4))).status).toBe(
    201,
  );
  expect((await told(maren, 'POST', '/api/backends', { ...register, password: `${mark}-gneiss` }, key(4))).status).toBe(
    201,
  );
  await told(maren, 'PUT', '/api/backends/gneiss/credentials', {
    username: 'moorage',
    password: `${mark}-refused-too`,
  });
  await told(maren, 'PUT', '/api/backends/gneiss/credentials', { username: 'moorage', password: `${mark}-gneiss` });
  await told(maren, 'POST', '/api/backends/probe', `{"password":"${mark}-broken`);
  await told(maren, 'POST', '/api/backends/probe', { password: `${mark}-short`, address: 7 });
  await told(maren, 'POST', '/api/classes', aClass('general', { copies: 1 }), key(5));
  await told(maren, 'POST', '/api/claims', aClaim('seats', 'general'), key(6));
  world.more[0]!.faults.add({ kind: 'refuse', path: '.*', status: 401, times: 20 });
  await eventually(
    'the refusal is noted',
    async () =>
      (await world.rows<{ problem: object | null }>(`SELECT problem FROM backends WHERE id = 'gneiss'`))[0]!.problem,
  );
  for (const [, endpoint] of Object.entries(endpoints) as [string, Endpoint][])
    if (endpoint.method === 'get' && !endpoint.path.endsWith('/events'))
      await told(
        maren,
        'GET',
        endpoint.path.replace(':id', 'gneiss').replace(/:\w+/g, 'general') +
          (endpoint.path === '/api/line' ? '?claim=tide-gauges/seats' : ''),
      );

  const dump = spawnSync('pg_dump', ['--inserts', world.config.databaseUrl], { encoding: 'utf8', maxBuffer: 1 << 28 });
  expect(dump.status).toBe(0);
  expect(dump.stdout.length).toBeGreaterThan(10_000);
  const holding = (what: string, texts: readonly string[]) =>
    texts.filter((t) => t.includes(mark)).map((t) => `${what}: ${t.slice(0, 300)}`);
  const metrics = await (await fetch(`${server.url}/metrics`)).text();
  expect([
    ...holding('dump', dump.stdout.split('\n')),
    ...holding('log', logged),
    ...holding('event', streamed),
    ...holding('answer', answers),
    ...holding('metrics', [metrics]),
  ]).toEqual([]);
  expect(logged.join('')).toContain('listening');
  expect(streamed.join('')).toContain('"topic"');
});
