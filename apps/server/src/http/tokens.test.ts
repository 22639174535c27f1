import { execFile, spawn } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import type { MadeToken, Token } from '@moorage/contract/tokens';
import { topOf } from '../forecast/usage-metrics';
import type { RunningServer } from '../server';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;
let ivo: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  ivo = await new Caller(server.url).signIn('ivo');
  await moorClass(maren, 'calm', ['basalt-broad'], { copies: 1 });
  for (const [namespace, size] of [
    ['ferry-desk', '10Gi'],
    ['tide-gauges', '30Gi'],
    ['wave-model', '20Gi'],
  ] as const) {
    await maren.ok('POST', '/api/claims', aClaim('data', 'calm', { namespace, size }));
    await maren.inState('data', 'bound', namespace);
  }
});
afterAll(() => world.end());

const make = (who: Caller, body: object = {}) =>
  who.ok<MadeToken>('POST', '/api/tokens', { name: 'a panel', days: 30, ...body });
const withToken = (secret: string, path: string, method = 'GET') =>
  fetch(server.url + path, {
    method,
    headers: { Authorization: `Bearer ${secret}`, 'Content-Type': 'application/json' },
    ...(method !== 'GET' && { body: '{}' }),
  });
const seen = async (secret: string) =>
  ((await (await withToken(secret, '/api/namespaces')).json()) as { namespace: string }[]).map((n) => n.namespace);

test('a token reads what it was made for, and changes nothing', async () => {
  const { secret } = await make(maren, { namespaces: ['wave-model'] });
  expect(await seen(secret)).toEqual(['wave-model']);
  expect((await seen((await make(maren)).secret)).length).toBeGreaterThan(3);
  expect((await withToken(secret, '/api/claims/ferry-desk/data')).status).toBe(404);
  for (const [method, path] of [
    ['POST', '/api/claims'],
    ['PUT', '/api/namespaces/wave-model/limit'],
    ['DELETE', '/api/claims/wave-model/data?confirm=data'],
    ['POST', '/api/tokens'],
    ['GET', '/api/tokens'],
    ['GET', '/api/events'],
  ] as const)
    expect([method, path, (await withToken(secret, path, method)).status]).toEqual([method, path, 403]);
});

test('a session beside a token counts for nothing, and what is no token is nobody', async () => {
  const { secret } = await make(maren, { namespaces: ['wave-model'] });
  const both = await fetch(`${server.url}/api/namespaces/wave-model/limit`, {
    method: 'PUT',
    headers: {
      ...{ Authorization: `Bearer ${secret}`, Cookie: maren.cookieText },
      'Content-Type': 'application/json',
    },
    body: JSON.stringify({ bytes: 1 }),
  });
  expect(both.status).toBe(403);
  for (const wrong of ['', 'moorage_nothing', `${secret}x`, secret.slice(0, -1), 'a b'])
    expect((await withToken(wrong, '/api/namespaces')).status).toBe(401);
});

test('an owner makes tokens for the own namespaces alone, and one reads no more than its owner may', async () => {
  expect((await ivo.call('POST', '/api/tokens', { name: 'x', days: 3, namespaces: ['wave-model'] })).status).toBe(404);
  const { secret } = await make(ivo);
  expect(await seen(secret)).toEqual(['ferry-desk']);
  await world.rows(`UPDATE people SET namespaces = '{}' WHERE name = 'ivo'`);
  expect(await seen(secret)).toEqual([]);
  await world.rows(`UPDATE people SET namespaces = '{ferry-desk}' WHERE name = 'ivo'`);
  expect(await seen(secret)).toEqual(['ferry-desk']);
});

test('a token ends when it is revoked, and with its time; others see nothing of it', async () => {
  const [revoked, over] = [await make(maren), await make(maren)];
  expect((await ivo.call('DELETE', `/api/tokens/${revoked.id}`)).status).toBe(404);
  expect((await ivo.ok<Token[]>('GET', '/api/tokens')).map((t) => t.person)).not.toContain('maren');
  await maren.ok('DELETE', `/api/tokens/${revoked.id}`);
  await world.rows(`UPDATE read_tokens SET expires_at = now() - interval '1 second' WHERE id = $1`, [over.id]);
  for (const { secret } of [revoked, over]) expect((await withToken(secret, '/api/namespaces')).status).toBe(401);
  const listed = await maren.ok<Token[]>('GET', '/api/tokens');
  expect(listed.find((t) => t.id === revoked.id)!.revokedAt).not.toBeNull();
  expect(JSON.stringify(listed)).not.toContain(revoked.secret.slice(8));
  const [kept] = await world.rows<{ row: string }>(
    `SELECT row_to_json(t)::text AS row FROM read_tokens t WHERE id = $1`,
    [revoked.id],
  );
  expect(kept!.row).not.toContain(revoked.secret.slice(8));
  expect((await maren.call('POST', '/api/tokens', { name: 'x', days: 4000 })).status).toBe(422);
});

/** What a parser that nobody here wrote reads: families with unit and samples. */
async function parsed(text: string) {
  const script = `import json, sys
from prometheus_client.openmetrics.parser import text_string_to_metric_families as parse
print(json.dumps([[f.name, f.unit, f.documentation, [[s.labels, s.value] for s in f.samples]] for f in parse(sys.stdin.read())]))`;
  const child = promisify(execFile)('/usr/bin/python3', ['-c', script]);
  child.child.stdin!.end(text);
  return new Map(
    (JSON.parse((await child).stdout) as [string, string, string, [Record<string, string>, number][]][]).map(
      ([name, unit, help, samples]) => [name, { unit, help, samples }],
    ),
  );
}

test('use in OpenMetrics parses, each family with help and unit; so many are told, and the rest together', async () => {
  const { secret } = await make(maren);
  const families = await parsed(await (await withToken(secret, '/api/metrics?top=2')).text());
  for (const [name, { unit, help }] of families) {
    expect([name, name.endsWith(`_${unit}`) && unit !== '']).toEqual([name, true]);
    expect(help.length).toBeGreaterThan(5);
  }
  const GiB = 2 ** 30;
  expect(families.get('moorage_namespace_provisioned_bytes')!.samples).toEqual([
    [{ namespace: 'tide-gauges' }, 30 * GiB],
    [{ namespace: 'wave-model' }, 20 * GiB],
    [{ namespace: '_rest' }, 10 * GiB],
  ]);
  expect(families.get('moorage_pool_capacity_bytes')!.samples).toHaveLength(3);
});

test('an owner’s metrics tell of the own namespaces alone, and of no pool', async () => {
  const { secret } = await make(ivo);
  const text = await (await withToken(secret, '/api/metrics')).text();
  expect(text).toContain('ferry-desk');
  for (const foreign of ['wave-model', 'tide-gauges', 'kelp', 'basalt']) expect(text).not.toContain(foreign);
  expect((await fetch(`${server.url}/api/metrics`)).status).toBe(401);
  // what is open to everybody names nobody
  const open = await (await fetch(`${server.url}/metrics`)).text();
  for (const name of ['wave-model', 'tide-gauges', 'ferry-desk']) expect(open).not.toContain(name);
});

test('the rest is what is not told one by one, and is not told where a part of it is not known', () => {
  const sums = new Map<string, number | null>([
    ['a', 5],
    ['b', 9],
    ['c', 2],
    ['d', 1],
  ]);
  expect(topOf(sums, 2)).toEqual([
    ['b', 9],
    ['a', 5],
    ['_rest', 3],
  ]);
  expect(topOf(new Map([...sums, ['e', null]]), 2)).toEqual([
    ['b', 9],
    ['a', 5],
  ]);
  expect(topOf(sums, 9)).toHaveLength(4);
  // what came together already
  expect(topOf(new Map([...sums, ['_rest', 50]]), 2).at(-1)).toEqual(['_rest', 53]);
});

test('a scraper that nobody here wrote takes both without a complaint', async () => {
  const { secret } = await make(maren);
  const folder = await mkdtemp(join(tmpdir(), 'moorage-scraper-'));
  const { host } = new URL(server.url);
  const port = 20_000 + Math.floor(Math.random() * 20_000);
  const job = (name: string, path: string, more = '') =>
    `  - job_name: ${name}\n    metrics_path: ${path}\n${more}    static_configs:\n      - targets: ['${host}']\n`;
  const config = `global:\n  scrape_interval: 1s\nscrape_configs:\n${job('own', '/metrics')}${job('use', '/api/metrics', `    authorization:\n      credentials: ${secret}\n`)}`;
  await writeFile(join(folder, 'config.yml'), config);
  const scraper = spawn(
    '/usr/bin/prometheus',
    [
      ...[`--config.file=${join(folder, 'config.yml')}`, `--storage.tsdb.path=${join(folder, 'data')}`],
      `--web.listen-address=127.0.0.1:${port}`,
    ],
    { stdio: 'ignore' },
  );
  try {
    const targets = await eventually('both are scraped', async () => {
      const answer = await fetch(`http://127.0.0.1:${port}/api/v1/targets`);
      const { data } = (await answer.json()) as {
        data: { activeTargets: { labels: { job: string }; health: string; lastError: string }[] };
      };
      const active = data.activeTargets.filter((t) => t.health !== 'unknown');
      return active.length === 2 ? active : undefined;
    });
    expect(targets.map((t) => [t.labels.job, t.health, t.lastError]).sort()).toEqual([
      ['own', 'up', ''],
      ['use', 'up', ''],
    ]);
    const sum = await eventually('what it took can be asked for', async () => {
      const query = encodeURIComponent('sum(moorage_namespace_provisioned_bytes)');
      const answer = await fetch(`http://127.0.0.1:${port}/api/v1/query?query=${query}`);
      const { data } = (await answer.json()) as { data: { result: { value: [number, string] }[] } };
      return data.result[0]?.value[1];
    });
    expect(Number(sum)).toBe(60 * 2 ** 30);
  } finally {
    scraper.kill('SIGKILL');
    await new Promise((resolve) => (scraper.exitCode === null ? scraper.once('exit', resolve) : resolve(undefined)));
    await rm(folder, { recursive: true, force: true });
  }
});
