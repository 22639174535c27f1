/** How a server answers over a large made-up site, in an empty database: `node site-harness.mjs URL CLAIMS NAMESPACES CLASSES POOLS`. Prints JSON. */
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import pg from 'pg';
import pino from 'pino';
import { findWaiting, Forgotten } from '../binder/sweep';
import { Database } from '../database/database';
import { migrate } from '../database/migrations';
import { compareSome } from '../drift/compare';
import { detectFindings } from '../findings/detect';
import { storeFindings } from '../findings/findings';
import { Metrics } from '../metrics/metrics';
import { Recounter } from '../mirror/recount';
import { livePools } from '../pools/pools';
import { startServer } from '../server';
import { keepDays } from '../usage/use';
import { fillSite } from './filling';

const [url = '', ...sizes] = process.argv.slice(2);
const [claims = 300_000, namespaces = 2000, classes = 60, pools = 200] = sizes.map(Number);
const site = 'quayside';
const rounds = 30;

async function timed(work: () => Promise<unknown>): Promise<number> {
  const began = performance.now();
  await work();
  return performance.now() - began;
}
const percentile = (all: readonly number[], share: number): number =>
  all.toSorted((a, b) => a - b)[Math.min(all.length - 1, Math.floor(all.length * share))]!;

const database = new Database(url);
const byHand = new pg.Client({ connectionString: url });
await migrate(database, Buffer.alloc(32));
await byHand.connect();
const fillMs = await timed(() => fillSite(byHand, { claims, namespaces, classes, pools, seed: 1 }));
await keepDays(database);
// nothing outside is there: this server never becomes the one that watches it
await byHand.query('SELECT pg_advisory_lock(4412, 1)');
const server = await startServer({
  ...{ port: 0, databaseUrl: url, databaseFree: () => Promise.resolve(null), key: Buffer.alloc(32) },
  ...{ sessionSecret: 'bench', programs: mkdtempSync(`${tmpdir()}/moorage-bench-`), hosts: [], behindTls: false },
  ...{ currency: 'EUR', demo: false, logLevel: 'silent' },
  ...{ backendTimeoutMs: 2000, backendSyncMs: 1e8, sweepMs: 1e8, findMs: 1e8, measureS: 1e6 },
  estate: {
    site,
    platform: { server: 'http://127.0.0.1:9' },
    backends: [],
    people: [{ name: 'maren', title: 'Maren', role: 'operator', password: 'lighthouse', namespaces: [] }],
  },
});
await server.ready;
let cookie = '';
async function ask<T>(path: string, body?: object): Promise<T> {
  const answer = await fetch(server.url + path, {
    headers: { cookie, 'Content-Type': 'application/json' },
    ...(body && { method: 'POST', body: JSON.stringify(body) }),
  });
  cookie = answer.headers.getSetCookie()[0]?.split(';')[0] ?? cookie;
  const text = await answer.text();
  if (!answer.ok) throw new Error(`${path} answered ${answer.status}: ${text}`);
  return (text === '' ? null : JSON.parse(text)) as T;
}
await ask('/api/session', { name: 'maren', password: 'lighthouse' });
await storeFindings(database, await detectFindings(database, site, []));

const one = (
  await byHand.query<{ namespace: string; claim_name: string; volume_id: string; created_at: Date }>(
    `SELECT namespace, claim_name, volume_id, created_at FROM reservations WHERE state = 'bound' ORDER BY claim_uid OFFSET ${Math.floor(claims / 3)} LIMIT 1`,
  )
).rows[0]!;
/** As if a page far from the first had ended there. */
const deep = Buffer.from(
  JSON.stringify({
    sort: 'created',
    value: `${one.created_at.toISOString().slice(0, 19).replace('T', ' ')}.000000+00`,
    uid: 'm',
  }),
).toString('base64url');

const shown = `SELECT o.uid, o.namespace, o.name, o.class_name, o.size_bytes, o.phase, o.created_at, o.body, r.bytes, r.pool_id, r.volume_name,
   r.volume_id, v.consumed, d.trace FROM platform_objects o LEFT JOIN reservations r ON r.claim_uid = o.uid LEFT JOIN pools p ON p.id = r.pool_id
   LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
   LEFT JOIN operations op ON op.holds = 'bind' AND op.subject = o.uid LEFT JOIN decisions d ON d.id = op.decision_id
   WHERE o.plural = 'persistentvolumeclaims'`;
const counted = `SELECT count(*) FILTER (WHERE phase = 'Bound'), count(*) FROM platform_objects o WHERE plural = 'persistentvolumeclaims'`;
const page = (where: string, order: string) => [`${shown} ${where} ORDER BY ${order} LIMIT 101`, `${counted} ${where}`];
const ways: [name: string, path: string, byHand: string[]][] = [
  ['claims, first page', '/api/claims?limit=100', page('', 'o.created_at DESC, o.uid DESC')],
  [
    'claims of a namespace',
    '/api/claims?limit=100&namespace=team-0007',
    page(`AND o.namespace = 'team-0007'`, 'o.created_at DESC'),
  ],
  [
    'claims that are not bound',
    '/api/claims?limit=100&state=unbound',
    page(`AND o.phase <> 'Bound'`, 'o.created_at DESC'),
  ],
  [
    'claims, a page deep in',
    `/api/claims?limit=100&cursor=${deep}`,
    page(`AND o.created_at < '${one.created_at.toISOString()}'`, 'o.created_at DESC'),
  ],
  ...(['name', 'namespace', 'class_name', 'size_bytes'] as const).map((column): (typeof ways)[number] => {
    const sort = { name: 'name', namespace: 'namespace', class_name: 'class', size_bytes: 'size' }[column];
    return [
      `claims by ${sort}`,
      `/api/claims?limit=100&sort=${sort}&direction=desc`,
      page('', `o.${column} DESC, o.uid DESC`),
    ];
  }),
  ['claims by state', '/api/claims?limit=100&sort=state&direction=desc', page('', 'o.phase DESC, o.uid DESC')],
  [
    'a claim by its backend identifier',
    `/api/claims?limit=100&q=${one.volume_id}`,
    [`${shown} AND o.uid IN (SELECT claim_uid FROM reservations WHERE volume_id = '${one.volume_id}')`],
  ],
  [
    'what nothing matches',
    '/api/claims?limit=100&q=nothing-has-this',
    [`${shown} AND o.name || ' ' || o.namespace ILIKE '%nothing-has-this%'`],
  ],
  [
    'the Line',
    `/api/line?claim=${one.volume_id}`,
    [`${shown} AND o.uid = (SELECT claim_uid FROM reservations WHERE volume_id = '${one.volume_id}')`],
  ],
  [
    'everything by an identifier',
    `/api/lookup?q=${one.volume_id}`,
    [`SELECT * FROM reservations WHERE volume_id ILIKE '%${one.volume_id}%'`],
  ],
  [
    'backends and pools',
    '/api/backends',
    ['SELECT p.*, count(r.*), sum(r.bytes) FROM pools p LEFT JOIN reservations r ON r.pool_id = p.id GROUP BY p.id'],
  ],
  ['moorings', '/api/moorings', ['SELECT * FROM moorings']],
  ['findings', '/api/findings', ['SELECT * FROM findings']],
  [
    'namespaces',
    '/api/namespaces',
    ['SELECT namespace, class_name, count(*), sum(bytes), sum(raw_bytes) FROM reservations GROUP BY 1, 2'],
  ],
  [
    'placement state',
    '/api/placement',
    [
      'SELECT namespace, class_name, sum(bytes) FROM reservations GROUP BY 1, 2',
      'SELECT class_name, pool_id, bytes, count(*) FROM reservations GROUP BY 1, 2, 3',
    ],
  ],
];

const asked: { name: string; ours: number; byHand: number; bytes: number }[] = [];
for (const [name, path, texts] of ways) {
  const [own, hand]: [number[], number[]] = [[], []];
  for (let i = -3; i < rounds; i++) {
    const mine = await timed(() => ask(path));
    const theirs = await timed(async () => {
      for (const text of texts) await byHand.query(text);
    });
    if (i < 0) continue;
    own.push(mine);
    hand.push(theirs);
  }
  const bytes = JSON.stringify(await ask(path)).length;
  asked.push({ name, ours: percentile(own, 0.99), byHand: percentile(hand, 0.99), bytes });
}

const recounter = new Recounter(database, new Metrics(), pino({ level: 'silent' }));
const moored = Array.from({ length: 10 }, (_, k) => `reef-0${1 + Math.floor(k / 10)}-${'abcdefghij'[k % 10]}`);
const sweeps: { name: string; ms: number }[] = [];
for (const [name, work] of [
  ['ten pools as a decision reads them', () => livePools(database, moored)],
  ['findings', () => detectFindings(database, site, [])],
  ['claims that were forgotten', () => new Forgotten(database).find()],
  ['some claims that wait', () => findWaiting(database, 200, undefined)],
  ['declared and actual, a turn', () => compareSome(database)],
  ['recounting, a turn', () => recounter.some()],
] as const) {
  const times: number[] = [];
  for (let i = 0; i < 5; i++) times.push(await timed(work));
  sweeps.push({ name, ms: percentile(times, 0.5) });
}
const off = await recounter.all();
console.log(JSON.stringify({ claims, namespaces, classes, pools, fillMs, asked, sweeps, off: off.length }));
process.exit(0);
