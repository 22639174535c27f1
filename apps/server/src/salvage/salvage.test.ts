import type { GivenBack, SalvagePage, SalvageRow } from '@moorage/contract/salvage';
import type { OperationPage } from '@moorage/contract/operations';
import type { RunningServer } from '../server';
import { aClaim, Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

/** Volumes that no claim holds, given back, kept longer, destroyed, adopted, between the stand-ins. */
const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let caller: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  caller = await world.operator(server);
  await moorClass(caller, 'kept', ['kelp-nvme'], { copies: 2, reclaim: 'Retain' });
  await moorClass(caller, 'graced', ['basalt-swift'], { copies: 1, reclaim: 'Delete', graceDays: 7 });
}, 90_000);
afterAll(() => world.end());
afterEach(() => world.platform.faults.heal());

const store = () => world.platform.store;
const onPlatform = (name: string, namespace = 'tide-gauges') => store().find('persistentvolumeclaims', namespace, name);
const list = (query = '', by = caller) => by.ok<SalvagePage>('GET', `/api/salvage?limit=500${query}`);
const adrift = (name: string) =>
  eventually(`${name} is adrift`, async () => (await list()).rows.find((r) => r.name === name && r.operation === null));
const give = (volumes: object[], by = caller) => by.ok<GivenBack>('POST', '/api/salvage', { volumes });
/** Waits until a claim is bound and holds what was reserved for its volume. */
const holding = (name: string, namespace = 'tide-gauges') =>
  eventually(`${name} holds its volume`, async () => {
    const { claim } = await caller.claim(name, namespace);
    return claim.state === 'bound' && claim.volumeId !== null && claim;
  });
/** A claim that was bound, written to, and deleted by mistake. */
async function lost(name: string, className = 'kept', written = 3 * GiB): Promise<SalvageRow> {
  await caller.ok('POST', '/api/claims', aClaim(name, className, { size: '10Gi' }));
  const { claim } = await caller.inState(name, 'bound');
  const backend = claim.backend === 'kelp' ? world.kelp.backend : world.basalt.backend;
  if (written > 0) backend.write(claim.volumeId!, written);
  await eventually('the written bytes are known', async () => (await caller.claim(name)).claim.consumed === written);
  await caller.ok('DELETE', `/api/claims/tide-gauges/${name}?confirm=${name}`);
  return adrift(name);
}
const reserved = () =>
  world.rows<{ id: string; kept: number; counted: number }>(
    `SELECT p.id, p.reserved_raw::float AS kept, coalesce((SELECT sum(raw_bytes) FROM reservations r WHERE r.pool_id = p.id), 0)::float AS counted
     FROM pools p`,
  );
const ended = (operation: string) =>
  eventually('it has ended', async () => {
    const { rows } = await caller.ok<OperationPage>('GET', '/api/operations?show=ended&kind=salvage');
    return rows.find((r) => r.id === operation);
  });

test('deleted by mistake, a volume goes back to its old name: the same volume, the same data, the same places', async () => {
  const row = await lost('s-log');
  expect(row).toMatchObject({
    ...{ origin: 'kept', namespace: 'tide-gauges', className: 'kept', backend: 'kelp', pool: 'kelp-nvme' },
    ...{ bytes: 10 * GiB, consumed: 3 * GiB, modes: ['ReadWriteOnce'], volumeMode: 'Filesystem', destroyedAt: null },
    ...{ copies: 'whole', nameTaken: false },
  });
  const before = await world.rows('SELECT disk, bytes FROM reservation_copies WHERE claim_uid = $1 ORDER BY 1', [
    row.id,
  ]);
  const { begun } = await give([{ id: row.id, namespace: 'tide-gauges', name: 's-log' }]);
  expect(await ended(begun[0]!.operation)).toMatchObject({ state: 'given', about: 'tide-gauges/s-log' });
  const claim = await holding('s-log');
  expect(claim).toMatchObject({ volumeId: row.volumeId, provisioned: 10 * GiB, consumed: 3 * GiB, pool: 'kelp-nvme' });
  expect(
    await world.rows('SELECT disk, bytes FROM reservation_copies WHERE claim_uid = $1 ORDER BY 1', [claim.uid]),
  ).toEqual(before);
  expect((await list()).rows.filter((r) => r.volumeId === row.volumeId)).toEqual([]);
  for (const { kept, counted } of await reserved()) expect(kept).toBe(counted);
  // deleted once more, it is kept once more, under the claim it had last
  await caller.ok('DELETE', '/api/claims/tide-gauges/s-log?confirm=s-log');
  expect(await adrift('s-log')).toMatchObject({ volumeId: row.volumeId, fingerprint: row.fingerprint });
});

test('within its grace a volume goes to another name, and is not destroyed when the grace would have ended', async () => {
  const row = await lost('s-grace', 'graced');
  expect(row).toMatchObject({ origin: 'grace', destroyedAt: expect.stringMatching(/Z$/) as unknown });
  await caller.ok('POST', '/api/salvage/grace', { id: row.id, days: 3 });
  const longer = await adrift('s-grace');
  expect(Date.parse(longer.destroyedAt!) - Date.parse(row.destroyedAt!)).toBe(3 * 86_400_000);
  await give([{ id: row.id, namespace: 'ferry-desk', name: 's-found' }]);
  const claim = await holding('s-found', 'ferry-desk');
  expect(claim).toMatchObject({ volumeId: row.volumeId, consumed: 3 * GiB });
  await world.rows('UPDATE reservations SET keep_until = now() WHERE claim_uid = $1', [claim.uid]);
  await eventually('the sweep has looked', async () => {
    const [op] = await world.rows<{ state: string }>(
      `SELECT state FROM operations WHERE kind = 'release' AND subject = $1`,
      [row.id],
    );
    return op?.state === 'released';
  });
  expect([...world.basalt.backend.volumes.keys()]).toContain(row.volumeId);
});

test('a whole set comes back to its names in one act', async () => {
  const rows: SalvageRow[] = [];
  for (const i of [2, 0, 1]) rows.push(await lost(`data-set-${i}`, 'kept', (i + 1) * GiB));
  expect(rows.map((r) => [r.set, r.ordinal])).toEqual([2, 0, 1].map((i) => ['data-set', i]));
  const { begun, refused } = await give(rows.map(({ id, namespace, name }) => ({ id, namespace, name })));
  expect([begun.length, refused]).toEqual([3, []]);
  for (const i of [0, 1, 2])
    expect(await holding(`data-set-${i}`)).toMatchObject({
      volumeId: rows.find((r) => r.ordinal === i)!.volumeId,
      consumed: (i + 1) * GiB,
    });
});

test('a claim that waits takes a volume that it matches; what it does not match is refused and left as it was', async () => {
  const row = await lost('s-wait');
  const bare = { apiVersion: 'v1', kind: 'PersistentVolumeClaim' };
  const pending = (name: string, storage: string, storageClassName = 'kept') =>
    store().create('persistentvolumeclaims', {
      ...bare,
      metadata: { name, namespace: 'tide-gauges', finalizers: [] },
      spec: {
        accessModes: ['ReadWriteOnce'],
        volumeMode: 'Filesystem',
        storageClassName,
        resources: { requests: { storage } },
      },
      status: { phase: 'Pending' },
    });
  // of a class that nobody provides: it waits by itself
  pending('s-larger', '11Gi', 'nobody');
  const { begun } = await give([{ id: row.id, namespace: 'tide-gauges', name: 's-larger' }]);
  const undone = await ended(begun[0]!.operation);
  expect([undone.state, undone.cause]).toEqual([
    'undone',
    'tide-gauges/s-larger cannot take it: it names another class, it asks for more than the volume has.',
  ]);
  expect(await adrift('s-wait')).toMatchObject({ volumeId: row.volumeId });
  // nothing fits: it waits for room
  await caller.ok('PATCH', '/api/pools/kelp-nvme', { allotment: 1 });
  await caller.ok('POST', '/api/claims', aClaim('s-fits', 'kept', { size: '9Gi' }));
  await caller.inState('s-fits', 'nothing-fits');
  await give([{ id: row.id, namespace: 'tide-gauges', name: 's-fits' }]);
  expect(await holding('s-fits')).toMatchObject({ volumeId: row.volumeId, consumed: 3 * GiB });
  await caller.ok('PATCH', '/api/pools/kelp-nvme', { allotment: null });
});

test('two who give one volume to two claims at once: one gets it, the other is told', async () => {
  const row = await lost('s-two');
  const both = await Promise.all(
    ['s-mine', 's-yours'].map((name) => give([{ id: row.id, namespace: 'tide-gauges', name }])),
  );
  expect(both.map((b) => b.begun.length).sort()).toEqual([0, 1]);
  expect(both.flatMap((b) => b.refused.map((r) => r.detail))).toEqual([expect.stringMatching(/already/)]);
  const name = both[0]!.begun.length === 1 ? 's-mine' : 's-yours';
  await holding(name);
  expect(onPlatform(name === 's-mine' ? 's-yours' : 's-mine')).toBeUndefined();
});

test('a volume that nobody here made is adopted under a class, counted, and never destroyed', async () => {
  const made = world.basalt.backend.create({
    ...{ name: 'Old Export #7', capacity: 20 * GiB, pool: 'basalt-broad', drives: [] },
  }).volume;
  world.basalt.backend.write(made.id, 5 * GiB);
  const row = await eventually('it is seen', async () =>
    (await list('&origin=foreign')).rows.find((r) => r.volumeId === made.id),
  );
  expect(row).toMatchObject({ id: `basalt/${made.id}`, name: null, className: null, consumed: 5 * GiB });
  const unsaid = await give([{ id: row.id, namespace: 'chart-tiles', name: 'old-export' }]);
  expect(unsaid.refused).toEqual([{ id: row.id, detail: expect.stringContaining('which class') as unknown }]);
  const as = { className: 'graced', modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' };
  await give([{ id: row.id, namespace: 'chart-tiles', name: 'old-export', ...as }]);
  const claim = await holding('old-export', 'chart-tiles');
  expect(claim).toMatchObject({ volumeId: made.id, provisioned: 20 * GiB, consumed: 5 * GiB, pool: 'basalt-broad' });
  // though its class says Delete, and its persistent volume is turned to it
  const volume = store().find(
    'persistentvolumes',
    undefined,
    String(onPlatform('old-export', 'chart-tiles')!.spec?.volumeName),
  )!;
  expect(volume.spec?.persistentVolumeReclaimPolicy).toBe('Retain');
  store().amend('persistentvolumes', volume, (copy) => {
    copy.spec!.persistentVolumeReclaimPolicy = 'Delete';
  });
  await caller.ok('DELETE', '/api/claims/chart-tiles/old-export?confirm=old-export');
  const back = await adrift('old-export');
  const refused = await caller.call('POST', '/api/salvage/destroy', { id: back.id, confirm: 'old-export' });
  expect(refused.status).toBe(409);
  expect([...world.basalt.backend.volumes.keys()]).toContain(made.id);
});

test('destroyed before its time only with its name typed, and on both sides then', async () => {
  const row = await lost('s-end');
  const unsure = await caller.call<{ detail: string }>('POST', '/api/salvage/destroy', { id: row.id, confirm: 'end' });
  expect([unsure.status, unsure.data.detail]).toEqual([409, expect.stringContaining('"s-end"')]);
  expect(await adrift('s-end')).toBeDefined();
  await caller.ok('POST', '/api/salvage/destroy', { id: row.id, confirm: 's-end' });
  await eventuallyHolds('it is gone everywhere', async () => {
    expect([...world.kelp.backend.volumes.keys()]).not.toContain(row.volumeId);
    expect(store().find('persistentvolumes', undefined, row.volumeName)).toBeUndefined();
    expect((await list()).rows.map((r) => r.id)).not.toContain(row.id);
  });
  for (const { kept, counted } of await reserved()) expect(kept).toBe(counted);
});

test('called off on its way, the volume is adrift as it was, and the claim that was made for it is gone', async () => {
  const row = await lost('s-off');
  const before = store().find('persistentvolumes', undefined, row.volumeName)!.spec?.claimRef;
  world.platform.faults.add({ kind: 'refuse', method: 'POST', path: 'persistentvolumeclaims$', status: 503 });
  const { begun } = await give([{ id: row.id, namespace: 'tide-gauges', name: 's-off' }]);
  await eventually('it is tried again', async () => {
    const { rows } = await caller.ok<OperationPage>('GET', '/api/operations?kind=salvage');
    return rows.some((r) => r.id === begun[0]!.operation && r.status === 'retrying');
  });
  await caller.ok('POST', `/api/operations/${begun[0]!.operation}/cancel`);
  expect(await ended(begun[0]!.operation)).toMatchObject({ state: 'undone', cause: 'called off by maren' });
  expect(await adrift('s-off')).toMatchObject({ fingerprint: row.fingerprint });
  expect(store().find('persistentvolumes', undefined, row.volumeName)!.spec?.claimRef).toEqual(before);
  expect(onPlatform('s-off')).toBeUndefined();
});

test('a volume goes to no namespace beyond its limit; within its own it is counted already', async () => {
  const row = await lost('s-limit');
  await caller.ok('PUT', '/api/namespaces/wave-model/enforcement', { byPlatform: false });
  await caller.ok('PUT', '/api/namespaces/wave-model/limit', { bytes: 9 * GiB });
  const far = await give([{ id: row.id, namespace: 'wave-model', name: 's-far' }]);
  expect(far).toMatchObject({
    begun: [],
    refused: [{ detail: expect.stringContaining('may take 9 GiB more') as unknown }],
  });
  const [{ used }] = (await world.rows<{ used: number }>(
    `SELECT sum(bytes)::float AS used FROM reservations WHERE namespace = 'tide-gauges'`,
  )) as [{ used: number }];
  await caller.ok('PUT', '/api/namespaces/tide-gauges/enforcement', { byPlatform: false });
  await caller.ok('PUT', '/api/namespaces/tide-gauges/limit', { bytes: used });
  expect((await give([{ id: row.id, namespace: 'tide-gauges', name: 's-limit' }])).refused).toEqual([]);
  await holding('s-limit');
  await caller.ok('PUT', '/api/namespaces/tide-gauges/limit', { bytes: null });
});

test('a namespace owner sees and takes what was of the own namespaces, and nothing of others', async () => {
  const row = await lost('s-theirs');
  const ivo = await new Caller(server.url).signIn('ivo');
  expect((await list('', ivo)).rows.map((r) => r.namespace)).not.toContain('tide-gauges');
  const taken = await give([{ id: row.id, namespace: 'ferry-desk', name: 'mine-now' }], ivo);
  expect(taken).toMatchObject({
    begun: [],
    refused: [{ detail: expect.stringContaining('no such volume') as unknown }],
  });
  expect((await ivo.call('POST', '/api/salvage/destroy', { id: row.id, confirm: 's-theirs' })).status).toBe(403);
  expect((await ivo.call('POST', '/api/salvage/grace', { id: row.id, days: 1 })).status).toBe(404);
  expect(await list('&q=s-theirs')).toMatchObject({ total: 1, rows: [{ name: 's-theirs' }] });
});
