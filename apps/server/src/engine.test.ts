import { createServer, connect, type Server, type Socket } from 'node:net';
import type { AddressInfo } from 'node:net';
import { platformSeed } from '@moorage/standins/seeds';
import { startPlatform } from '@moorage/standins/start';
import { Database } from './database/database';
import { startServer, type RunningServer } from './server';
import { makeDatabase } from './testing/databases';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from './testing/world';

/** Stands before PostgreSQL and can be cut, as a cable can. */
class Cable {
  private server?: Server;
  private readonly sockets = new Set<Socket>();
  port = 0;

  constructor(private readonly target: URL) {}

  async join(): Promise<void> {
    const server = createServer((near) => {
      const far = connect(Number(this.target.port), this.target.hostname);
      for (const [a, b] of [
        [near, far],
        [far, near],
      ] as const) {
        this.sockets.add(a);
        a.pipe(b);
        a.on('error', () => b.destroy());
        a.on('close', () => {
          this.sockets.delete(a);
          b.destroy();
        });
      }
    });
    await new Promise<void>((resolve) => server.listen(this.port, '127.0.0.1', resolve));
    this.port = (server.address() as AddressInfo).port;
    this.server = server;
  }

  async cut(): Promise<void> {
    const closed = new Promise((resolve) => this.server?.close(resolve));
    for (const socket of this.sockets) socket.destroy();
    await closed;
  }
}

test('over an empty database the first start makes everything, with people whose passwords cost what they should', async () => {
  const world = await makeWorld();
  const empty = await makeDatabase();
  const server = await startServer({ ...world.config, databaseUrl: empty.url });
  await server.ready;
  const caller = await world.operator(server);
  await moorClass(caller, 'general', ['basalt-broad'], { copies: 1 });
  await caller.ok('POST', '/api/claims', aClaim('first', 'general'));
  await caller.inState('first', 'bound');
  const database = new Database(empty.url);
  const hashes = await database.rows<{ password_hash: string }>('SELECT password_hash FROM people');
  expect(hashes).toHaveLength(world.config.estate.people.length);
  for (const { password_hash } of hashes)
    expect(password_hash).toMatch(/^\$argon2id\$(?=.*m=65536\b)(?=.*t=3\b)(?=.*p=4\b)/);
  await database.close();
  await server.stop();
  await empty.drop();
  await world.end();
});

describe('without PostgreSQL', () => {
  let world: World;
  let cable: Cable;
  let server: RunningServer;
  beforeAll(async () => {
    world = await makeWorld();
    cable = new Cable(new URL(world.config.databaseUrl));
    await cable.join();
    await cable.cut();
    const url = new URL(world.config.databaseUrl);
    url.port = String(cable.port);
    server = await startServer({ ...world.config, databaseUrl: url.toString() });
  });
  afterAll(async () => {
    await server.stop();
    await cable.cut();
    await world.end();
  });

  test('the server says so, waits, and begins when it is there', async () => {
    const health = await fetch(`${server.url}/api/health`);
    expect(health.status).toBe(503);
    expect(await health.json()).toMatchObject({ live: true, ready: false, notReady: [{ part: 'database' }] });
    const { status, data } = await new Caller(server.url).call<{ code: string }>('POST', '/api/session', {
      name: 'maren',
      password: 'lighthouse',
    });
    expect([status, data.code]).toEqual([503, 'database-unavailable']);
    await cable.join();
    await server.ready;
    await eventually('ready', async () => (await fetch(`${server.url}/api/health`)).ok);
  });

  test('lost while it runs: calls are refused, then work goes on by itself', async () => {
    const caller = await world.operator(server);
    await moorClass(caller, 'general', ['basalt-broad'], { copies: 1 });
    await cable.cut();
    await eventually('not ready', async () => (await fetch(`${server.url}/api/health`)).status === 503);
    expect((await caller.call('GET', '/api/claims')).status).toBe(503);
    // the platform goes on without us
    world.platform.store.create('persistentvolumeclaims', {
      metadata: { name: 'meanwhile', namespace: 'tide-gauges', finalizers: [] },
      spec: {
        accessModes: ['ReadWriteOnce'],
        volumeMode: 'Filesystem',
        storageClassName: 'general',
        resources: { requests: { storage: '5Gi' } },
      },
      status: { phase: 'Pending' },
    });
    await cable.join();
    await caller.inState('meanwhile', 'bound');
  });
});

describe('the mirror', () => {
  let world: World;
  beforeEach(async () => {
    world = await makeWorld();
  });
  afterEach(() => world.end());

  test('resumes where it stopped; when that is no longer kept it lists again, and finds what was deleted meanwhile', async () => {
    const first = await startServer(world.config);
    await first.ready;
    const operator = await world.operator(first);
    await moorClass(operator, 'general', ['basalt-broad'], { copies: 1 });
    await operator.ok('POST', '/api/claims', aClaim('doomed', 'general'));
    const { claim } = await operator.inState('doomed', 'bound');
    await first.stop();
    world.platform.store.delete('persistentvolumeclaims', 'tide-gauges', 'doomed');
    await eventually(
      'it is gone',
      async () => !world.platform.store.find('persistentvolumeclaims', 'tide-gauges', 'doomed'),
    );
    world.platform.store.expireHistory();
    const other = await new Caller((await world.start()).url).signIn();
    await eventually(
      'the mirror knows',
      async () => (await other.call('GET', '/api/claims/tide-gauges/doomed')).status === 404,
    );
    await eventually(
      'its volume is gone',
      async () => ![...world.basalt.backend.volumes.values()].some((v) => v.name === `pvc-${claim.uid}`),
    );
  });

  test('goes on when the platform refuses for a while, and says meanwhile what it cannot see', async () => {
    world.platform.faults.add({ kind: 'refuse', path: '/persistentvolumeclaims$', status: 500 });
    const server = await world.start();
    const health = () =>
      fetch(`${server.url}/api/health`).then((r) => r.json() as Promise<{ notReady: { part: string }[] }>);
    await eventually('the health says so', async () =>
      (await health()).notReady.some((n) => n.part === 'platform: persistentvolumeclaims'),
    );
    world.platform.faults.heal();
    await eventually('the health is good again', async () => (await health()).notReady.length === 0);
  });

  test('that finds another platform, where everything is gone, destroys nothing', async () => {
    const first = await startServer(world.config);
    await first.ready;
    const operator = await world.operator(first);
    await moorClass(operator, 'general', ['basalt-broad'], { copies: 1 });
    for (const name of ['ledger-a', 'ledger-b']) await operator.ok('POST', '/api/claims', aClaim(name, 'general'));
    for (const name of ['ledger-a', 'ledger-b']) await operator.inState(name, 'bound');
    await first.stop();
    const empty = await startPlatform(platformSeed);
    try {
      const estate = { ...world.config.estate, platform: { server: empty.url } };
      await world.start(undefined, { estate });
      await eventually(
        'both volumes are adrift',
        async () => (await world.rows(`SELECT 1 FROM reservations WHERE state = 'adrift'`)).length === 2,
      );
      expect(world.basalt.backend.volumes.size).toBe(2);
    } finally {
      await empty.stop();
    }
  });

  test('that was wrong about a claim being gone lets it live', async () => {
    const caller = await world.operator(await world.start());
    await moorClass(caller, 'general', ['basalt-broad'], { copies: 1 });
    await caller.ok('POST', '/api/claims', aClaim('alive', 'general'));
    const { claim } = await caller.inState('alive', 'bound');
    await world.rows(`INSERT INTO operations (kind, subject, state) VALUES ('release', $1, 'releasing')`, [claim.uid]);
    await eventually(
      'the release is dropped',
      async () => (await world.rows(`SELECT 1 FROM operations WHERE kind = 'release'`)).length === 0,
      90_000,
    );
    expect(world.basalt.backend.volumes.size).toBe(1);
    expect((await caller.claim('alive')).claim).toMatchObject({ state: 'bound', volumeId: claim.volumeId });
  }, 300_000);

  test('that lost sight of a claim before it was bound binds it when it is seen again', async () => {
    const caller = await world.operator(await world.start());
    await moorClass(caller, 'general', ['basalt-broad'], { copies: 1 });
    world.basalt.faults.add({ kind: 'refuse', method: 'POST', path: '/Volumes$', times: 1 });
    await caller.ok('POST', '/api/claims', aClaim('flicker', 'general'));
    const { claim } = await caller.inState('flicker', 'retrying');
    await world.rows(`UPDATE operations SET state = 'abandoned' WHERE subject = $1`, [claim.uid]);
    await world.rows(`INSERT INTO operations (kind, subject, state) VALUES ('release', $1, 'releasing')`, [claim.uid]);
    await caller.inState('flicker', 'bound');
    expect(world.basalt.backend.volumes.size).toBe(1);
  }, 300_000);

  test('is taken over by the second server when the first stops', async () => {
    const first = await startServer(world.config);
    await first.ready;
    await moorClass(await world.operator(first), 'general', ['basalt-broad'], { copies: 1 });
    const second = await world.start();
    await first.stop();
    const other = await new Caller(second.url).signIn();
    await other.ok('POST', '/api/claims', aClaim('handed-over', 'general'));
    await other.inState('handed-over', 'bound');
  });
});
