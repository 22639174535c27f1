import { ApiProblem, ask } from './client';

interface Sent {
  readonly url: string;
  readonly init: { method: string; headers: Record<string, string>; body?: string };
}
const real = globalThis.fetch;
let sent: Sent[] = [];
const answering = (status: number, text: string) => {
  globalThis.fetch = ((url: string, init: Sent['init']) => {
    sent.push({ url, init });
    return Promise.resolve(new Response(status === 204 ? null : text, { status }));
  }) as typeof fetch;
};
beforeEach(() => (sent = []));
afterAll(() => (globalThis.fetch = real));

const problemOf = (asked: Promise<unknown>): Promise<ApiProblem> =>
  asked.then(
    () => Promise.reject(new Error('it was answered')),
    (error: unknown) => error as ApiProblem,
  );

test('a call goes where its endpoint stands, with what it is given', async () => {
  answering(200, '[]');
  await ask('orderMoorings', { params: { className: 'fast' }, body: { pools: ['kelp-nvme'] }, version: 7, key: 'k' });
  expect(sent).toEqual([
    {
      url: '/api/moorings/fast',
      init: {
        method: 'PUT',
        headers: {
          Accept: 'application/json',
          'Content-Type': 'application/json',
          'If-Match': '"7"',
          'Idempotency-Key': 'k',
        },
        body: '{"pools":["kelp-nvme"]}',
      },
    },
  ]);
});

test('names stay one part of the path whatever is in them, and what is not asked for is left out', async () => {
  answering(200, '{}');
  await ask('getClaim', { params: { namespace: 'a/b', name: '../c?d' } });
  await ask('listClaims', { query: { q: '50% & more', namespace: undefined, className: '', limit: 8 } });
  await ask('whoAmI');
  expect(sent.map((s) => s.url)).toEqual([
    '/api/claims/a%2Fb/..%2Fc%3Fd',
    '/api/claims?q=50%25+%26+more&limit=8',
    '/api/session',
  ]);
  expect(sent[2]!.init.body).toBeUndefined();
});

test('nothing comes of an answer without a body', async () => {
  answering(204, '');
  expect(await ask('signOut')).toBeUndefined();
});

test('a refusal is told with its code, field and errors', async () => {
  const problem = {
    type: 'urn:moorage:problem:invalid',
    title: 'Not accepted',
    status: 422,
    detail: 'A size is needed.',
    code: 'invalid',
    field: 'size',
    errors: [{ field: 'size', detail: 'A size is needed.' }],
  };
  answering(422, JSON.stringify(problem));
  const told = await problemOf(ask('whoAmI'));
  expect(told).toBeInstanceOf(ApiProblem);
  expect(told).toMatchObject({ status: 422, code: 'invalid', field: 'size', errors: problem.errors });
});

test.each([
  ['a page of something between', '<html>Bad gateway</html>'],
  ['another form of problem', '{"error":"no"}'],
])('%s is told as a failure without a reason', async (_what, text) => {
  answering(502, text);
  expect(await problemOf(ask('whoAmI'))).toMatchObject({
    code: 'unknown',
    status: 502,
    detail: 'It answered 502 without saying why. Try again.',
  });
});
