import { request } from 'node:http';
import type { Problem } from '@moorage/contract/problem';
import type { RunningServer } from '../server';
import { Caller, makeWorld, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start(undefined, { hosts: ['moorage.orrin.example'] });
  maren = await new Caller(server.url).signIn();
});
afterAll(() => world.end());

/** A request as no `fetch` would send it: with any Host, and any header that browsers keep to themselves. */
const raw = (
  method: string,
  path: string,
  headers: Record<string, string>,
  body = '',
): Promise<{ status: number; data: Partial<Problem>; headers: NodeJS.Dict<string | string[]> }> =>
  new Promise((resolve, reject) => {
    const sent = request(
      server.url + path,
      { method, headers: { Cookie: maren.cookieText, ...headers } },
      (response) => {
        let text = '';
        response.on('data', (chunk) => (text += String(chunk)));
        response.on('end', () =>
          resolve({
            status: response.statusCode!,
            data: text.startsWith('{') ? (JSON.parse(text) as Partial<Problem>) : {},
            headers: response.headers,
          }),
        );
      },
    );
    sent.on('error', reject);
    sent.end(body);
  });
const json = { 'Content-Type': 'application/json' };

test.each([
  ['a foreign name', 'evil.example', 421],
  ['a foreign name that begins like ours', 'moorage.orrin.example.evil.example', 421],
  ['a name of ours', 'moorage.orrin.example', 200],
  ['a name of ours with a port, in capitals', 'MOORAGE.orrin.example:8443', 200],
  ['the loopback', 'localhost:4400', 200],
])('under %s', async (_name, host, status) => {
  const answer = await raw('GET', '/api/session', { Host: host });
  expect(answer.status).toBe(status);
  if (status === 421) expect(answer.data.code).toBe('unknown-host');
});

test.each([
  ['Origin', 'https://evil.example', 403],
  ['Origin', 'null', 403],
  ['Sec-Fetch-Site', 'cross-site', 403],
  ['Sec-Fetch-Site', 'same-site', 403],
  ['Sec-Fetch-Site', 'same-origin', 422],
  ['Sec-Fetch-Site', 'none', 422],
])('a change with %s: %s', async (header, value, status) => {
  const answer = await raw('POST', '/api/claims', { ...json, [header]: value }, '{}');
  expect([answer.status, status === 403 ? answer.data.code : 'foreign-origin']).toEqual([status, 'foreign-origin']);
  // reading is nobody's harm: a link from elsewhere opens the application
  expect((await raw('GET', '/api/session', { [header]: value })).status).toBe(200);
});

test('answers are not kept by anybody between', async () => {
  expect((await raw('GET', '/api/claims', {})).headers['cache-control']).toBe('no-store');
  expect((await raw('GET', '/api/nothing', {})).headers['cache-control']).toBe('no-store');
});

test('behind TLS the cookie goes over TLS alone', async () => {
  const behind = await world.start(undefined, { behindTls: true });
  const answer = await fetch(`${behind.url}/api/session`, {
    method: 'POST',
    headers: { ...json, 'X-Forwarded-Proto': 'https' },
    body: JSON.stringify({ name: 'guest', password: 'lighthouse' }),
  });
  expect(answer.headers.getSetCookie()[0]).toMatch(/; Secure/);
});

describe('bodies', () => {
  test('are not read from who is not signed in, nor past the limit of their endpoint', async () => {
    const nobody = new Caller(server.url);
    const large = `{"text":"${'x'.repeat(900_000)}"}`;
    expect((await nobody.call<Problem>('POST', '/api/manifests', large)).data.code).toBe('not-signed-in');
    expect(
      (await nobody.call<Problem>('POST', '/api/session', `{"name":"${'x'.repeat(3000)}","password":"y"}`)).data.code,
    ).toBe('too-large');
    expect((await maren.call<Problem>('POST', '/api/claims', `{"name":"${'x'.repeat(70_000)}"}`)).data.code).toBe(
      'too-large',
    );
    expect(
      (await maren.call<Problem>('POST', '/api/planned-places', `{"places":[${'{},'.repeat(200_000)}{}]}`)).data,
    ).toMatchObject({ code: 'too-large' });
  });

  test.each([['"a\\u0000b"'], ['"\\ud800"']])(
    'with a text that cannot be kept, %s, are refused by field',
    async (text) => {
      const { status, data } = await maren.call<Problem>(
        'POST',
        '/api/claims',
        `{"namespace":"ferry-desk","name":"x","tuned":{"a":${text}}}`,
      );
      expect([status, data.field]).toEqual([422, 'tuned.a']);
    },
  );

  test('that are no object are refused, not failed on', async () => {
    for (const body of ['null', '3', '"x"', '[]', '{"namespace":{}}'])
      expect((await maren.call('POST', '/api/claims', body)).status).toBe(422);
  });
});
