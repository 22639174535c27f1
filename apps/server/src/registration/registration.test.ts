import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { BackendRow } from '@moorage/contract/backends';
import type { CredentialsChanged, Probe } from '@moorage/contract/registration';
import { startBackend } from '@moorage/standins/start';
import { gneissSeed } from '@moorage/standins/backend-seeds';
import type { BackendSeed } from '@moorage/standins/backend/seed';
import type { RunningServer } from '../server';
import { aClaim, aClass, Caller, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';
import { answering, endAnswering, json, passingOn } from '../testing/answering';

let world: World;
let server: RunningServer;
let tom: Caller;
const TiB = 2 ** 40;

beforeAll(async () => {
  world = await makeWorld({ more: [gneissSeed], backendTimeoutMs: 12_000 });
  server = await world.start();
  await world.operator(server);
  tom = await new Caller(server.url).signIn('tom');
});
afterAll(async () => {
  endAnswering();
  await world.end();
});
const gneiss = () => world.more[0]!;
const access = (part: object = {}) => ({
  address: gneiss().url,
  username: 'moorage',
  password: 'slow-stone',
  ...part,
});
const probe = (part: object = {}) => tom.ok<Probe>('POST', '/api/backends/probe', access(part));
/** A backend like gneiss that is another one, with the pool named as one likes. */
const schistSeed = (pool = 'schist-shared', id = 'schist'): BackendSeed => ({
  ...(JSON.parse(
    JSON.stringify(gneissSeed()).replaceAll('gneiss-shared', pool).replaceAll('gneiss', id),
  ) as BackendSeed),
  createMs: 5,
});
const listed = async (id: string) => (await tom.ok<BackendRow[]>('GET', '/api/backends')).find((b) => b.id === id);

describe('probing tells apart', () => {
  test('a backend that can be used, with what its pools offer, read from it', async () => {
    const found = await probe();
    expect(found).toMatchObject({ outcome: 'ready', version: '1.20.0', certificate: null });
    expect(found.pools).toEqual([
      expect.objectContaining({
        name: 'gneiss-shared',
        protocols: ['NFSv4'],
        accessModes: ['ReadWriteOnce', 'ReadOnlyMany', 'ReadWriteMany', 'ReadWriteOncePod'],
        volumeModes: ['Filesystem'],
        snapshots: true,
        clones: false,
        minimum: 10 * 2 ** 30,
        maximum: 100 * TiB,
      }),
    ]);
  });
  test('a name nobody has', async () =>
    expect((await probe({ address: 'http://gneiss.invalid:80' })).outcome).toBe('name-not-found'));
  test('a port where nothing listens', async () =>
    expect((await probe({ address: 'http://127.0.0.1:1' })).outcome).toBe('refused'));
  test('an address that does not answer', async () =>
    expect((await probe({ address: await answering(() => undefined) })).outcome).toBe('timed-out'));
  test('something that is no storage service', async () => {
    expect((await probe({ address: await answering((_q, r) => void r.end('<h1>Tea room</h1>')) })).outcome).toBe(
      'not-storage',
    );
    expect((await probe({ address: await answering(json({ hello: 'there' })) })).outcome).toBe('not-storage');
    // plain text where a greeting in TLS is expected
    expect((await probe({ address: gneiss().url.replace('http:', 'https:') })).outcome).toBe('not-storage');
  });
  test('wrong credentials, and an account that may only look', async () => {
    expect((await probe({ password: 'wrong' })).outcome).toBe('wrong-credentials');
    expect((await probe({ username: 'watcher', password: 'lookout' })).outcome).toBe('lacking-rights');
  });
  test('a version that is too old', async () => {
    const root = {
      RedfishVersion: '1.2.0',
      Storage: { '@odata.id': '/x' },
      Links: { Sessions: { '@odata.id': '/s' } },
    };
    expect(await probe({ address: await answering(json(root)) })).toMatchObject({
      outcome: 'too-old',
      version: '1.2.0',
    });
  });
  test('a certificate that is not trusted, is pinned, is another than the pinned, or is vouched for', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'moorage-tls-'));
    const [key, cert] = [join(folder, 'key.pem'), join(folder, 'cert.pem')];
    const subject = ['-subj', '/CN=gneiss.example', '-addext', 'subjectAltName=IP:127.0.0.1'];
    execFileSync(
      'openssl',
      ['req', '-x509', '-newkey', 'rsa:2048', '-nodes', '-days', '2', '-keyout', key, '-out', cert, ...subject],
      { stdio: 'ignore' },
    );
    const pem = readFileSync(cert);
    const address = await answering(
      // the real one, behind a certificate
      passingOn(() => gneiss().url),
      { key: readFileSync(key), cert: pem },
    );
    const untrusted = await probe({ address });
    expect(untrusted).toMatchObject({ outcome: 'not-trusted', certificate: { subject: 'gneiss.example' } });
    const { fingerprint } = untrusted.certificate!;
    expect(await probe({ address, trust: { kind: 'pinned', fingerprint } })).toMatchObject({
      outcome: 'ready',
      detail: '',
    });
    const other = fingerprint.startsWith('00') ? fingerprint.replace('00', '11') : fingerprint.replace(/^../, '00');
    expect((await probe({ address, trust: { kind: 'pinned', fingerprint: other } })).outcome).toBe('not-trusted');
    expect((await probe({ address, trust: { kind: 'ca', pem: pem.toString() } })).outcome).toBe('ready');
  });
  test('what cannot be an address or a fingerprint is refused at its field', async () => {
    const bad = await tom.call('POST', '/api/backends/probe', access({ address: 'gneiss' }));
    expect(bad).toMatchObject({ status: 422, data: { field: 'address' } });
    const pin = { trust: { kind: 'pinned', fingerprint: 'abc' } };
    expect(await tom.call('POST', '/api/backends/probe', access(pin))).toMatchObject({ status: 422 });
  });
});

describe('registering', () => {
  const registration = (part: object = {}) =>
    access({ id: 'gneiss', title: 'Gneiss, shared files', sites: ['quayside'], ...part });

  test('is not for everybody, and not for a backend that cannot be used', async () => {
    const guest = await new Caller(server.url).signIn('guest');
    expect((await guest.call('POST', '/api/backends', registration())).status).toBe(403);
    expect(await tom.call('POST', '/api/backends', registration({ password: 'wrong' }))).toMatchObject({
      status: 422,
      data: { code: 'probe-wrong-credentials', field: 'password' },
    });
    expect(await listed('gneiss')).toBeUndefined();
  });

  test('brings its pools, and claims bind on it; the password is stored sealed and never told', async () => {
    const made = await tom.ok<BackendRow>('POST', '/api/backends', registration());
    expect(made).toMatchObject({ id: 'gneiss', serves: true, reachable: true, pools: [{ name: 'gneiss-shared' }] });
    expect(JSON.stringify(await tom.ok('GET', '/api/backends'))).not.toContain('slow-stone');
    const [row] = await world.rows<{ secret: Buffer }>(`SELECT secret FROM backends WHERE id = 'gneiss'`);
    expect(row!.secret.toString('latin1')).not.toContain('slow-stone');
    const maren = await new Caller(server.url).signIn();
    await maren.ok('POST', '/api/classes', aClass('charts-shared', { copies: 1 }));
    await maren.ok('PUT', '/api/moorings/charts-shared/gneiss-shared', { enabled: true });
    await maren.ok('POST', '/api/claims', {
      namespace: 'chart-tiles',
      name: 'tiles',
      className: 'charts-shared',
      size: '2Gi',
      modes: ['ReadWriteMany'],
      volumeMode: 'Filesystem',
    });
    const { claim } = await maren.inState('tiles', 'bound', 'chart-tiles');
    // the smallest share is what the backend said
    expect(claim).toMatchObject({ pool: 'gneiss-shared', provisioned: 10 * 2 ** 30 });
  });

  test('a name twice, and a backend in use, are refused', async () => {
    expect(await tom.call('POST', '/api/backends', registration())).toMatchObject({
      status: 422,
      data: { field: 'id' },
    });
    const held = await tom.call<{ detail: string }>('DELETE', '/api/backends/gneiss');
    expect([held.status, held.data.detail]).toEqual([409, expect.stringContaining('1 claims keep their data on it')]);
  });

  test('the same backend by another address is refused, also when two register it at once', async () => {
    const address = await answering(passingOn(() => gneiss().url));
    const again = await tom.call<{ code: string; detail: string }>(
      'POST',
      '/api/backends',
      registration({ id: 'gneiss-too', address }),
    );
    expect([again.status, again.data]).toEqual([
      409,
      expect.objectContaining({
        code: 'registered-already',
        field: 'address',
        detail: expect.stringContaining(gneiss().url) as string,
      }),
    ]);
    expect(await listed('gneiss-too')).toBeUndefined();
    // a backend that nobody registered yet, from two sides
    const schist = await startBackend(schistSeed());
    try {
      const statuses = await Promise.all(
        ['schist', 'slate'].map(async (id) => {
          const passed = await answering(passingOn(() => schist.url));
          return (await tom.call('POST', '/api/backends', registration({ id, address: passed }))).status;
        }),
      );
      expect(statuses.sort()).toEqual([201, 409]);
      const kept = (await tom.ok<BackendRow[]>('GET', '/api/backends')).filter((b) =>
        ['schist', 'slate'].includes(b.id),
      );
      expect(kept).toHaveLength(1);
      await tom.ok('DELETE', `/api/backends/${kept[0]!.id}`);
    } finally {
      await schist.stop();
    }
  });

  test('a pool whose name another backend uses already gets a name of its own, and claims bind on each', async () => {
    const schist = await startBackend(schistSeed('basalt-broad'));
    try {
      const made = await tom.ok<BackendRow>(
        'POST',
        '/api/backends',
        registration({ id: 'schist', address: schist.url }),
      );
      expect(made.pools.map((p) => [p.id, p.name])).toEqual([['schist.basalt-broad', 'basalt-broad']]);
      expect((await listed('basalt'))!.pools.map((p) => p.id)).toContain('basalt-broad');
      const maren = await new Caller(server.url).signIn();
      await moorClass(maren, 'of-schist', ['schist.basalt-broad'], { copies: 1 });
      await moorClass(maren, 'of-basalt', ['basalt-broad'], { copies: 1 });
      for (const name of ['of-schist', 'of-basalt']) await maren.ok('POST', '/api/claims', aClaim(name, name));
      const volumeOf = async (name: string) => (await maren.inState(name, 'bound')).claim.volumeId!;
      expect(schist.backend.volume(await volumeOf('of-schist'))).toBeDefined();
      expect(world.basalt.backend.volume(await volumeOf('of-basalt'))).toBeDefined();
      // what one of them tells next does not move the pool of the other
      await eventuallyHolds('both stay', async () => {
        expect((await listed('schist'))!.pools.map((p) => p.id)).toEqual(['schist.basalt-broad']);
        expect((await listed('basalt'))!.pools.map((p) => p.id).sort()).toEqual(['basalt-broad', 'basalt-swift']);
      });
    } finally {
      await schist.stop();
    }
  });

  test('forgetting a backend while it is looked at, moored and claimed ends for each in an answer, and nothing is half gone', async () => {
    const marble = await startBackend(schistSeed('marble-shared', 'marble'));
    const maren = await new Caller(server.url).signIn();
    await maren.ok('POST', '/api/classes', aClass('passing', { copies: 1 }));
    try {
      for (let round = 0; round < 12; round++) {
        await tom.ok('POST', '/api/backends', registration({ id: 'marble', address: marble.url }));
        await maren.ok('PUT', '/api/moorings/passing/marble-shared', { enabled: true });
        marble.backend.setPool('marble-shared', { usable: (100 + round) * TiB });
        const answers = await Promise.all([
          maren.call('POST', '/api/claims', aClaim(`passing-${round}`, 'passing', { size: '10Gi' })),
          maren.call('PUT', '/api/moorings/passing/marble-shared', { weight: round + 2 }),
          tom.call('DELETE', '/api/backends/marble'),
          maren.call('PATCH', '/api/pools/marble-shared', { overcommit: 1 + round / 10 }),
        ]);
        expect(answers.filter((a) => a.status >= 500)).toEqual([]);
        await maren.call('DELETE', `/api/claims/tide-gauges/passing-${round}?confirm=passing-${round}`);
        await eventuallyHolds('the claim is gone', async () =>
          expect(
            await world.rows(`SELECT 1 FROM reservations WHERE pool_id = 'marble-shared' AND state <> 'adrift'`),
          ).toEqual([]),
        );
        await world.rows(`DELETE FROM reservations WHERE pool_id = 'marble-shared'`);
        await world.rows(`DELETE FROM instances WHERE pool_id = 'marble-shared'`);
        if (await listed('marble')) await tom.ok('DELETE', '/api/backends/marble');
        expect(await world.rows(`SELECT 1 FROM pools WHERE backend_id = 'marble'`)).toEqual([]);
      }
    } finally {
      await marble.stop();
    }
  });

  test('credentials change while claims go on binding, and the old ones are proven dead', async () => {
    gneiss().backend.setPassword('keeper', 'new-stone');
    const wrong = await tom.call('PUT', '/api/backends/gneiss/credentials', { username: 'keeper', password: 'no' });
    expect(wrong).toMatchObject({ status: 422, data: { code: 'probe-wrong-credentials' } });
    const change = () =>
      tom.ok<CredentialsChanged>('PUT', '/api/backends/gneiss/credentials', {
        username: 'keeper',
        password: 'new-stone',
      });
    expect(await change()).toEqual({ old: 'still-accepted' });
    expect(await change()).toEqual({ old: 'same' });
    gneiss().backend.setPassword('moorage', 'nobody-knows');
    gneiss().backend.setPassword('keeper2', 'third-stone');
    gneiss().backend.setPassword('keeper', 'retired');
    expect(
      await tom.ok('PUT', '/api/backends/gneiss/credentials', { username: 'keeper2', password: 'third-stone' }),
    ).toEqual({ old: 'refused' });
    expect(await listed('gneiss')).toMatchObject({ reachable: true, username: 'keeper2' });
  });

  test('a cap over the backend stops the next claim, with its rule', async () => {
    const { version } = (await listed('gneiss'))!;
    const capped = (by: number, cap: number | null) =>
      tom.call<BackendRow>('PATCH', '/api/backends/gneiss', { cap }, { 'If-Match': `"${by}"` });
    expect((await capped(version - 1, 15 * 2 ** 30)).status).toBe(412);
    expect((await capped(version, 15 * 2 ** 30)).data).toMatchObject({ cap: 15 * 2 ** 30 });
    const maren = await new Caller(server.url).signIn();
    await maren.ok('POST', '/api/claims', {
      namespace: 'chart-tiles',
      name: 'more-tiles',
      className: 'charts-shared',
      // more than the instance that is bought has room for
      size: '1100Gi',
      modes: ['ReadWriteMany'],
      volumeMode: 'Filesystem',
    });
    const { decisions } = await maren.inState('more-tiles', 'nothing-fits', 'chart-tiles');
    const failed = decisions[0]!.trace.candidates[0]!.checks.filter((c) => !c.passed);
    expect(failed).toEqual([
      expect.objectContaining({ rule: 'backend-cap', need: 2 ** 38, have: 15 * 2 ** 30 - 2 ** 40 }),
    ]);
    await tom.ok('PATCH', '/api/backends/gneiss', { cap: null });
    await maren.inState('more-tiles', 'bound', 'chart-tiles');
  });

  test('a pool that this site does not reach cannot be moored', async () => {
    await tom.ok('PATCH', '/api/backends/gneiss', { sites: ['gull-rock'] });
    const maren = await new Caller(server.url).signIn();
    await maren.ok('POST', '/api/classes', aClass('outpost', { copies: 1 }));
    expect(await maren.call('PUT', '/api/moorings/outpost/gneiss-shared', { enabled: true })).toMatchObject({
      status: 422,
      data: { field: 'pool', detail: expect.stringContaining('gull-rock') as string },
    });
    await tom.ok('PATCH', '/api/backends/gneiss', { sites: ['quayside'] });
  });
});
