import type { Problem } from '@moorage/contract/problem';
import type { RunningServer } from '../server';
import { Caller, eventually, makeWorld, type World } from '../testing/world';

let world: World;
let servers: RunningServer[];
beforeAll(async () => {
  world = await makeWorld();
  servers = [await world.start(), await world.start()];
});
afterAll(() => world.end());

const tryAs = (name: string, password: string, server = servers[0]!) =>
  new Caller(server.url).call<Problem>('POST', '/api/session', { name, password });

test('after five wrong passwords an account waits, at every server, and is told how long; others do not', async () => {
  for (let i = 0; i < 5; i++) expect((await tryAs('guest', `wrong-${i}`)).status).toBe(401);
  expect((await tryAs('guest', 'wrong-again')).status).toBe(401);
  for (const server of servers) {
    const { status, data, headers } = await tryAs('guest', 'lighthouse', server);
    expect([status, data.code]).toEqual([429, 'too-many-tries']);
    const wait = Number(headers.get('Retry-After'));
    expect(wait).toBeGreaterThan(0);
    expect(data.detail).toContain(`Wait ${wait} s`);
  }
  expect((await tryAs('tom', 'lighthouse')).status).toBe(200);
  const maren = await new Caller(servers[0]!.url).signIn();
  const { entries } = await maren.ok<{ entries: { kind: string; action: string; after: unknown }[] }>(
    'GET',
    '/api/logbook?limit=50',
  );
  expect(
    entries.filter((e) => e.kind === 'person' && (e.after as { refused?: string } | null)?.refused === 'account'),
  ).toHaveLength(1);
});

test('an address that tries many accounts waits as well', async () => {
  for (let i = 0; i < 30; i++) await tryAs(`nobody-${i}`, 'x');
  expect((await tryAs('nobody-31', 'x')).status).toBe(429);
  await world.rows('DELETE FROM sign_in_failures');
  expect((await tryAs('guest', 'lighthouse')).status).toBe(200);
});

test('two hundred at once are answered or told that it is busy; nobody else waits for them', async () => {
  await world.rows('DELETE FROM sign_in_failures');
  const maren = await new Caller(servers[0]!.url).signIn();
  const storm = Promise.all(Array.from({ length: 200 }, (_, i) => tryAs(`storm-${i}`, 'x')));
  expect((await maren.call('GET', '/api/session')).status).toBe(200);
  const statuses = new Set((await storm).map((a) => a.status));
  expect([...statuses].filter((s) => ![401, 429, 503].includes(s))).toEqual([]);
  expect(statuses).toContain(503);
  await world.rows('DELETE FROM sign_in_failures');
});

describe('event streams', () => {
  const open = async (caller: Caller, server = servers[0]!) => {
    const response = await fetch(`${server.url}/api/events`, { headers: { Cookie: caller.cookieText } });
    let ended = false;
    void (async () => {
      for await (const _chunk of response.body!);
    })()
      .catch(() => undefined)
      .finally(() => (ended = true));
    return { status: response.status, hasEnded: () => Promise.resolve(ended) };
  };

  test('end with the session, at every server', async () => {
    const guest = await new Caller(servers[0]!.url).signIn('guest');
    const other = await new Caller(servers[0]!.url).signIn('guest');
    const [mine, far, kept] = [await open(guest), await open(guest, servers[1]), await open(other)];
    await guest.ok('DELETE', '/api/session');
    await eventually('both streams ended', async () => (await mine.hasEnded()) && (await far.hasEnded()));
    expect(await kept.hasEnded()).toBe(false);
    await other.ok('DELETE', '/api/session');
    await eventually('the other too', kept.hasEnded);
  });

  test('are eight a person at most: the oldest makes way', async () => {
    const guest = await new Caller(servers[0]!.url).signIn('guest');
    const streams = [];
    for (let i = 0; i < 9; i++) streams.push(await open(guest));
    await eventually('the first ended', streams[0]!.hasEnded);
    for (const stream of streams.slice(1)) expect(await stream.hasEnded()).toBe(false);
    await guest.ok('DELETE', '/api/session');
  });
});
