import pg from 'pg';
import pino from 'pino';
import { Database } from '../database/database';
import { migrate } from '../database/migrations';
import { makeDatabase } from '../testing/databases';
import { eventually } from '../testing/world';
import {
  PlatformProblem,
  type PlatformConnector,
  type PlatformEvent,
  type PlatformObject,
  type PlatformPage,
  type Plural,
} from '../platform/connector';
import { Mirror, noteChanged, noteMade } from './mirror';

/** A platform whose list, versions and watch are as the test says. */
class FakePlatform implements PlatformConnector {
  items: PlatformObject[] = [];
  version = '900';
  lists = 0;
  send?: (event: PlatformEvent) => void;
  private end?: (error: PlatformProblem) => void;

  /** Of how many objects a page is, and what happens between two. */
  pageOf = 500;
  between: () => Promise<void> = () => Promise.resolve();

  async *pages(plural: Plural): AsyncGenerator<PlatformPage> {
    if (plural !== 'namespaces') {
      yield { items: [], version: '1' };
      return;
    }
    this.lists += 1;
    const { items, version } = this;
    for (let i = 0; i < Math.max(1, items.length); i += this.pageOf) {
      if (i > 0) await this.between();
      yield { items: items.slice(i, i + this.pageOf), version };
    }
  }

  watch(plural: Plural, _version: string, onEvent: (event: PlatformEvent) => void, signal: AbortSignal): Promise<void> {
    return new Promise((resolve, reject) => {
      signal.addEventListener('abort', () => resolve());
      if (plural !== 'namespaces') return;
      this.send = onEvent;
      this.end = reject;
    });
  }

  /** Breaks the watch, once one has begun: a list is shown before its watch begins. */
  async drop(error: PlatformProblem): Promise<void> {
    await eventually('it watches', () => Promise.resolve(this.send));
    this.send = undefined;
    this.end!(error);
  }

  create = () => Promise.reject(new Error('not asked for'));
  find = () => Promise.resolve(undefined);
  sayingsOf = () => Promise.resolve([]);
  evict = () => Promise.reject(new Error('not asked for'));
  fetchTime = () => Promise.resolve(new Date());
  mergePatch = () => Promise.reject(new Error('not asked for'));
  patchClaimStatus = () => Promise.reject(new Error('not asked for'));
  patchBucketStatus = () => Promise.reject(new Error('not asked for'));
  ensureDeleted = () => Promise.resolve();
}

const namespace = (uid: string, version: string, team: string): PlatformObject => ({
  metadata: {
    name: `ns-${uid}`,
    uid,
    resourceVersion: version,
    labels: { team },
    creationTimestamp: '2026-11-26T00:00:00Z',
  },
});

let made: Awaited<ReturnType<typeof makeDatabase>>;
let database: Database;
let platform: FakePlatform;
let mirror: Mirror;
const heard: { changed: string[]; gone: string[] }[] = [];

beforeEach(async () => {
  made = await makeDatabase();
  database = new Database(made.url);
  await migrate(database, Buffer.alloc(32));
  platform = new FakePlatform();
  heard.length = 0;
  mirror = new Mirror(
    database,
    platform,
    {
      namespaces: (changed, gone) => {
        heard.push({ changed: changed.map((o) => o.metadata.uid!), gone: gone.map((o) => o.metadata.uid!) });
        return Promise.resolve();
      },
    },
    () => undefined,
    pino({ level: 'silent' }),
  );
});
afterEach(async () => {
  await mirror.stop();
  await database.close();
  await made.drop();
});

const teams = async () =>
  Object.fromEntries(
    (
      await database.rows<{ uid: string; team: string }>(
        `SELECT uid, body #>> '{metadata,labels,team}' AS team FROM platform_objects WHERE plural = 'namespaces' ORDER BY uid`,
      )
    ).map((r) => [r.uid, r.team]),
  );
const showing = (what: Record<string, string>) =>
  eventually(
    `the mirror shows ${JSON.stringify(what)}`,
    async () => JSON.stringify(await teams()) === JSON.stringify(what),
  );

test('a platform brought back from a copy is followed, whatever its versions', async () => {
  platform.items = [namespace('a', '850', 'new'), namespace('b', '890', 'new')];
  mirror.start();
  await showing({ a: 'new', b: 'new' });
  // restored: a is as it was long ago, b is not there yet, and c has a version that b had once
  platform.items = [namespace('a', '120', 'old'), namespace('c', '890', 'old')];
  platform.version = '130';
  await platform.drop(new PlatformProblem('gone', 'too old'));
  await showing({ a: 'old', c: 'old' });
  await eventually('what is gone was heard', () => Promise.resolve(heard.length >= 3));
  expect(heard.slice(-2)).toEqual([
    { changed: ['a', 'c'], gone: [] },
    { changed: [], gone: ['b'] },
  ]);
  // and goes on from there, with versions far below those seen before
  await eventually('it watches again', () => Promise.resolve(platform.send));
  platform.send!({ type: 'MODIFIED', object: namespace('a', '131', 'newest') });
  await showing({ a: 'newest', c: 'old' });
});

test('the same version with other contents is another object: the list is believed', async () => {
  platform.items = [namespace('a', '7', 'before')];
  mirror.start();
  await showing({ a: 'before' });
  platform.items = [namespace('a', '7', 'after')];
  await platform.drop(new PlatformProblem('unreachable', 'reset'));
  await showing({ a: 'after' });
});

test('a list that says the same again wakes nobody', async () => {
  platform.items = [namespace('a', '7', 'x')];
  mirror.start();
  await showing({ a: 'x' });
  const lists = platform.lists;
  await platform.drop(new PlatformProblem('gone', 'too old'));
  await eventually('it listed again', () => Promise.resolve(platform.lists > lists));
  await eventually('and watches again', () => Promise.resolve(platform.send));
  expect(heard).toEqual([{ changed: ['a'], gone: [] }]);
});

test('a list is taken page by page; what came while it was read is not thought to be gone, and what is gone is', async () => {
  platform.items = [...'abcde'].map((uid) => namespace(uid, '1', 'x'));
  mirror.start();
  await showing({ a: 'x', b: 'x', c: 'x', d: 'x', e: 'x' });
  platform.pageOf = 2;
  platform.items = [...'abcdf'].map((uid) => namespace(uid, uid === 'd' ? '2' : '1', uid === 'd' ? 'y' : 'x'));
  let isFirst = true;
  platform.between = async () => {
    // what a server made itself while the list was read
    if (isFirst) await noteMade(database, 'namespaces', namespace('new', '3', 'made'));
    isFirst = false;
  };
  await platform.drop(new PlatformProblem('gone', 'too old'));
  await showing({ a: 'x', b: 'x', c: 'x', d: 'y', f: 'x', new: 'made' });
  expect(heard.slice(1)).toEqual([
    { changed: ['d'], gone: [] },
    { changed: ['f'], gone: [] },
    { changed: [], gone: ['e'] },
  ]);
});

test('a list that breaks off forgets nothing, and is begun anew', async () => {
  platform.items = [...'abc'].map((uid) => namespace(uid, '1', 'x'));
  mirror.start();
  await showing({ a: 'x', b: 'x', c: 'x' });
  platform.pageOf = 1;
  platform.items = [...'abd'].map((uid) => namespace(uid, '2', 'y'));
  let breaks = 2;
  platform.between = async () => {
    expect(Object.keys(await teams())).toContain('c');
    if (breaks-- > 0) throw new PlatformProblem('gone', 'the list took too long');
  };
  await platform.drop(new PlatformProblem('gone', 'too old'));
  await showing({ a: 'y', b: 'y', d: 'y' });
  expect(breaks).toBeLessThan(0);
});

test('ends when told in the middle of taking a list', async () => {
  platform.items = [namespace('a', '7', 'x')];
  mirror.start();
  await eventually('it lists', () => Promise.resolve(platform.lists > 0));
  await mirror.stop();
  expect(platform.send).toBeUndefined();
});

test('what we made or changed ourselves never goes over what the platform told since', async () => {
  await noteMade(database, 'namespaces', namespace('a', '5', 'made'));
  expect(await teams()).toEqual({ a: 'made' });
  await noteMade(database, 'namespaces', namespace('a', '4', 'late answer'));
  expect(await teams()).toEqual({ a: 'made' });
  await noteChanged(database, 'namespaces', namespace('a', '6', 'changed'), '5');
  expect(await teams()).toEqual({ a: 'changed' });
  await noteChanged(database, 'namespaces', namespace('a', '5', 'late answer'), '5');
  expect(await teams()).toEqual({ a: 'changed' });
});

describe('what it tells of', () => {
  let listener: pg.Client;
  const told: string[] = [];
  beforeEach(async () => {
    told.length = 0;
    listener = new pg.Client({ connectionString: made.url });
    listener.on('notification', ({ payload }) => told.push((JSON.parse(payload ?? '') as { topic: string }).topic));
    await listener.connect();
    await listener.query('LISTEN moorage_live');
    platform.version = '10';
    mirror.start();
    await eventually('it watches', () => Promise.resolve(platform.send));
  });
  afterEach(() => listener.end());
  const reached = (version: string) =>
    eventually(`version ${version} is noted`, async () => {
      const row = await database.one<{ version: string }>(
        `SELECT version FROM mirror_state WHERE plural = 'namespaces'`,
      );
      return row?.version === version;
    });

  test('an event that brings nothing new is noted, heard, and told to nobody', async () => {
    await noteMade(database, 'namespaces', namespace('a', '11', 'made'));
    platform.send!({ type: 'ADDED', object: namespace('a', '11', 'made') });
    await reached('11');
    expect(heard.at(-1)).toEqual({ changed: ['a'], gone: [] });
    platform.send!({ type: 'MODIFIED', object: namespace('a', '12', 'changed') });
    await reached('12');
    await eventually('news is told', () => Promise.resolve(told.length > 0));
    expect(told).toEqual(['namespaces']);
  });

  test('what went away is told, and what was never here is not', async () => {
    platform.send!({ type: 'DELETED', object: namespace('unknown', '11', 'x') });
    await reached('11');
    platform.send!({ type: 'ADDED', object: namespace('a', '12', 'x') });
    await reached('12');
    platform.send!({ type: 'DELETED', object: namespace('a', '13', 'x') });
    await reached('13');
    await eventually('both are told', () => Promise.resolve(told.length >= 2));
    expect(told).toEqual(['namespaces', 'namespaces']);
    expect(await teams()).toEqual({});
  });

  test('a burst of events is taken page by page, the last word on each object counts, and all of them are heard', async () => {
    const count = 1200;
    for (let i = 0; i < count; i++)
      platform.send!({ type: 'ADDED', object: namespace(`n${i}`, String(11 + 2 * i), 'first') });
    for (let i = 0; i < count; i += 2)
      platform.send!({ type: 'MODIFIED', object: namespace(`n${i}`, String(3000 + i), 'second') });
    platform.send!({ type: 'DELETED', object: namespace('n1', '9000', 'first') });
    await reached('9000');
    const known = await teams();
    expect(Object.keys(known)).toHaveLength(count - 1);
    expect([known.n0, known.n1, known.n2, known.n3]).toEqual(['second', undefined, 'second', 'first']);
    expect(new Set(heard.flatMap((h) => h.changed)).size).toBe(count);
    expect(heard.flatMap((h) => h.gone)).toEqual(['n1']);
    // in pages, not one by one
    expect(heard.length).toBeLessThan(12);
  });

  test('what cannot be written is not passed over: all is listed again', async () => {
    await database.rows(`ALTER TABLE platform_objects ADD CONSTRAINT no_bad CHECK (name <> 'ns-bad')`);
    platform.items = [namespace('a', '11', 'x')];
    const lists = platform.lists;
    platform.send!({ type: 'ADDED', object: namespace('bad', '11', 'x') });
    await eventually('it lists again', () => Promise.resolve(platform.lists > lists));
    await showing({ a: 'x' });
    expect(await teams()).toEqual({ a: 'x' });
  });
});
