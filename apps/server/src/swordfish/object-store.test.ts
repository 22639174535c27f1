import { kelpSeed } from '@moorage/standins/backend-seeds';
import { startBackend } from '@moorage/standins/start';
import { Metrics } from '../metrics/metrics';
import { MemoryObjects } from '../testing/memory-objects';
import { BackendHttp } from './http';
import type { ObjectStore } from './object-store';
import { SwordfishConnector } from './swordfish';

/** What is expected of whatever stands for the objects of a backend: over the wire, and in memory. */
interface Under {
  readonly objects: ObjectStore;
  /** Puts bytes where an application would. */
  put(name: string, key: string, bytes: number): void;
  /** What an account may do in a bucket. */
  mayWrite(name: string, account: string): boolean;
  secretOf(account: string): string | undefined;
  makeForeign(name: string): void;
  end(): Promise<void>;
}

async function overTheWire(): Promise<Under> {
  const seed = kelpSeed();
  const started = await startBackend(seed);
  const access = { name: seed.id, address: started.url, username: seed.user, password: seed.password };
  const http = new BackendHttp({ ...access, trust: { kind: 'system' } }, 5000, new Metrics());
  const connector = new SwordfishConnector(http);
  const { buckets, accounts } = started.backend;
  return {
    objects: connector.objects,
    put: (name, key, bytes) =>
      void buckets.put(name, key, { body: Buffer.alloc(bytes), type: 'text/plain', metadata: {} }),
    mayWrite: (name, account) => {
      const said = buckets.get(name).policy?.Statement.filter((s) => JSON.stringify(s.Principal).includes(account));
      return said?.some((s) => s.Action.includes('s3:PutObject')) ?? false;
    },
    secretOf: (account) => accounts.get(account)?.password,
    makeForeign: (name) => buckets.create(name, 'somebody', 'kelp-deep'),
    end: async () => {
      await connector.close();
      await started.stop();
    },
  };
}

function inMemory(): Promise<Under> {
  const objects = new MemoryObjects(() => 'answered');
  return Promise.resolve({
    objects,
    put: (name, key, bytes) => void objects.buckets.get(name)!.objects.set(key, bytes),
    mayWrite: (name, account) =>
      objects.buckets.get(name)!.admitted.some((a) => a.account === account && a.may === 'write'),
    secretOf: (account) => objects.accounts.get(account),
    makeForeign: (name) => void objects.foreign.add(name),
    end: () => Promise.resolve(),
  });
}

describe.each([
  ['over the wire', overTheWire],
  ['in memory', inMemory],
])('objects %s', (_name, make) => {
  let under: Under;
  let objects: ObjectStore;
  beforeAll(async () => {
    under = await make();
    objects = under.objects;
  });
  afterAll(() => under.end());

  test('are asked for at an endpoint', async () => {
    expect(await objects.fetchEndpoint()).toMatch(/^http:\/\//);
  });

  test('a bucket is there however often it is made, unless it is somebody else’s', async () => {
    await objects.ensureBucket('level-log', 'kelp-deep');
    await objects.ensureBucket('level-log', 'kelp-deep');
    expect(await objects.fetchObjects('level-log')).toEqual({ keys: [], bytes: 0 });
    under.makeForeign('not-ours');
    await expect(objects.ensureBucket('not-ours', 'kelp-deep')).rejects.toMatchObject({ code: 'exists' });
  });

  test('what lies in it is told page by page, deleted by name, and keeps it from going', async () => {
    const odd = ' a/b&<c> "d"+é ';
    under.put('level-log', odd, 7);
    for (let i = 0; i < 1200; i++) under.put('level-log', `day/${String(i).padStart(4, '0')}`, 3);
    const first = (await objects.fetchObjects('level-log'))!;
    expect(first.keys).toHaveLength(1000);
    expect(first.keys).toContain(odd);
    const second = (await objects.fetchObjects('level-log', first.next))!;
    expect([second.keys.length, second.next]).toEqual([201, undefined]);
    expect(first.bytes + second.bytes).toBe(7 + 3 * 1200);
    expect(await objects.ensureBucketGone('level-log')).toBe(false);
    await objects.deleteObjects('level-log', first.keys);
    await objects.deleteObjects('level-log', [...second.keys, 'never-there']);
    expect(await objects.fetchObjects('level-log')).toEqual({ keys: [], bytes: 0 });
  });

  test('accounts are let in and out, and kept from writing', async () => {
    await objects.ensureAccount('gauge-1', 'low-water');
    await objects.ensureAccount('gauge-1', 'high-water');
    expect(under.secretOf('gauge-1')).toBe('high-water');
    await objects.ensureAdmitted('level-log', [{ account: 'gauge-1', may: 'write' }]);
    expect(under.mayWrite('level-log', 'gauge-1')).toBe(true);
    await objects.ensureAdmitted('level-log', [{ account: 'gauge-1', may: 'shrink' }]);
    expect(under.mayWrite('level-log', 'gauge-1')).toBe(false);
    await objects.ensureAdmitted('level-log', []);
    await objects.ensureAdmitted('level-log', []);
    await objects.ensureAccountGone('gauge-1');
    await objects.ensureAccountGone('gauge-1');
    expect(under.secretOf('gauge-1')).toBeUndefined();
  });

  test('a bucket that is gone is gone, however often', async () => {
    expect(await objects.ensureBucketGone('level-log')).toBe(true);
    expect(await objects.ensureBucketGone('level-log')).toBe(true);
    expect(await objects.fetchObjects('level-log')).toBeUndefined();
    await expect(objects.deleteObjects('level-log', ['x'])).rejects.toMatchObject({ code: 'not-found' });
  });
});
