import { execFileSync } from 'node:child_process';
import { endpoints } from '@moorage/contract/endpoints';
import type { Endpoint } from '@moorage/contract/endpoints/endpoint';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import type { Problem } from '@moorage/contract/problem';
import { Validator } from '@seriousme/openapi-schema-validator';
import type { RunningServer } from '../server';
import { aClaim, aClass, Caller, makeWorld, moorClass, type World } from '../testing/world';

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

const all = Object.entries(endpoints) as [string, Endpoint][];
const pathOf = (endpoint: Endpoint) => endpoint.path.replace(/:(\w+)/g, 'x');

describe('who may call what', () => {
  test.each(all.filter(([, e]) => e.allowed !== 'everyone'))(
    '%s is refused to who is not signed in',
    async (_name, endpoint) => {
      const { status, data } = await new Caller(server.url).call<Problem>(
        endpoint.method.toUpperCase(),
        pathOf(endpoint),
        endpoint.body ? {} : undefined,
      );
      expect([status, data.code]).toEqual([401, 'not-signed-in']);
    },
  );

  test.each(all.filter(([, e]) => e.allowed !== 'everyone' && !e.allowed.includes('viewer')))(
    '%s is refused to a viewer, before anything is looked at',
    async (_name, endpoint) => {
      const guest = await new Caller(server.url).signIn('guest');
      const { status, data } = await guest.call<Problem>(
        endpoint.method.toUpperCase(),
        pathOf(endpoint),
        endpoint.body ? {} : undefined,
      );
      expect([status, data.code]).toEqual([403, 'not-allowed']);
    },
  );

  test('a namespace owner makes claims in the own namespaces only', async () => {
    const ivo = await new Caller(server.url).signIn('ivo');
    const foreign = await ivo.call<Problem>('POST', '/api/claims', aClaim('sneaky', 'general'));
    expect(foreign.status).toBe(403);
    expect(world.platform.store.find('persistentvolumeclaims', 'tide-gauges', 'sneaky')).toBeUndefined();
    await ivo.ok('POST', '/api/claims', aClaim('mine', 'general', { namespace: 'ferry-desk' }));
  });

  test('a wrong password and an unknown name get the same answer; signing out ends the session', async () => {
    const nobody = new Caller(server.url);
    const answers = await Promise.all(
      [
        { name: 'maren', password: 'x' },
        { name: 'nobody', password: 'x' },
      ].map((body) => nobody.call<Problem>('POST', '/api/session', body)),
    );
    expect(answers.map((a) => [a.status, a.data.detail])).toEqual(
      [answers[0], answers[0]].map((a) => [401, a!.data.detail]),
    );
    const guest = await new Caller(server.url).signIn('guest');
    await guest.ok('DELETE', '/api/session');
    expect((await guest.call('GET', '/api/session')).status).toBe(401);
  });
});

describe('bad input', () => {
  test.each([
    ['size', aClaim('a', 'general', { size: '80 parsecs' }), /Not a size/],
    ['size', aClaim('a', 'general', { size: '80GiB' }), /Unknown unit/],
    ['size', aClaim('a', 'general', { size: '-1Gi' }), /negative/],
    ['size', aClaim('a', 'general', { size: '0' }), /above zero/],
    ['name', aClaim('Not_A_Name', 'general'), /a-z/],
    ['modes', aClaim('a', 'general', { modes: [] }), /access mode/],
    ['modes.0', aClaim('a', 'general', { modes: ['ReadTwice'] }), /./],
    ['className', aClaim('a', 'UPPER'), /a-z/],
  ])('a claim with a wrong %s is refused by field and reason, and nothing changes', async (field, body, detail) => {
    const before = world.platform.store.resourceVersion;
    const { status, data, headers } = await maren.call<Problem>('POST', '/api/claims', body);
    expect(status).toBe(422);
    expect(headers.get('Content-Type')).toMatch('application/problem+json');
    expect(data).toMatchObject({ code: 'invalid', field, status: 422 });
    expect(data.detail).toMatch(detail);
    expect(world.platform.store.resourceVersion).toBe(before);
  });

  test('what the platform refuses comes back with its field and its words', async () => {
    const { status, data } = await maren.call<Problem>(
      'POST',
      '/api/claims',
      aClaim('a', 'general', { namespace: 'nowhere' }),
    );
    expect([status, data.code]).toEqual([404, 'platform-not-found']);
    expect(data.detail).toMatch(/nowhere/);
    await maren.ok('POST', '/api/claims', aClaim('twice', 'general'));
    expect((await maren.call<Problem>('POST', '/api/claims', aClaim('twice', 'general'))).data.code).toBe(
      'platform-exists',
    );
  });

  test.each([
    ['copies', aClass('c', { copies: 6 })],
    ['copies', aClass('c', { copies: 1.5 })],
    ['iopsFloor.minimum', aClass('c', { iopsFloor: { kind: 'per-gib', perGiB: 1, minimum: 10, maximum: 5 } })],
    ['iopsFloor', aClass('c', { iopsFloor: { kind: 'fixed', value: 10 }, iopsCeiling: { kind: 'fixed', value: 5 } })],
    ['reclaim', aClass('c', { reclaim: 'Recycle' })],
  ])('a class with a wrong %s is refused', async (field, body) => {
    const { status, data } = await maren.call<Problem>('POST', '/api/classes', body);
    expect([status, data.field]).toEqual([422, field]);
    expect(world.platform.store.find('storageclasses', undefined, 'c')).toBeUndefined();
  });

  test('a body that is no JSON, a route that is not there, a cursor of somebody else', async () => {
    expect((await maren.call<Problem>('POST', '/api/claims', '{"name":')).data.code).toBe('not-json');
    expect((await maren.call<Problem>('GET', '/api/nothing')).data.code).toBe('no-such-route');
    expect((await maren.call<Problem>('GET', '/api/claims?cursor=abc')).data).toMatchObject({
      code: 'invalid',
      field: 'cursor',
    });
    expect((await maren.call<Problem>('GET', '/api/claims?limit=100000')).data.field).toBe('limit');
  });
});

describe('two people at once', () => {
  test('a change of what somebody else changed meanwhile is refused and writes nothing', async () => {
    const { data: mooring } = await maren.call<{ version: number }>('PUT', '/api/moorings/general/basalt-swift', {
      enabled: true,
    });
    const version = { 'If-Match': `"${mooring.version}"` };
    const first = await maren.call('PUT', '/api/moorings/general/basalt-swift', { weight: 2 }, version);
    expect([first.status, first.headers.get('ETag')]).toEqual([200, `"${mooring.version + 1}"`]);
    const second = await maren.call<Problem>('PUT', '/api/moorings/general/basalt-swift', { weight: 3 }, version);
    expect([second.status, second.data.code]).toEqual([412, 'changed-meanwhile']);
    const [row] = await world.rows<{ weight: number }>(
      `SELECT weight FROM moorings WHERE class_name = 'general' AND pool_id = 'basalt-swift'`,
    );
    expect(row!.weight).toBe(2);
  });

  test('an order that does not name the moorings as they are is refused', async () => {
    expect((await maren.call<Problem>('PUT', '/api/moorings/general', { pools: ['basalt-swift'] })).status).toBe(412);
    await maren.ok('PUT', '/api/moorings/general', { pools: ['basalt-swift', 'basalt-broad'] });
    const order = await world.rows(`SELECT pool_id FROM moorings WHERE class_name = 'general' ORDER BY rank`);
    expect(order).toEqual([{ pool_id: 'basalt-swift' }, { pool_id: 'basalt-broad' }]);
  });

  test('a creation repeated with its key answers as the first and makes one', async () => {
    const key = { 'Idempotency-Key': 'k-1' };
    const answers = [
      await maren.call<{ uid: string }>('POST', '/api/claims', aClaim('once', 'general'), key),
      await maren.call<{ uid: string }>('POST', '/api/claims', aClaim('once', 'general'), key),
    ];
    expect(answers.map((a) => a.status)).toEqual([201, 201]);
    expect(answers[0]!.data.uid).toBe(answers[1]!.data.uid);
    expect((await maren.call<Problem>('POST', '/api/claims', aClaim('other', 'general'), key)).data.code).toBe(
      'key-reused',
    );
  });

  test('a class in use stays', async () => {
    const { status, data } = await maren.call<Problem>('DELETE', '/api/classes/general');
    expect([status, data.code]).toEqual([409, 'in-use']);
    await maren.ok('POST', '/api/classes', aClass('unused'));
    await maren.ok('DELETE', '/api/classes/unused');
    expect(world.platform.store.find('storageclasses', undefined, 'unused')).toBeUndefined();
  });
});

describe('limits of many namespaces', () => {
  const limitOf = async (namespace: string) =>
    (await maren.ok<NamespaceUsage[]>('GET', '/api/namespaces')).find((n) => n.namespace === namespace)!.limit;
  const give = (body: object) => maren.call<Problem>('PUT', '/api/limits', body);

  test('are given all or none: one that is another than was seen keeps all back, and is named', async () => {
    const all = ['ferry-desk', 'wave-model'].map((namespace) => ({ namespace, was: null, bytes: 2 ** 40 }));
    expect((await give(all)).status).toBe(204);
    expect(await Promise.all([limitOf('ferry-desk'), limitOf('wave-model')])).toEqual([2 ** 40, 2 ** 40]);
    const late = [
      { namespace: 'wave-model', was: 2 ** 40, bytes: 2 ** 41 },
      { namespace: 'ferry-desk', was: null, bytes: 2 ** 41 },
      { namespace: 'nowhere', was: null, bytes: 1 },
    ];
    const refused = await give(late);
    expect([refused.status, refused.data.detail]).toEqual([409, expect.stringContaining('ferry-desk, nowhere.')]);
    expect(await limitOf('wave-model')).toBe(2 ** 40);
    const back = all.map((l) => ({ ...l, was: l.bytes, bytes: null }));
    expect((await give(back)).status).toBe(204);
    expect(await limitOf('ferry-desk')).toBeNull();
    const { entries } = await maren.ok<{ entries: { kind: string; subject: string }[] }>('GET', '/api/logbook?limit=4');
    expect(entries.map((r) => `${r.kind} ${r.subject}`).sort()).toEqual([
      ...['limit ferry-desk', 'limit ferry-desk', 'limit wave-model', 'limit wave-model'],
    ]);
  });

  test('two at once: one gets its limits, the other is told', async () => {
    const by = (bytes: number) => give([{ namespace: 'ferry-desk', was: null, bytes }]);
    const answers = await Promise.all([by(2 ** 40), by(2 ** 41)]);
    expect(answers.map((a) => a.status).sort()).toEqual([204, 409]);
    await maren.ok('PUT', '/api/namespaces/ferry-desk/limit', { bytes: null });
  });

  test.each([
    ['named twice', ['ferry-desk', 'ferry-desk'].map((namespace) => ({ namespace, was: null, bytes: 1 })), 422],
    ['of nothing', [], 422],
    ['of no size', [{ namespace: 'ferry-desk', was: null, bytes: 0 }], 422],
  ])('%s are refused', async (_what, body, status) => expect((await give(body)).status).toBe(status));
});

describe('limits of a pool', () => {
  test('are changed by the storage engineer, with their reason when refused', async () => {
    const tom = await new Caller(server.url).signIn('tom');
    expect((await tom.call<Problem>('PATCH', '/api/pools/basalt-broad', { softMark: 0.95 })).data).toMatchObject({
      field: 'softMark',
    });
    expect(await tom.ok('PATCH', '/api/pools/basalt-broad', { overcommit: 2, allotment: 5e12 })).toMatchObject({
      overcommit: 2,
      allotment: 5e12,
    });
    expect((await tom.call('PATCH', '/api/pools/nothing', { overcommit: 2 })).status).toBe(404);
  });
});

test('every change is in the logbook, with who, before and after', async () => {
  const { entries } = await maren.ok<{
    entries: { person: string; action: string; kind: string; subject: string; before: unknown; after: unknown }[];
  }>('GET', '/api/logbook?limit=200');
  expect(entries.find((e) => e.kind === 'pool')).toMatchObject({
    person: 'tom',
    action: 'change',
    subject: 'basalt-broad',
    before: { overcommit: 1 },
    after: { overcommit: 2 },
  });
  for (const kind of ['class', 'mooring', 'claim', 'person']) expect(entries.map((e) => e.kind)).toContain(kind);
});

test('pages of claims follow each other without a gap or a repeat, in every order', async () => {
  for (let i = 0; i < 12; i++)
    await maren.ok(
      'POST',
      '/api/claims',
      aClaim(`page-${i}`, 'general', { namespace: 'wave-model', size: `${1 + (i % 4)}Gi` }),
    );
  for (const sort of ['created', 'name', 'size', 'state', 'class', 'namespace'])
    for (const direction of ['asc', 'desc']) {
      const names: string[] = [];
      let cursor: string | null = '';
      do {
        const page: { claims: { name: string }[]; next: string | null; total: number } = await maren.ok(
          'GET',
          `/api/claims?namespace=wave-model&limit=5&sort=${sort}&direction=${direction}${cursor ? `&cursor=${cursor}` : ''}`,
        );
        names.push(...page.claims.map((c) => c.name));
        cursor = page.next;
      } while (cursor);
      // states move while claims bind, so only the others promise completeness here
      if (sort !== 'state') expect([...new Set(names)].sort()).toEqual([...names].sort());
      if (sort !== 'state') expect(names).toHaveLength(12);
    }
});

describe('open formats', () => {
  test('the OpenAPI document is valid, and names every route', async () => {
    const document = await new Caller(server.url).ok<{ paths: Record<string, object> }>('GET', '/api/openapi.json');
    const { valid, errors } = await new Validator().validate(document);
    expect(errors ?? []).toEqual([]);
    expect(valid).toBe(true);
    expect(Object.values(document.paths).flatMap((p) => Object.keys(p))).toHaveLength(all.length);
  });

  test('the metrics parse as OpenMetrics', async () => {
    const response = await fetch(`${server.url}/metrics`);
    expect(response.headers.get('Content-Type')).toMatch('application/openmetrics-text');
    const script =
      'import sys\nfrom prometheus_client.openmetrics.parser import text_string_to_metric_families as parse\nprint(" ".join(f.name for f in parse(sys.stdin.read())))';
    const families = execFileSync('/usr/bin/python3', ['-c', script], {
      input: await response.text(),
      encoding: 'utf8',
    });
    expect(families.trim().split(' ')).toEqual(
      expect.arrayContaining([
        'moorage_call_seconds',
        'moorage_decision_seconds',
        'moorage_operation_steps',
        'moorage_ready',
      ]),
    );
  });
});

test('credentials are encrypted at rest and never leave the server', async () => {
  const [row] = await world.rows<{ secret: Buffer }>(`SELECT secret FROM backends WHERE id = 'kelp'`);
  expect(row!.secret.includes('holdfast')).toBe(false);
  expect(JSON.stringify(await maren.ok('GET', '/api/backends'))).not.toMatch(/holdfast|secret/);
});

test('live changes arrive as server-sent events', async () => {
  const cookie = maren.cookieText;
  const abort = new AbortController();
  const response = await fetch(`${server.url}/api/events`, { headers: { Cookie: cookie }, signal: abort.signal });
  expect(response.headers.get('Content-Type')).toMatch('text/event-stream');
  const seen = (async () => {
    let text = '';
    for await (const chunk of response.body!) {
      text += Buffer.from(chunk as Uint8Array).toString();
      if (/data: \{"topic":"moorings"/.test(text)) return true;
    }
    return false;
  })();
  await maren.ok('PUT', '/api/moorings/general/basalt-swift', { enabled: false });
  expect(await seen).toBe(true);
  abort.abort();
});
