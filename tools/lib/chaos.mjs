/**
 * Two servers over one database, platform and backends, in processes of their own; claims are made and deleted while each of
 * these is killed in turn and started again. Afterwards all counts must agree. Seeded: the same seed kills the same things.
 */
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { isRoot } from './install.mjs';
import { freePort } from './ports.mjs';
import { startPostgres } from './postgres.mjs';
import { startProgram } from './program.mjs';
import { writeEstate } from './stand.mjs';

const backends = ['basalt', 'kelp'];
const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

/** A small generator of numbers, the same for the same seed (mulberry32). */
export function dice(seed) {
  let a = seed >>> 0;
  return () => {
    a = (a + 0x6d2b79f5) | 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

async function until(what, look, withinMs) {
  const end = Date.now() + withinMs;
  let last;
  for (;;) {
    try {
      last = await look();
      if (last === true) return;
    } catch (error) {
      last = error.message;
    }
    if (Date.now() > end)
      throw new Error(`${what} did not come about within ${withinMs / 1000} s: ${JSON.stringify(last)}`);
    await pause(100);
  }
}

/** Someone who goes on trying while things are down. */
class Client {
  cookie = '';
  constructor(address) {
    this.address = address;
  }
  async call(method, path, body) {
    const response = await fetch(this.address() + path, {
      method,
      headers: { Cookie: this.cookie, ...(body && { 'Content-Type': 'application/json' }) },
      body: body && JSON.stringify(body),
      signal: AbortSignal.timeout(15_000),
    });
    this.cookie = response.headers.getSetCookie()[0]?.split(';')[0] ?? this.cookie;
    const text = await response.text();
    return {
      status: response.status,
      data: text && /json/.test(response.headers.get('Content-Type') ?? '') ? JSON.parse(text) : text,
    };
  }
  async ok(method, path, body) {
    for (let i = 0; ; i++) {
      const answer = await this.call(method, path, body).catch((error) => ({ status: 0, data: error.message }));
      if (answer.status > 0 && answer.status < 400) return answer.data;
      if (answer.status === 401 && path !== '/api/session') await this.signIn();
      // made by an attempt whose answer was lost, or gone already
      else if (answer.data?.code === 'platform-exists' || (method === 'DELETE' && answer.status === 404))
        return undefined;
      else if (i > 150) throw new Error(`${method} ${path}: ${answer.status} ${JSON.stringify(answer.data)}`);
      await pause(200);
    }
  }
  signIn() {
    return this.ok('POST', '/api/session', { name: 'maren', password: 'lighthouse' });
  }
}

/** Runs the rounds; gives what was counted, and throws at the first thing that is not as it should be. */
export async function chaos({ seed = 1, rounds = 20, claims = 600, say = () => undefined } = {}) {
  const roll = dice(seed);
  const folder = mkdtempSync(join(isRoot ? '/var/tmp' : tmpdir(), 'moorage-chaos-'));
  chmodSync(folder, 0o755);
  const running = {};
  const kill = async (name) => {
    process.kill(running[name].pid, 'SIGKILL');
    await running[name].stop();
  };
  const ports = {};
  const standin = async (name) => {
    ports[name] ??= [await freePort(), await freePort()];
    const program = await startProgram('apps/standins/dist/main.mjs', [name, ...ports[name].map(String), folder], {
      name,
      until: / ready at /,
    });
    running[name] = {
      ...program,
      url: `http://127.0.0.1:${ports[name][0]}`,
      control: `http://127.0.0.1:${ports[name][1]}`,
    };
  };
  const postgresPort = await freePort();
  const startDatabase = async () => {
    // what was killed holds its memory for a moment longer
    let server;
    for (let i = 0; !server; i++)
      server = await startPostgres(folder, { port: postgresPort }).catch(async (error) => {
        if (i > 50) throw error;
        await pause(200);
      });
    running.postgres = { pid: server.pid, stop: server.stop, url: server.url };
  };
  const startServer = async (name) => {
    ports[name] ??= [await freePort()];
    running[name] = await startProgram('apps/server/dist/main.mjs', [], {
      name,
      until: /listening/,
      env: {
        ...writeEstate(folder, running, backends),
        MOORAGE_PORT: String(ports[name][0]),
        MOORAGE_DATABASE_URL: running.postgres.url,
        MOORAGE_LOG_LEVEL: 'info',
        MOORAGE_BACKEND_SYNC_MS: '1000',
      },
    });
  };
  const restart = {
    postgres: startDatabase,
    platform: () => standin('platform'),
    ...Object.fromEntries(backends.map((b) => [b, () => standin(b)])),
    'server-1': () => startServer('server-1'),
    'server-2': () => startServer('server-2'),
  };
  const { default: pg } = await import('pg');
  const rows = async (sql) => {
    const client = new pg.Client({ connectionString: running.postgres.url });
    client.on('error', () => undefined);
    await client.connect();
    try {
      return (await client.query(sql)).rows;
    } finally {
      await client.end().catch(() => undefined);
    }
  };
  try {
    await startDatabase();
    await Promise.all(['platform', ...backends].map(standin));
    await startServer('server-1');
    await startServer('server-2');
    let turn = 0;
    const client = new Client(() => `http://127.0.0.1:${ports[`server-${(turn++ % 2) + 1}`][0]}`);
    await client.signIn();
    await until(
      'the pools',
      async () => (await client.ok('GET', '/api/backends')).flatMap((b) => b.pools).length === 4,
      60_000,
    );
    await client.ok('POST', '/api/classes', { name: 'storm', copies: 1 });
    await client.ok('POST', '/api/classes', { name: 'twofold', copies: 2 });
    for (const pool of ['basalt-broad', 'basalt-swift'])
      await client.ok('PUT', `/api/moorings/storm/${pool}`, { enabled: true });
    await client.ok('PUT', '/api/moorings/twofold/kelp-nvme', { enabled: true });
    const living = new Set();
    const victims = Object.keys(restart);
    let made = 0;
    let slowest = 0;
    for (let round = 1; round <= rounds; round++) {
      const victim = victims[(round - 1 + Math.floor(roll() * 2)) % victims.length];
      const order = Array.from({ length: Math.round(claims / rounds) }, () => `c-${made++}`);
      const gone = [...living].filter(() => roll() < 0.6);
      const killAt = Math.floor(roll() * order.length);
      let downed;
      const strike = async () => {
        await kill(victim);
        await pause(200 + roll() * 1500);
        await restart[victim]();
      };
      const work = (async () => {
        for (const [i, name] of order.entries()) {
          if (i === killAt) void (downed ??= strike());
          const className = roll() < 0.3 ? 'twofold' : 'storm';
          await client.ok('POST', '/api/claims', {
            namespace: 'wave-model',
            name,
            className,
            size: '1Gi',
            modes: ['ReadWriteOnce'],
            volumeMode: 'Filesystem',
          });
          living.add(name);
          const leaver = gone[i];
          if (leaver) {
            await client.ok('DELETE', `/api/claims/wave-model/${leaver}?confirm=${leaver}`);
            living.delete(leaver);
          }
        }
      })();
      await work;
      await downed;
      const back = Date.now();
      await until(
        `round ${round} (${victim}): every claim bound, nothing under way`,
        async () => {
          const states = await rows(
            `SELECT state, count(*)::int AS n FROM operations WHERE ended_at IS NULL GROUP BY 1`,
          );
          const claimed = await rows(
            `SELECT count(*)::int AS n, count(*) FILTER (WHERE phase = 'Bound')::int AS bound FROM platform_objects WHERE plural = 'persistentvolumeclaims'`,
          );
          const { n, bound } = claimed[0];
          return states.length === 0 && n === living.size && bound === living.size
            ? true
            : { states, n, bound, wanted: living.size };
        },
        30_000,
      );
      slowest = Math.max(slowest, Date.now() - back);
      say(
        `round ${round}: ${victim} killed; ${living.size} claims, all as they should be after ${((Date.now() - back) / 1000).toFixed(1)} s`,
      );
    }
    return { ...(await count(running, rows, living)), rounds, made, slowestMs: slowest };
  } finally {
    for (const name of ['server-1', 'server-2', 'platform', ...backends, 'postgres'])
      await running[name]?.stop?.().catch(() => undefined);
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Volumes on the backends, persistent volumes, reservations and bound claims must be the same ones. */
async function count(running, rows, living) {
  const platform = async (path) => (await (await fetch(`${running.platform.url}${path}`)).json()).items;
  const claims = await platform('/api/v1/persistentvolumeclaims');
  const volumes = await platform('/api/v1/persistentvolumes');
  const onBackends = [];
  for (const name of backends) {
    const { url } = running[name];
    const password = { basalt: 'harbour-wall', kelp: 'holdfast' }[name];
    const Authorization = `Basic ${Buffer.from(`moorage:${password}`).toString('base64')}`;
    const { Members } = await (
      await fetch(`${url}/redfish/v1/Storage/${name}/Volumes?$expand=.`, { headers: { Authorization } })
    ).json();
    onBackends.push(...Members.filter((v) => v.Name.startsWith('pvc-')).map((v) => v.Name));
  }
  const reservations = (await rows('SELECT volume_name FROM reservations')).map((r) => r.volume_name);
  const mirrored = (
    await rows(`SELECT uid, version FROM platform_objects WHERE plural = 'persistentvolumeclaims'`)
  ).map((r) => `${r.uid} ${r.version}`);
  const names = {
    claims: claims.map((c) => `pvc-${c.metadata.uid}`),
    volumes: volumes.map((v) => v.metadata.name),
    backends: onBackends,
    reservations,
  };
  const wanted = JSON.stringify([...names.claims].sort());
  for (const [what, list] of Object.entries(names))
    if (JSON.stringify([...list].sort()) !== wanted)
      throw new Error(`the ${what} (${list.length}) are not those of the claims (${names.claims.length})`);
  if (names.claims.length !== living.size)
    throw new Error(`${names.claims.length} claims where ${living.size} should be`);
  const listed = claims.map((c) => `${c.metadata.uid} ${c.metadata.resourceVersion}`);
  const missed = listed.filter((c) => !mirrored.includes(c)).length;
  if (missed > 0) throw new Error(`the mirror missed ${missed} changes`);
  return { claims: names.claims.length };
}
