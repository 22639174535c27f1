import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import pg from 'pg';
import pino from 'pino';
import { basaltSeed, kelpSeed } from '@moorage/standins/backend-seeds';
import { platformSeed } from '@moorage/standins/seeds';
import { atOnce, type Pace } from '@moorage/standins/platform/pace';
import { dataPathWithin, startBackend, startPlatform } from '@moorage/standins/start';
import type { BackendSeed } from '@moorage/standins/backend/seed';
import type { ClaimDetail, ClaimRow } from '@moorage/contract/claims';
import type { Config } from '../config';
import { Database } from '../database/database';
import { Metrics } from '../metrics/metrics';
import { Recounter } from '../mirror/recount';
import { breachOf } from './contract-check';
import { makeDatabase, preparedDatabase } from './databases';
import { startServer, type RunningServer, type Watching } from '../server';

/** Waits for a state, never for a time; fails with what was last seen. */
export async function eventually<T>(
  what: string,
  look: () => Promise<T | undefined | false | null>,
  withinMs = 90_000,
): Promise<T> {
  const deadline = Date.now() + withinMs;
  let last: unknown;
  // soon at first, then less often: who looks forty times a second takes the processor from what is waited for
  for (let pauseMs = 20; ; pauseMs = Math.min(pauseMs * 1.4, 160)) {
    try {
      const seen = await look();
      if (seen) return seen;
      last = seen;
    } catch (error) {
      last = error;
    }
    if (Date.now() > deadline)
      throw new Error(
        `${what} did not come about; last seen: ${last instanceof Error ? last.stack : JSON.stringify(last)}`,
      );
    await new Promise((resolve) => setTimeout(resolve, pauseMs));
  }
}

/** Someone signed in at a server, calling its API. */
export class Caller {
  private cookie = '';

  /** What a browser would send along. */
  get cookieText(): string {
    return this.cookie;
  }

  constructor(private readonly url: string) {}

  get address(): string {
    return this.url;
  }

  async call<T = unknown>(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<{ status: number; data: T; headers: Headers }> {
    const response = await fetch(this.url + path, {
      method,
      headers: { Cookie: this.cookie, ...(body !== undefined && { 'Content-Type': 'application/json' }), ...headers },
      body: body === undefined ? undefined : typeof body === 'string' ? body : JSON.stringify(body),
    });
    const set = response.headers.getSetCookie()[0];
    if (set) this.cookie = set.split(';')[0]!;
    const text = await response.text();
    const data = (text && /json/.test(response.headers.get('Content-Type') ?? '') ? JSON.parse(text) : text) as T;
    const breach = breachOf(method, path, response.status, data);
    if (breach) throw new Error(breach);
    return {
      status: response.status,
      data,
      headers: response.headers,
    };
  }

  /** The answer's data; anything but success fails the test with the problem. */
  async ok<T = unknown>(method: string, path: string, body?: unknown, headers?: Record<string, string>): Promise<T> {
    const { status, data } = await this.call<T>(method, path, body, headers);
    if (status >= 400) throw new Error(`${method} ${path} answered ${status}: ${JSON.stringify(data)}`);
    return data;
  }

  async signIn(name = 'maren'): Promise<this> {
    await this.ok('POST', '/api/session', { name, password: 'lighthouse' });
    return this;
  }

  claim = (name: string, namespace = 'tide-gauges'): Promise<ClaimDetail> =>
    this.ok<ClaimDetail>('GET', `/api/claims/${namespace}/${name}`);

  /** Waits until a claim is in a state. */
  inState = (name: string, state: ClaimRow['state'], namespace = 'tide-gauges'): Promise<ClaimDetail> =>
    eventually(`${name} ${state}`, async () => {
      const detail = await this.claim(name, namespace);
      return detail.claim.state === state
        ? detail
        : Promise.reject(new Error(`it is ${detail.claim.state}: ${JSON.stringify(detail.claim.reason)}`));
    });
}

/** What triggers keep is what recounting gives, whatever a test did. */
async function nothingIsOff(url: string): Promise<void> {
  const database = new Database(url);
  try {
    const off = await new Recounter(database, new Metrics(), pino({ level: 'silent' })).all();
    if (off.length > 0) throw new Error(`What is kept is off: ${off.join(', ')}`);
  } finally {
    await database.close();
  }
}

/** Waits until every expectation in it holds. */
export const eventuallyHolds = (what: string, expectations: () => Promise<void>): Promise<boolean> =>
  eventually(what, async () => {
    await expectations();
    return true;
  });

export const aClass = (name: string, part: object = {}) => ({ name, copies: 3, ...part });

export const aClaim = (name: string, className: string | undefined, part: object = {}) => ({
  namespace: 'tide-gauges',
  name,
  className,
  size: '80Gi',
  modes: ['ReadWriteOnce'],
  volumeMode: 'Filesystem',
  ...part,
});

const people = [
  { name: 'maren', title: 'Maren', role: 'operator' as const, password: 'lighthouse', namespaces: [] },
  { name: 'tom', title: 'Tom', role: 'storage-engineer' as const, password: 'lighthouse', namespaces: [] },
  { name: 'ivo', title: 'Ivo', role: 'namespace-owner' as const, password: 'lighthouse', namespaces: ['ferry-desk'] },
  { name: 'guest', title: 'Guest', role: 'viewer' as const, password: 'lighthouse', namespaces: [] },
];

export interface WorldOptions {
  /** Those of `more` that the estate names from the start. */
  readonly estate?: readonly string[];
  /** Further backends that run and are not registered. */
  readonly more?: readonly (() => BackendSeed)[];
  readonly basalt?: (seed: BackendSeed) => BackendSeed;
  readonly kelp?: (seed: BackendSeed) => BackendSeed;
  readonly backendTimeoutMs?: number;
  /** How long things take on the platform; nothing, when left out. */
  readonly pace?: Pace;
  /** Pods read and write what their volumes hold. */
  readonly writes?: boolean;
}

const quick = (seed: BackendSeed): BackendSeed => ({ ...seed, createMs: 5 });

/** Stand-ins and a database of their own, and servers over them: started, killed and started again as the test wants. */
export async function makeWorld(options: WorldOptions = {}) {
  const database = await makeDatabase(await preparedDatabase(people));
  const platform = await startPlatform(platformSeed, {}, options.pace ?? atOnce);
  const basalt = await startBackend((options.basalt ?? quick)(basaltSeed()));
  const kelp = await startBackend((options.kelp ?? quick)(kelpSeed()));
  const more = await Promise.all(
    (options.more ?? []).map((seed) => startBackend({ ...quick(seed()), resyncRate: 20 * 2 ** 30 })),
  );
  if (options.writes)
    for (const { backend } of [basalt, kelp, ...more]) platform.dataPaths.set(backend.seed.id, dataPathWithin(backend));
  const key = randomBytes(32);
  const config: Config = {
    port: 0,
    databaseUrl: database.url,
    databaseFree: () => Promise.resolve(null),
    estate: {
      site: 'quayside',
      platform: { server: platform.url },
      backends: [
        { id: 'basalt', title: 'Basalt', address: basalt.url, username: 'moorage', password: 'harbour-wall' },
        { id: 'kelp', title: 'Kelp', address: kelp.url, username: 'moorage', password: 'holdfast' },
      ],
      people,
    },
    key,
    sessionSecret: 'test',
    programs: join(__dirname, '../../dist'),
    hosts: [],
    behindTls: false,
    currency: 'EUR',
    demo: false,
    logLevel: process.env.MOORAGE_TEST_LOG ?? 'silent',
    backendTimeoutMs: options.backendTimeoutMs ?? 2000,
    // often enough to be waited for; a world that looks three times a second costs a third of a processor while nothing happens
    backendSyncMs: 800,
    sweepMs: 800,
    findMs: 800,
    measureS: 1,
  };
  for (const { backend, url } of more)
    if (options.estate?.includes(backend.seed.id)) {
      const { id, title, user, password } = backend.seed;
      config.estate.backends.push({ id, title, address: url, username: user, password });
    }
  const servers: RunningServer[] = [];
  const client = new pg.Client({ connectionString: database.url });
  await client.connect();
  return {
    platform,
    basalt,
    kelp,
    more,
    config,
    /** Rows straight from the database, past the server. */
    rows: async <T extends object>(sql: string, values: unknown[] = []): Promise<T[]> =>
      (await client.query<T>(sql, values)).rows,
    start: async (watching?: Watching, change: Partial<Config> = {}): Promise<RunningServer> => {
      const server = await startServer({ ...config, ...change }, watching);
      servers.push(server);
      await server.ready;
      return server;
    },
    stop: async (server: RunningServer): Promise<void> => {
      servers.splice(servers.indexOf(server), 1);
      await server.stop();
    },
    /** An operator at a server that knows all pools and namespaces. */
    operator: async (server: RunningServer): Promise<Caller> => {
      const caller = await new Caller(server.url).signIn();
      await eventually(
        'all pools',
        async () =>
          (await caller.ok<{ pools: unknown[] }[]>('GET', '/api/backends')).flatMap((b) => b.pools).length === 4,
      );
      await eventually(
        'the namespaces',
        async () => (await caller.ok<unknown[]>('GET', '/api/namespaces')).length >= 4,
      );
      return caller;
    },
    end: async () => {
      for (const server of servers) await server.stop();
      await nothingIsOff(database.url);
      await client.end();
      await Promise.all([platform, basalt, kelp, ...more].map((s) => s.stop()));
      await database.drop();
    },
  };
}
export type World = Awaited<ReturnType<typeof makeWorld>>;

/** Makes a class moored to pools, in order. */
export async function moorClass(
  caller: Caller,
  name: string,
  pools: readonly string[],
  part: object = {},
): Promise<void> {
  await caller.ok('POST', '/api/classes', aClass(name, part));
  for (const pool of pools) await caller.ok('PUT', `/api/moorings/${name}/${pool}`, { enabled: true });
}
