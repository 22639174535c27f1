import type { ApplicationPage, ApplicationSeen } from '@moorage/contract/applications';
import pg from 'pg';
import { Database } from '../database/database';
import type { RunningServer } from '../server';
import { Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';
import { reckonApplications } from './reckon';

const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'kept', ['kelp-nvme'], { copies: 3 });
  await moorClass(maren, 'array', ['basalt-broad'], { copies: 1 });
});
afterAll(() => world.end());

const setBody = (name: string, replicas: number, className: string, size = '4Gi', spec: object = {}) => ({
  metadata: { name },
  spec: {
    replicas,
    podManagementPolicy: 'Parallel',
    selector: { matchLabels: { app: name } },
    template: { metadata: { labels: { app: name } }, spec: { containers: [{ name, image: 'example/' + name }] } },
    volumeClaimTemplates: [
      {
        metadata: { name: 'data' },
        spec: {
          accessModes: ['ReadWriteOnce'],
          storageClassName: className,
          resources: { requests: { storage: size } },
        },
      },
    ],
    ...spec,
  },
});
async function onPlatform(method: string, path: string, body?: object): Promise<void> {
  const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json';
  const response = await fetch(world.platform.url + path, {
    method,
    headers: { 'Content-Type': type },
    ...(body && { body: JSON.stringify(body) }),
  });
  if (!response.ok) throw new Error(await response.text());
}
const setsOf = (namespace: string) => `/apis/apps/v1/namespaces/${namespace}/statefulsets`;
const start = (namespace: string, ...asked: Parameters<typeof setBody>) =>
  onPlatform('POST', setsOf(namespace), setBody(...asked));
const list = (query = '', caller = maren) => caller.ok<ApplicationPage>('GET', `/api/applications?${query}`);
const rowOf = async (name: string, caller = maren) =>
  (await list(`q=${name}`, caller)).applications.find((a) => a.name === name);
const shows = (name: string, what: object) =>
  eventuallyHolds(`${name} as it is`, async () => expect(await rowOf(name)).toMatchObject(what));

test('a set is listed with what its claims take, where they lie and where its pods are', async () => {
  await start('tide-gauges', 'gauge-store', 3, 'kept');
  await shows('gauge-store', {
    ...{ namespace: 'tide-gauges', kind: 'StatefulSet', wanted: 3, pods: 3, ready: 3, claims: 3, bytes: 12 * GiB },
    ...{ classes: ['kept'], pools: ['kelp-nvme'], worst: 'in-sync' },
  });
  const row = (await rowOf('gauge-store'))!;
  expect(row.nodes.length).toBe(3);
  expect(row.points).toContainEqual({ level: 'backend', name: 'kelp', of: 'replicas', leaves: 'none' });
  const seen = await maren.ok<ApplicationSeen>('GET', '/api/applications/tide-gauges/gauge-store');
  expect(seen.replicas.map((r) => [r.pod, r.claims, r.ready])).toEqual(
    [0, 1, 2].map((i) => [`gauge-store-${i}`, [`data-gauge-store-${i}`], true]),
  );
  expect(seen.claims.map((c) => c.parts.map((p) => [p.pool, p.copies.length]))).toEqual(
    Array(3).fill([['kelp-nvme', 3]]),
  );
  expect(seen.nodes.every((n) => n.zone !== null && n.rack !== null)).toBe(true);
});

test('a copy that fails is told of, and one that is whole again', async () => {
  const { claims } = await maren.ok<ApplicationSeen>('GET', '/api/applications/tide-gauges/gauge-store');
  const { disk } = claims[0]!.parts[0]!.copies[0]!;
  // a copy of nothing is whole again at once
  for (const { name } of claims) world.kelp.backend.write((await maren.claim(name)).claim.volumeId!, 2 * GiB);
  world.kelp.backend.holdsResync = true;
  world.kelp.backend.setDrive(disk, false);
  await eventually('a copy is not in step', async () => (await rowOf('gauge-store'))?.worst !== 'in-sync');
  expect((await list('need=copies')).applications.map((a) => a.name)).toContain('gauge-store');
  world.kelp.backend.holdsResync = false;
  world.kelp.backend.setDrive(disk, true);
  await shows('gauge-store', { worst: 'in-sync' });
  expect((await list('need=copies')).applications.map((a) => a.name)).not.toContain('gauge-store');
});

test('claims of replicas that are gone are the application’s still, and are its claims again', async () => {
  const at = `${setsOf('tide-gauges')}/gauge-store`;
  await onPlatform('PATCH', at, { spec: { replicas: 1 } });
  await shows('gauge-store', { wanted: 1, pods: 1, ready: 1, claims: 3, bytes: 12 * GiB });
  const seen = await maren.ok<ApplicationSeen>('GET', '/api/applications/tide-gauges/gauge-store');
  expect([seen.replicas.length, seen.claims.length]).toEqual([1, 3]);
  await onPlatform('DELETE', at);
  await eventually('it is gone', async () => !(await rowOf('gauge-store')));
  // the claims stayed; a set of the same name takes them up
  await start('tide-gauges', 'gauge-store', 1, 'kept');
  await shows('gauge-store', { wanted: 1, ready: 1, claims: 3 });
  await onPlatform('PATCH', at, { spec: { replicas: 3 } });
  await shows('gauge-store', { wanted: 3, ready: 3, claims: 3 });
});

test('pods of another kind of owner are an application by what they mount; pods without claims are none', async () => {
  await maren.ok('POST', '/api/claims', {
    ...{ namespace: 'tide-gauges', name: 'level-share', className: 'array', size: '2Gi' },
    ...{ modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
  });
  const pod = (name: string, owner: string, volumes: object[]) =>
    onPlatform('POST', '/api/v1/namespaces/tide-gauges/pods', {
      metadata: {
        name,
        ownerReferences: [
          { apiVersion: 'apps/v1', kind: 'ReplicaSet', name: owner, uid: `uid-${owner}`, controller: true },
        ],
      },
      spec: { containers: [{ name: 'a', image: 'example/a' }], volumes },
    });
  const mounts = [{ name: 'data', persistentVolumeClaim: { claimName: 'level-share' } }];
  await pod('press-1', 'press', mounts);
  await pod('press-2', 'press', mounts);
  await pod('idle-1', 'idle', []);
  await shows('press', {
    kind: 'ReplicaSet',
    wanted: null,
    pods: 2,
    claims: 1,
    bytes: 2 * GiB,
    pools: ['basalt-broad'],
  });
  expect(await rowOf('idle')).toBeUndefined();
  const { points } = (await rowOf('press'))!;
  expect(points.map((p) => `${p.level} ${p.name} ${p.leaves}`)).toContain('backend basalt none');
});

test('a node that turns out to stand in another zone changes what stands in one', async () => {
  await start('ferry-desk', 'seat-cache', 2, 'array', '1Gi');
  await shows('seat-cache', { ready: 2 });
  const { nodes } = (await rowOf('seat-cache'))!;
  expect(nodes.length).toBe(2);
  const node = (name: string, zone: string) =>
    onPlatform('PATCH', `/api/v1/nodes/${name}`, {
      metadata: { labels: { 'topology.kubernetes.io/zone': zone, 'topology.example/rack': `rack of ${name}` } },
    });
  for (const name of nodes) await node(name, 'quarantine');
  await eventually('both stand in one zone', async () =>
    (await rowOf('seat-cache'))?.points.some((p) => p.level === 'zone' && p.name === 'quarantine'),
  );
  await node(nodes[0]!, 'elsewhere');
  await eventually('they do no more', async () => !(await rowOf('seat-cache'))?.points.some((p) => p.level === 'zone'));
});

test('is filtered, sorted and paged, each order through all of its pages', async () => {
  const sorts = ['namespace', 'name', 'bytes', 'claims', 'ready', 'worst', 'points', 'created'];
  const { applications: all, counts } = await list('limit=500');
  expect(counts.all).toBe(all.length);
  for (const sort of sorts)
    for (const direction of ['asc', 'desc']) {
      const names: string[] = [];
      let cursor: string | null = null;
      do {
        const page: ApplicationPage = await list(
          `limit=1&sort=${sort}&direction=${direction}${cursor ? `&cursor=${encodeURIComponent(cursor)}` : ''}`,
        );
        names.push(...page.applications.map((a) => a.name));
        cursor = page.next;
      } while (cursor);
      expect([sort, direction, [...names].sort()]).toEqual([sort, direction, all.map((a) => a.name).sort()]);
    }
  const large = await list('sort=bytes&direction=desc');
  expect(large.applications[0]!.name).toBe('gauge-store');
  expect((await list('namespace=ferry-desk')).applications.map((a) => a.name)).toEqual(['seat-cache']);
  expect((await list('q=kelp-nvme')).applications.map((a) => a.name)).toEqual(['gauge-store']);
  expect((await maren.call('GET', '/api/applications?sort=name&cursor=bm9wZQ')).status).toBe(422);
});

test('a namespace owner sees the own applications alone', async () => {
  const ivo = await new Caller(server.url).signIn('ivo');
  const { applications, counts } = await list('', ivo);
  expect([applications.map((a) => a.name), counts.all]).toEqual([['seat-cache'], 1]);
  expect((await ivo.call('GET', '/api/applications/tide-gauges/gauge-store')).status).toBe(404);
  expect((await ivo.call('GET', '/api/applications/ferry-desk/seat-cache')).status).toBe(200);
});

test('a change that is not committed yet when its application is reckoned is reckoned after it', async () => {
  await world.stop(server);
  const database = new Database(world.config.databaseUrl);
  // past Sequelize, whose transactions pass by themselves to whatever is done meanwhile
  const other = new pg.Client({ connectionString: world.config.databaseUrl });
  await other.connect();
  const bytes = async () =>
    Number((await world.rows<{ bytes: string }>(`SELECT bytes FROM applications WHERE name = 'seat-cache'`))[0]!.bytes);
  try {
    await reckonApplications(database);
    const before = await bytes();
    const grow = `UPDATE platform_objects SET size_bytes = size_bytes + 1 WHERE plural = 'persistentvolumeclaims' AND name = $1`;
    await other.query('BEGIN');
    await other.query(grow, ['data-seat-cache-0']);
    // as long as that is open, another change of the same application is reckoned
    await world.rows(grow, ['data-seat-cache-1']);
    await reckonApplications(database);
    expect(await bytes()).toBe(before + 1);
    await other.query('COMMIT');
    await reckonApplications(database);
    expect(await bytes()).toBe(before + 2);
    expect(await world.rows('SELECT * FROM applications_due')).toEqual([]);
  } finally {
    await database.close();
    await other.end();
  }
});
