import type { BucketDetail, BucketPage } from '@moorage/contract/buckets';
import type { Found as LookedUp } from '@moorage/contract/lookup';
import type { Problem } from '@moorage/contract/problem';
import type { FindingRow } from '@moorage/contract/findings';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import type { RunningServer } from '../server';
import { Caller, eventually, makeWorld, type World } from '../testing/world';

const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await maren.ok('POST', '/api/bucket-classes', { name: 'logs', pools: ['kelp-deep'], deletion: 'Delete' });
  await maren.ok('POST', '/api/bucket-classes', {
    ...{ name: 'archive', pools: ['kelp-nvme', 'kelp-deep'], deletion: 'Retain', limit: '2Gi' },
  });
});
afterAll(() => world.end());

const path = (name: string) => `/api/buckets/tide-gauges/${name}`;
const ask = (name: string, className: string, limit?: string) =>
  maren.ok<{ uid: string }>('POST', '/api/buckets', { namespace: 'tide-gauges', name, className, limit });
const detail = (name: string, caller = maren) => caller.ok<BucketDetail>('GET', path(name));
const inState = (name: string, state: BucketDetail['bucket']['state']) =>
  eventually(`${name} ${state}`, async () => {
    const found = await detail(name);
    return found.bucket.state === state
      ? found
      : Promise.reject(
          new Error(`it is ${JSON.stringify([found.bucket.state, found.bucket.waitsFor, found.bucket.problem])}`),
        );
  });
const reserved = async (pool: string) =>
  (await world.rows<{ raw: string }>('SELECT reserved_raw::text AS raw FROM pools WHERE id = $1', [pool]))[0]!.raw;
const stored = (plural: string, name: string, namespace?: string) => world.platform.store.find(plural, namespace, name);
const boxOf = () => world.kelp.backend.buckets;
const put = (bucket: string, key: string, bytes: number) =>
  boxOf().put(bucket, key, { body: Buffer.alloc(bytes), type: 'text/plain', metadata: {} });

/** What an application finds in its secret. */
interface Found {
  readonly endpoint: string;
  readonly accessKeyID: string;
  readonly accessSecretKey: string;
}
const secretOf = (name: string): Found | undefined => {
  const data = stored('secrets', name, 'tide-gauges')?.data as { BucketInfo: string } | undefined;
  if (!data) return undefined;
  const { spec } = JSON.parse(Buffer.from(data.BucketInfo, 'base64').toString('utf8')) as { spec: { secretS3: Found } };
  return spec.secretS3;
};
const giveKey = async (bucket: string, name: string) => {
  await maren.ok('POST', `${path(bucket)}/keys`, { name, secretName: `${name}-secret` });
  await eventually(`${name} granted`, async () =>
    (await detail(bucket)).accesses.some((a) => a.name === name && a.state === 'granted'),
  );
  return secretOf(`${name}-secret`)!;
};

test('a claim gets one bucket in the first pool of its class that fits; what it may hold is promised, and the platform is told', async () => {
  const before = Number(await reserved('kelp-deep'));
  const { uid } = await ask('gauge-log', 'logs', '10Gi');
  const { bucket, decision, endpoint } = await inState('gauge-log', 'ready');
  expect(bucket).toMatchObject({ uid, pool: 'kelp-deep', backend: 'kelp', limit: 10 * GiB, deletion: 'Delete' });
  expect(bucket.bucket).toBe(`tide-gauges-gauge-log`.slice(0, 26) + `-${uid}`);
  expect(endpoint).toBe(world.kelp.url);
  expect(
    boxOf()
      .list()
      .map((b) => [b.name, b.pool]),
  ).toEqual([[bucket.bucket, 'kelp-deep']]);
  // 4+2: one and a half raw bytes for each
  expect(Number(await reserved('kelp-deep')) - before).toBe(15 * GiB);
  expect(decision!.trace).toMatchObject({ winner: 'kelp-deep', provisioned: 10 * GiB, footprintFactor: 1.5 });
  expect(stored('bucketclaims', 'gauge-log', 'tide-gauges')!.status).toEqual({
    ...{ bucketReady: true, bucketName: bucket.bucket },
  });
  expect(stored('buckets', bucket.bucket!)).toMatchObject({
    spec: { deletionPolicy: 'Delete', bucketClaim: { name: 'gauge-log', namespace: 'tide-gauges', uid } },
    status: { bucketReady: true, bucketID: bucket.bucket },
  });
});

test('a pool that speaks no S3 is passed over, and the trace says so', async () => {
  await ask('old-charts', 'archive');
  const { bucket, decision } = await inState('old-charts', 'ready');
  expect([bucket.pool, bucket.limit]).toEqual(['kelp-deep', 2 * GiB]);
  const nvme = decision!.trace.candidates.find((c) => c.pool === 'kelp-nvme')!;
  expect(nvme.checks.filter((c) => !c.passed)).toEqual([
    { rule: 'protocol', passed: false, need: 'S3', have: 'NVMe/TCP', unit: 'text' },
  ]);
});

test('without a limit of its own or of its class it is refused before anything is made; one seen on the platform waits and says so', async () => {
  const refused = await maren.call<Problem>('POST', '/api/buckets', {
    ...{ namespace: 'tide-gauges', name: 'boundless', className: 'logs' },
  });
  expect([refused.status, refused.data.errors?.[0]?.field]).toEqual([422, 'limit']);
  const claim = (name: string, spec: object) =>
    world.platform.store.create('bucketclaims', {
      ...{ metadata: { name, namespace: 'tide-gauges' }, spec: { protocols: ['s3'], ...spec } },
    });
  claim('boundless', { bucketClassName: 'logs' });
  expect((await inState('boundless', 'waiting')).bucket.waitsFor).toBe('limit');
  // told to hold so much, it goes on
  world.platform.store.amend('bucketclaims', stored('bucketclaims', 'boundless', 'tide-gauges')!, (copy) => {
    copy.metadata.annotations = { 'vast-moorage.example/limit': '1Gi' };
  });
  await inState('boundless', 'ready');
});

test('one that fits nowhere says which rule failed, and goes on when there is room', async () => {
  await ask('vast', 'logs', '300Ti');
  const { bucket, decision } = await inState('vast', 'waiting');
  expect(bucket.waitsFor).toBe('capacity');
  await eventually('a finding says so', async () =>
    (await maren.ok<FindingRow[]>('GET', '/api/findings')).some(
      (f) =>
        f.kind === 'buckets-waiting' &&
        f.subject === 'capacity' &&
        JSON.stringify(f.facts).includes('tide-gauges/vast'),
    ),
  );
  expect(decision!.trace.candidates[0]!.checks.filter((c) => !c.passed).map((c) => c.rule)).toEqual(['subscription']);
  const { version } = (await maren.ok<{ pools: { id: string; version: number }[] }[]>('GET', '/api/backends'))
    .flatMap((b) => b.pools)
    .find((p) => p.id === 'kelp-deep')!;
  await maren.ok('PATCH', '/api/pools/kelp-deep', { overcommit: 10 }, { 'If-Match': `"${version}"` });
  await inState('vast', 'ready');
  await maren.ok('DELETE', `${path('vast')}?confirm=vast`);
});

test('a key is an account that may use this bucket alone; its secret is on the platform and nowhere here', async () => {
  const { bucket } = await detail('gauge-log');
  const found = await giveKey('gauge-log', 'writer');
  expect(found.endpoint).toBe(world.kelp.url);
  expect(stored('bucketaccessclasses', 'vast-moorage.example')).toMatchObject({ authenticationType: 'Key' });
  expect(world.kelp.backend.accounts.get(found.accessKeyID)).toEqual({
    ...{ password: found.accessSecretKey, role: 'NoAccess' },
  });
  expect(JSON.stringify(boxOf().get(bucket.bucket!).policy)).toContain(found.accessKeyID);
  expect(stored('bucketaccesses', 'writer', 'tide-gauges')!.status).toEqual({
    ...{ accessGranted: true, accountID: found.accessKeyID },
  });
  const tables = await world.rows<{ name: string }>(
    `SELECT table_name AS name FROM information_schema.tables WHERE table_schema = 'public' AND table_type = 'BASE TABLE'`,
  );
  for (const { name } of tables)
    expect(
      await world.rows(`SELECT 1 FROM ${name} t WHERE t::text LIKE '%' || $1 || '%'`, [found.accessSecretKey]),
    ).toEqual([]);
});

test('a secret of somebody else is never written over', async () => {
  world.platform.store.create('secrets', {
    ...{ metadata: { name: 'taken-secret', namespace: 'tide-gauges' }, data: { word: 'bGVlZQ==' } },
  });
  await maren.ok('POST', `${path('gauge-log')}/keys`, { name: 'taken', secretName: 'taken-secret' });
  const stopped = await eventually('it stops', async () =>
    (await detail('gauge-log')).accesses.find((a) => a.name === 'taken' && a.state === 'stopped'),
  );
  expect(stopped.problem).toMatch(/taken-secret is there already and was not made for this access/);
  expect(stored('secrets', 'taken-secret', 'tide-gauges')!.data).toEqual({ word: 'bGVlZQ==' });
  await maren.ok('DELETE', `${path('gauge-log')}/keys/taken`);
});

test('what lies in it is counted, against the limit and in its namespace; full, it is shut for writing until it holds less', async () => {
  await ask('small', 'archive', '1Gi');
  const { bucket } = await inState('small', 'ready');
  const { accessKeyID } = await giveKey('small', 'filler');
  const mayWrite = () =>
    boxOf()
      .get(bucket.bucket!)
      .policy?.Statement.some(
        (s) => s.Action.includes('s3:PutObject') && JSON.stringify(s.Principal).includes(accessKeyID),
      ) ?? false;
  expect(mayWrite()).toBe(true);
  put(bucket.bucket!, 'a', 1000);
  put(bucket.bucket!, 'b', 2000);
  await eventually('it is counted', async () => {
    const { written, objects } = (await detail('small')).bucket;
    return written === 3000 && objects === 2;
  });
  const usage = (await maren.ok<NamespaceUsage[]>('GET', '/api/namespaces')).find(
    (n) => n.namespace === 'tide-gauges',
  )!;
  expect(usage.classes.find((c) => c.className === 'archive')).toMatchObject({
    ...{ claims: 2, provisioned: 3 * GiB, consumed: 3000, footprint: 4.5 * GiB },
  });
  // as if it had been allowed no more than it holds
  await world.rows('UPDATE buckets SET bytes = 3000 WHERE name = $1', [bucket.bucket]);
  await eventually('it is shut', async () => (await detail('small')).bucket.isShut);
  const full = await eventually('a finding says so', async () =>
    (await maren.ok<FindingRow[]>('GET', '/api/findings')).find((f) => f.kind === 'buckets-full'),
  );
  expect(full.facts).toEqual({ buckets: 1, some: ['tide-gauges/small'] });
  await eventually('its backend was told', () => Promise.resolve(!mayWrite()));
  boxOf().delete(bucket.bucket!, 'b');
  await eventually('it is open again', async () => !(await detail('small')).bucket.isShut && mayWrite());
  // as if the server had been killed when it knew, before it told the backend
  boxOf().setPolicy(bucket.bucket!, undefined);
  expect(mayWrite()).toBe(false);
  await eventually('it is opened all the same', () => Promise.resolve(mayWrite()));
});

test('a bucket that somebody removed on its backend is told as lost, what it held stays told, and none is made in its place', async () => {
  await ask('lost', 'logs', '1Gi');
  const { bucket } = await inState('lost', 'ready');
  const name = bucket.bucket!;
  put(name, 'a', 700);
  await eventually('it is counted', async () => (await detail('lost')).bucket.written === 700);
  const { owner, pool } = boxOf().get(name);
  boxOf().delete(name, 'a');
  boxOf().remove(name);
  await eventually('it is missed', async () => (await detail('lost')).bucket.missingSince !== null);
  expect((await detail('lost')).bucket).toMatchObject({ state: 'ready', written: 700 });
  const found = await eventually('a finding says so', async () =>
    (await maren.ok<FindingRow[]>('GET', '/api/findings')).find((f) => f.kind === 'buckets-lost'),
  );
  expect(found.facts).toEqual({ buckets: 1, some: ['tide-gauges/lost'] });
  expect(() => boxOf().get(name)).toThrow();
  // it is there again, from wherever
  boxOf().create(name, owner, pool);
  await eventually('it is found again', async () => (await detail('lost')).bucket.missingSince === null);
});

test('what it may hold is changed here or on the platform: promised at once where there is room, else when there is; never below what lies in it', async () => {
  await ask('grows', 'logs', '1Gi');
  const { bucket } = await inState('grows', 'ready');
  const setLimit = (limit: string) => maren.call<Problem>('PUT', `${path('grows')}/limit`, { limit });
  const holds = (limit: number, wants: number | null) =>
    eventually(`it may hold ${limit}, wants ${wants}`, async () => {
      const row = (await detail('grows')).bucket;
      return row.limit === limit && row.wants === wants;
    });
  const before = Number(await reserved('kelp-deep'));
  expect((await setLimit('3Gi')).status).toBe(202);
  await holds(3 * GiB, null);
  expect(Number(await reserved('kelp-deep')) - before).toBe(3 * GiB);
  const onPlatform = (limit: string) =>
    world.platform.store.amend('bucketclaims', stored('bucketclaims', 'grows', 'tide-gauges')!, (copy) => {
      copy.metadata.annotations = { 'vast-moorage.example/limit': limit };
    });
  // its own raw bytes for each are kept, whatever the pool's kind
  await world.rows(`UPDATE buckets SET raw_bytes = 3 * bytes WHERE name = $1`, [bucket.bucket]);
  onPlatform('2Gi');
  await holds(2 * GiB, null);
  expect(await world.rows('SELECT raw_bytes AS raw FROM buckets WHERE name = $1', [bucket.bucket])).toEqual([
    { raw: 6 * GiB },
  ]);
  // more than the namespace has left: waits, and the bucket stays ready as it is
  await maren.ok('PUT', '/api/namespaces/tide-gauges/limit/logs', { bytes: 4 * GiB, evenIfOver: true });
  onPlatform('30Gi');
  await holds(2 * GiB, 30 * GiB);
  expect((await detail('grows')).bucket.state).toBe('ready');
  await maren.ok('PUT', '/api/namespaces/tide-gauges/limit/logs', { bytes: 100 * GiB });
  await holds(30 * GiB, null);
  onPlatform('much');
  onPlatform('1Gi');
  await holds(GiB, null);
  put(bucket.bucket!, 'level', 2000);
  await eventually('it is counted', async () => (await detail('grows')).bucket.written === 2000);
  const refused = await setLimit('1000');
  expect([refused.status, refused.data.errors?.[0]?.field]).toEqual([422, 'limit']);
  expect(refused.data.detail).toMatch(/2000 bytes lie in it/);
  await maren.ok('PUT', '/api/namespaces/tide-gauges/limit/logs', { bytes: null });
  await maren.ok('DELETE', `${path('grows')}?confirm=grows`);
});

test('a key that is taken back opens nothing any more, and its secret is gone', async () => {
  const { bucket } = await detail('small');
  const { accessKeyID } = secretOf('filler-secret')!;
  await maren.ok('DELETE', `${path('small')}/keys/filler`);
  await eventually('it is taken back', async () => !world.kelp.backend.accounts.has(accessKeyID));
  await eventually('its secret is gone', async () => stored('secrets', 'filler-secret', 'tide-gauges') === undefined);
  await eventually('nobody is let in', async () => boxOf().get(bucket.bucket!).policy === undefined);
});

test('Delete: what lies in it is destroyed when its name was said, and room, keys and bucket go with it', async () => {
  const { bucket } = await detail('gauge-log');
  const { accessKeyID } = secretOf('writer-secret')!;
  for (let i = 0; i < 1300; i++) put(bucket.bucket!, `day/${i}`, 1);
  await eventually('it is counted', async () => (await detail('gauge-log')).bucket.objects === 1300);
  const refused = await maren.call<Problem>('DELETE', path('gauge-log'));
  expect([refused.status, refused.data.code]).toEqual([409, 'name-it']);
  expect(refused.data.detail).toMatch(/destroys 1300 objects/);
  await maren.ok('DELETE', `${path('gauge-log')}?confirm=gauge-log`);
  await eventually(
    'it is gone',
    async () =>
      !boxOf()
        .list()
        .some((b) => b.name === bucket.bucket),
  );
  await eventually('here as well', async () => (await maren.call('GET', path('gauge-log'))).status === 404);
  expect(world.kelp.backend.accounts.has(accessKeyID)).toBe(false);
  expect(stored('buckets', bucket.bucket!)).toBeUndefined();
  expect(await world.rows(`SELECT 1 FROM buckets WHERE name = $1`, [bucket.bucket])).toEqual([]);
});

test('Retain: it is kept, still counted, given to another claim as it was, or destroyed by name', async () => {
  const { bucket } = await inState('old-charts', 'ready');
  put(bucket.bucket!, 'sheet-1', 500);
  await maren.ok('DELETE', path('old-charts'));
  const kept = await inState('old-charts', 'kept');
  expect(kept.bucket.keptSince).not.toBeNull();
  expect(boxOf().get(bucket.bucket!).objects.size).toBe(1);
  const another = { metadata: { name: 'old-charts-again', namespace: 'tide-gauges' } };
  world.platform.store.create('bucketclaims', {
    ...another,
    spec: { bucketClassName: 'archive', protocols: ['s3'], existingBucketName: bucket.bucket },
  });
  const again = await inState('old-charts-again', 'ready');
  expect(again.bucket.bucket).toBe(bucket.bucket);
  expect(boxOf().get(bucket.bucket!).objects.size).toBe(1);
  // of another namespace it is not to be had
  world.platform.store.create('bucketclaims', {
    metadata: { name: 'thief', namespace: 'ferry-desk' },
    spec: { bucketClassName: 'archive', protocols: ['s3'], existingBucketName: bucket.bucket },
  });
  await eventually('it waits', async () => {
    const { rows } = await maren.ok<BucketPage>('GET', '/api/buckets?namespace=ferry-desk');
    return rows[0]?.waitsFor === 'existing';
  });
  await maren.ok('DELETE', path('old-charts-again'));
  await inState('old-charts-again', 'kept');
  const destroy = (confirm?: string) =>
    maren.call<Problem>('POST', `/api/kept-buckets/${bucket.bucket}/destroy${confirm ? `?confirm=${confirm}` : ''}`);
  expect((await destroy()).data.code).toBe('name-it');
  expect((await destroy('old-charts-again')).status).toBe(202);
  await eventually(
    'it is gone',
    async () =>
      !boxOf()
        .list()
        .some((b) => b.name === bucket.bucket),
  );
});

test('claims and buckets that vanish together are no deletion: nothing is destroyed', async () => {
  await ask('precious', 'logs', '1Gi');
  const { bucket } = await inState('precious', 'ready');
  put(bucket.bucket!, 'only-copy', 5);
  world.platform.store.delete('buckets', undefined, bucket.bucket!);
  world.platform.store.delete('bucketclaims', 'tide-gauges', 'precious');
  await inState('precious', 'kept');
  expect(boxOf().get(bucket.bucket!).objects.size).toBe(1);
});

test('one of another driver’s class is left to that, and says so', async () => {
  world.platform.store.create('bucketclasses', {
    metadata: { name: 'theirs' },
    driverName: 'other.example',
    deletionPolicy: 'Delete',
  });
  world.platform.store.create('bucketclaims', {
    metadata: { name: 'elsewhere', namespace: 'tide-gauges' },
    spec: { bucketClassName: 'theirs', protocols: ['s3'] },
  });
  const { bucket } = await eventually('it is seen', async () => {
    const { status, data } = await maren.call<BucketDetail>('GET', path('elsewhere'));
    return status === 200 && data.bucket.waitsFor === 'other-driver' && data;
  });
  expect(bucket).toMatchObject({ state: 'waiting', bucket: null });
});

test('is found by its own name and by the bucket’s, by those who see its namespace', async () => {
  const { bucket } = await detail('small');
  const look = (q: string, caller = maren) => caller.ok<LookedUp[]>('GET', `/api/lookup?q=${q}`);
  expect(await look('small')).toContainEqual({ kind: 'bucket', name: 'small', of: 'tide-gauges', by: null });
  expect(await look(bucket.uid)).toContainEqual({
    kind: 'bucket',
    name: 'small',
    of: 'tide-gauges',
    by: bucket.bucket,
  });
  const ivo = await new Caller(server.url).signIn('ivo');
  expect((await look('small', ivo)).filter((f) => f.kind === 'bucket')).toEqual([]);
});

test('an owner sees the own namespaces’ buckets alone, pages follow one another, and a class in use stays', async () => {
  const ivo = await new Caller(server.url).signIn('ivo');
  expect((await ivo.call('GET', path('small'))).status).toBe(404);
  const page = await maren.ok<BucketPage>('GET', '/api/buckets?limit=1');
  expect(page.rows).toHaveLength(1);
  const next = await maren.ok<BucketPage>('GET', `/api/buckets?limit=500&cursor=${encodeURIComponent(page.next!)}`);
  expect(next.rows.map((r) => r.uid)).not.toContain(page.rows[0]!.uid);
  expect(next.next).toBeNull();
  expect((await ivo.ok<BucketPage>('GET', '/api/buckets')).rows.every((r) => r.namespace !== 'tide-gauges')).toBe(true);
  expect((await maren.call<Problem>('DELETE', '/api/bucket-classes/archive')).data.code).toBe('in-use');
});
