import type { ClaimRow } from '@moorage/contract/claims';
import type { FindingRow } from '@moorage/contract/findings';
import type { GrowthAnswer } from '@moorage/contract/growth';
import type { OperationPage, OperationRow } from '@moorage/contract/operations';
import type { KubeObject } from '@moorage/standins/platform/store';
import type { RunningServer } from '../server';
import { aClaim, eventually, makeWorld, moorClass, type Caller, type World } from '../testing/world';

/** Claims that ask for more, from the form and on the platform, between the stand-ins. */
const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let caller: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  caller = await world.operator(server);
  const iopsFloor = { kind: 'per-gib', perGiB: 2 };
  await moorClass(caller, 'tide-fast', ['kelp-nvme'], { copies: 3, expansion: true, iopsFloor });
  await moorClass(caller, 'plain', ['basalt-swift'], { copies: 1, expansion: true });
  await moorClass(caller, 'fixed', ['basalt-swift'], { copies: 1, expansion: false });
}, 90_000);
afterAll(() => world.end());

const onPlatform = (name: string) => world.platform.store.find('persistentvolumeclaims', 'tide-gauges', name)!;
const volumeOf = (name: string) =>
  world.platform.store.find('persistentvolumes', undefined, String(onPlatform(name).spec?.volumeName));
/** Sizes on the backends of what was made for a claim. */
const onBackends = (name: string) =>
  [world.kelp, world.basalt].flatMap(({ backend }) =>
    [...backend.volumes.values()]
      .filter((v) => v.name === `pvc-${onPlatform(name).metadata.uid}`)
      .map((v) => v.capacity),
  );
const bound = async (name: string, className: string, size: string) => {
  await caller.ok('POST', '/api/claims', aClaim(name, className, { size }));
  return (await caller.inState(name, 'bound')).claim;
};
const outlook = (name: string, size: string) =>
  caller.ok<GrowthAnswer>('GET', `/api/claims/tide-gauges/${name}/growth?size=${size}`);
const grow = (name: string, size: string) =>
  caller.ok<ClaimRow>('POST', `/api/claims/tide-gauges/${name}/growth`, { size });
const until = (name: string, what: string, holds: (claim: ClaimRow) => boolean) =>
  eventually(`${name}: ${what}`, async () => {
    const { claim } = await caller.claim(name);
    return holds(claim) ? claim : Promise.reject(new Error(JSON.stringify(claim)));
  });
/** A pod that uses a claim, running on a node. */
const podFor = (claim: string): KubeObject =>
  world.platform.store.create('pods', {
    metadata: { name: `pod-${claim}`, namespace: 'tide-gauges' },
    spec: { volumes: [{ name: 'data', persistentVolumeClaim: { claimName: claim } }] },
    status: { phase: 'Pending' },
  });
const reserved = async (name: string) =>
  (
    await world.rows<{ bytes: number; raw_bytes: number; backend_iops: number }>(
      'SELECT bytes::float, raw_bytes::float, backend_iops FROM reservations WHERE claim_name = $1',
      [name],
    )
  )[0]!;
/** What pools say is promised, beside what the reservations come to. */
const promised = () =>
  world.rows<{ id: string; kept: number; counted: number }>(
    `SELECT p.id, p.reserved_raw::float AS kept, (coalesce((SELECT sum(raw_bytes) FROM reservations r WHERE r.pool_id = p.id), 0)
       + coalesce((SELECT sum(raw_bytes) FROM further_copies f WHERE f.pool_id = p.id), 0))::float AS counted FROM pools p`,
  );
afterEach(async () => {
  for (const { kept, counted } of await promised()) expect(kept).toBe(counted);
});

test('a claim grows by the form: reserved, on the backend, on the platform, and on its node once a pod runs there', async () => {
  await bound('g-form', 'tide-fast', '20Gi');
  expect(await outlook('g-form', '30Gi')).toMatchObject({
    ...{ requested: 20 * GiB, provisioned: 20 * GiB, wanted: 30 * GiB, reaches: 'at-next-start', remedies: [] },
    growth: { kind: 'reckoned', fits: true, on: [{ pool: 'kelp-nvme', addedRaw: 30 * GiB }] },
  });
  await grow('g-form', '30Gi');
  const waits = await until('g-form', 'waits for its node', (c) => c.growth?.state === 'seeing');
  expect(waits).toMatchObject({ requested: 30 * GiB, provisioned: 30 * GiB, growth: { waitingFor: 'node' } });
  expect(onBackends('g-form')).toEqual([30 * GiB]);
  expect(volumeOf('g-form')?.spec?.capacity).toEqual({ storage: '30Gi' });
  expect(onPlatform('g-form').status).toMatchObject({
    capacity: { storage: '20Gi' },
    conditions: [{ type: 'FileSystemResizePending', status: 'True' }],
  });
  expect(await reserved('g-form')).toMatchObject({ bytes: 30 * GiB, raw_bytes: 90 * GiB });
  podFor('g-form');
  await until('g-form', 'has grown', (c) => c.growth === null);
  expect(onPlatform('g-form').status).toMatchObject({ capacity: { storage: '30Gi' }, conditions: [] });
  const { rows } = await caller.ok<OperationPage>('GET', '/api/operations?show=ended&kind=grow');
  expect(rows.filter((r) => r.about === 'tide-gauges/g-form').map((r) => r.state)).toEqual(['grown']);
  const { entries } = await caller.ok<{ entries: { subject: string; before: unknown; after: unknown }[] }>(
    'GET',
    '/api/logbook',
  );
  expect(entries.find((e) => e.subject === 'tide-gauges/g-form' && e.before)).toMatchObject({
    before: { size: '20Gi' },
    after: { size: '30Gi' },
  });
});

test('what was done for a claim is told step by step, in its order', async () => {
  const { timeline } = await caller.claim('g-form');
  expect(timeline.map((t) => `${t.title}: ${t.words}`)).toEqual([
    'Binding a claim: chooses its pool',
    'Binding a claim: volume is being made',
    'Binding a claim: persistent volume is being written',
    'Binding a claim: the platform binds it',
    'Binding a claim: bound',
    'Growing a claim: looks whether it fits',
    'Growing a claim: volume is being made larger',
    'Growing a claim: the platform is told',
    'Growing a claim: waits for its node to grow the file system',
    'Growing a claim: grown',
  ]);
  expect(timeline.every((t) => t.seconds === null || (t.seconds >= 0 && t.seconds < 90))).toBe(true);
  expect(timeline.filter((t) => t.seconds === null)).toHaveLength(2);
});

test('a request that is changed on the platform grows the claim as well, and one changed again meanwhile is followed to its end', async () => {
  await bound('g-kube', 'plain', '10Gi');
  podFor('g-kube');
  const ask = (storage: string) =>
    world.platform.store.amend('persistentvolumeclaims', onPlatform('g-kube'), (copy) => {
      copy.spec!.resources = { requests: { storage } };
    });
  ask('12Gi');
  ask('15Gi');
  await until('g-kube', 'has grown', (c) => c.provisioned === 15 * GiB && c.growth === null);
  expect(onBackends('g-kube')).toEqual([15 * GiB]);
  expect(onPlatform('g-kube').status?.capacity).toEqual({ storage: '15Gi' });
});

test('what does not fit is refused beforehand with its remedies; asked for all the same it waits, and grows when a limit is raised', async () => {
  await bound('g-limit', 'plain', '10Gi');
  await caller.ok('PUT', '/api/namespaces/tide-gauges/enforcement', { byPlatform: false });
  await caller.ok('PUT', '/api/namespaces/tide-gauges/limit/plain', { bytes: 40 * GiB });
  const answer = await outlook('g-limit', '60Gi');
  expect(answer.growth).toMatchObject({ kind: 'reckoned', fits: false });
  expect(answer.remedies.map((r) => r.changes.map((c) => c.kind))).toEqual([['raise-quota'], ['ask-less']]);
  const { changes } = answer.remedies[1]!;
  expect(changes[0]).toMatchObject({ size: answer.most });
  await grow('g-limit', '60Gi');
  const waits = await until('g-limit', 'waits', (c) => c.growth?.state === 'waiting');
  expect(waits).toMatchObject({
    ...{ state: 'bound', provisioned: 10 * GiB },
    growth: { waitingFor: 'capacity', failed: { check: { rule: 'class-quota' } } },
  });
  expect(onBackends('g-limit')).toEqual([10 * GiB]);
  const found = await eventually('it is a finding', async () => {
    const findings = await caller.ok<FindingRow[]>('GET', '/api/findings');
    return findings.find((f) => f.id === 'claims-stuck:plain:cannot-grow');
  });
  expect(found).toMatchObject({ weight: 1, facts: { bytes: 50 * GiB, some: ['tide-gauges/g-limit'] } });
  await caller.ok('PUT', '/api/namespaces/tide-gauges/limit/plain', { bytes: null });
  podFor('g-limit');
  await until('g-limit', 'has grown', (c) => c.provisioned === 60 * GiB && c.growth === null);
});

test('a class that does not allow it, shrinking, and a claim without a volume are refused in words, and nothing is changed', async () => {
  await bound('g-fixed', 'fixed', '10Gi');
  expect((await outlook('g-fixed', '20Gi')).growth).toEqual({ kind: 'fixed' });
  const refused = await caller.call<{ detail: string }>('POST', '/api/claims/tide-gauges/g-fixed/growth', {
    size: '20Gi',
  });
  expect([refused.status, refused.data.detail]).toEqual([expect.any(Number), expect.stringContaining('resize')]);
  expect(onPlatform('g-fixed').spec?.resources?.requests?.storage).toBe('10Gi');
  const smaller = await caller.call<{ detail: string }>('POST', '/api/claims/tide-gauges/g-fixed/growth', {
    size: '5Gi',
  });
  expect([smaller.status, smaller.data.detail]).toEqual([422, expect.stringContaining('never shrinks')]);
  await caller.ok('POST', '/api/claims', aClaim('g-none', 'missing'));
  const none = await caller.call<{ detail: string }>('GET', '/api/claims/tide-gauges/g-none/growth?size=90Gi');
  expect([none.status, none.data.detail]).toEqual([409, expect.stringContaining('not bound')]);
  expect((await caller.call('GET', '/api/claims/tide-gauges/nobody/growth?size=9Gi')).status).toBe(404);
});

test('two that ask for the last room at once: one grows, the other waits, and the ceiling holds', async () => {
  await bound('g-one', 'plain', '10Gi');
  await bound('g-two', 'plain', '10Gi');
  const [{ taken }] = (await world.rows<{ taken: number }>(
    `SELECT reserved_raw::float AS taken FROM pools WHERE id = 'basalt-swift'`,
  )) as [{ taken: number }];
  await caller.ok('PATCH', '/api/pools/basalt-swift', { allotment: taken + 15 * GiB });
  await Promise.all([grow('g-one', '20Gi'), grow('g-two', '20Gi')]);
  const settled = async () => (await Promise.all(['g-one', 'g-two'].map((n) => caller.claim(n)))).map((d) => d.claim);
  const claims = await eventually('one waits', async () => {
    const both = await settled();
    return both.some((c) => c.growth?.state === 'waiting') && both.some((c) => c.growth?.state === 'seeing') && both;
  });
  expect(claims.map((c) => c.provisioned).sort()).toEqual([10 * GiB, 20 * GiB]);
  await caller.ok('PATCH', '/api/pools/basalt-swift', { allotment: null });
  await eventually('both have', async () => (await settled()).every((c) => c.provisioned === 20 * GiB));
});

test('a backend that loses its answer, or is full, or refuses: asked again, grown once, or given back when it is called off', async () => {
  await bound('g-back', 'plain', '10Gi');
  const { faults } = world.basalt;
  faults.add({ kind: 'lose-answer', method: 'PATCH', times: 1 });
  await grow('g-back', '20Gi');
  await until('g-back', 'is larger', (c) => c.growth?.state === 'seeing');
  expect(onBackends('g-back')).toEqual([20 * GiB]);
  podFor('g-back');
  await until('g-back', 'has grown', (c) => c.growth === null);

  faults.add({ kind: 'refuse', method: 'PATCH', status: 400 });
  await grow('g-back', '30Gi');
  const stopped = await until('g-back', 'was refused', (c) => c.growth?.stopped === 'refused');
  expect(stopped).toMatchObject({ provisioned: 30 * GiB, growth: { error: { code: 'backend-refused' } } });
  await caller.ok<OperationRow>('POST', `/api/operations/${stopped.growth!.operation}/cancel`);
  const back = await until('g-back', 'was called off', (c) => c.growth === null);
  expect(back.provisioned).toBe(20 * GiB);
  expect(await reserved('g-back')).toMatchObject({ bytes: 20 * GiB, raw_bytes: 20 * GiB });
  expect(onBackends('g-back')).toEqual([20 * GiB]);
  faults.heal();
  // it still asks on the platform, and is not begun again by itself; another size is
  await grow('g-back', '31Gi');
  await until('g-back', 'has grown at last', (c) => c.provisioned === 31 * GiB && c.growth === null);
});

test('a claim that is deleted while it grows takes its growth along', async () => {
  await bound('g-gone', 'plain', '10Gi');
  await grow('g-gone', '20Gi');
  await until('g-gone', 'is larger', (c) => c.growth?.state === 'seeing');
  const { uid } = onPlatform('g-gone').metadata;
  await caller.ok('DELETE', '/api/claims/tide-gauges/g-gone');
  await eventually('nothing is reserved', async () => {
    const [row] = await world.rows<{ count: number }>('SELECT count(*)::int FROM reservations WHERE claim_uid = $1', [
      uid,
    ]);
    return row!.count === 0;
  });
  const states = await world.rows<{ state: string }>(
    `SELECT state FROM operations WHERE kind = 'grow' AND subject = $1`,
    [uid],
  );
  expect(states).toEqual([{ state: 'abandoned' }]);
});
