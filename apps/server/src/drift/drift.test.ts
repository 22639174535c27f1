import type { DriftPage, DriftRow, MendAnswer } from '@moorage/contract/drift';
import type { OperationPage } from '@moorage/contract/operations';
import type { Proof } from '@moorage/contract/proof';
import type { RunningServer } from '../server';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'held', ['basalt-swift'], {
    copies: 1,
    expansion: true,
    iopsCeiling: { kind: 'fixed', value: 900 },
  });
  await moorClass(maren, 'spread', ['kelp-nvme'], { copies: 3 });
});
afterAll(() => world.end());

const list = async (claim: string) => (await maren.ok<DriftPage>('GET', `/api/drift?claim=${claim}`)).rows;
const found = (claim: string, ...kinds: string[]) =>
  eventually(`${kinds.join(', ') || 'nothing'} of it differs`, async () => {
    const rows = await list(claim);
    // in the order of the names, whichever was met first
    rows.sort((a, b) => (a.kind < b.kind ? -1 : 1));
    return rows.map((r) => r.kind).join() === kinds.join() && rows;
  });
const mend = (rows: readonly Pick<DriftRow, 'claimUid' | 'kind'>[]) =>
  maren.ok<MendAnswer>('POST', '/api/drift', { drifts: rows.map(({ claimUid, kind }) => ({ claimUid, kind })) });
async function bound(name: string, className: string) {
  await maren.ok('POST', '/api/claims', aClaim(name, className, { size: '4Gi' }));
  return (await maren.inState(name, 'bound')).claim;
}
const onPlatform = (name: string) => world.platform.store.find('persistentvolumes', undefined, name);

test('a volume that is as it was declared differs in nothing', async () => {
  const claim = await bound('quiet', 'held');
  await eventually(
    'it was compared',
    async () =>
      (await world.rows('SELECT 1 FROM backend_volumes WHERE volume_id = $1 AND iops_ceiling = 900', [claim.volumeId]))
        .length > 0,
  );
  expect(await list(claim.uid)).toEqual([]);
});

test('what a backend did by itself is found, said to be its doing, and put right', async () => {
  const claim = await bound('changed', 'held');
  world.basalt.backend.change(claim.volumeId!, { serviceClass: 'basalt-swift' });
  const [row] = await found(claim.uid, 'iops-ceiling');
  expect(row).toMatchObject({ declared: 900, actual: null, by: 'backend', remedy: 'set-ceilings', asked: false });
  expect(await mend([row!])).toEqual({ begun: 1, left: 0 });
  await found(claim.uid);
  expect(world.basalt.backend.volumes.get(claim.volumeId!)!.serviceClass).toBe('iops-900');
  expect(
    (await world.rows(`SELECT 1 FROM logbook WHERE kind = 'volume' AND subject = 'tide-gauges/changed'`)).length,
  ).toBe(1);
});

test('a volume that was made larger there is counted as what it is, once somebody says so', async () => {
  const claim = await bound('grew', 'held');
  world.basalt.backend.change(claim.volumeId!, { capacity: 6 * GiB });
  const rows = await found(claim.uid, 'larger');
  const reserved = async () =>
    (await world.rows<{ bytes: number }>('SELECT bytes FROM reservations WHERE claim_uid = $1', [claim.uid]))[0]!.bytes;
  expect(await reserved()).toBe(4 * GiB);
  await mend(rows);
  // what is counted is told to the platform by the next remedy
  const [told] = await found(claim.uid, 'size-told');
  expect(await reserved()).toBe(6 * GiB);
  await mend([told!]);
  await found(claim.uid);
  expect(onPlatform(claim.volumeName!)!.spec?.capacity?.storage).toBe('6Gi');
});

test('what is asked for while the volume is being put right is not lost', async () => {
  const claim = await bound('asked-twice', 'held');
  world.basalt.backend.change(claim.volumeId!, { serviceClass: 'basalt-swift' });
  const pv = onPlatform(claim.volumeName!)!;
  world.platform.store.update('persistentvolumes', {
    ...pv,
    spec: { ...pv.spec, persistentVolumeReclaimPolicy: 'Retain' },
  });
  const rows = await found(claim.uid, 'iops-ceiling', 'reclaim');
  // the first is held up at the backend until the second was asked
  world.basalt.faults.add({
    kind: 'latency',
    latencyMs: 1500,
    method: 'PATCH',
    path: `Volumes/${claim.volumeId}`,
    times: 1,
  });
  await mend([rows[0]!]);
  await eventually('the backend is asked', () =>
    Promise.resolve(world.basalt.faults.calls.some((c) => c.method === 'PATCH' && c.path.includes(claim.volumeId!))),
  );
  await mend([rows[1]!]);
  world.basalt.faults.heal();
  await found(claim.uid);
  expect(onPlatform(claim.volumeName!)!.spec?.persistentVolumeReclaimPolicy).toBe('Delete');
});

test('a persistent volume that somebody deleted is written again, and its claim has it', async () => {
  const claim = await bound('unwritten', 'held');
  const was = onPlatform(claim.volumeName!)!;
  // by force: what protects it is taken away first
  world.platform.store.update('persistentvolumes', { ...was, metadata: { ...was.metadata, finalizers: [] } });
  world.platform.store.delete('persistentvolumes', undefined, claim.volumeName!);
  const [row] = await found(claim.uid, 'not-on-platform');
  expect(row).toMatchObject({ by: 'platform', remedy: 'write-volume', declared: `basalt/${claim.volumeId}` });
  await mend([row!]);
  await found(claim.uid);
  expect(onPlatform(claim.volumeName!)!.spec).toMatchObject({ csi: was.spec!.csi, capacity: was.spec!.capacity });
  await maren.inState('unwritten', 'bound');
});

test('a pool that its class may not use any more is our own doing, and nothing is done about it by itself', async () => {
  const claim = await bound('unmoored', 'spread');
  await maren.ok('PUT', '/api/moorings/spread/kelp-nvme', { enabled: false });
  const [row] = await found(claim.uid, 'pool-not-allowed');
  expect(row).toMatchObject({ by: 'ours', remedy: null });
  expect(await mend([row!])).toEqual({ begun: 0, left: 1 });
  await maren.ok('PUT', '/api/moorings/spread/kelp-nvme', { enabled: true });
  await found(claim.uid);
});

test('a policy that would destroy what is to be kept is found; a refusal is told, and tried again when asked', async () => {
  await moorClass(maren, 'kept', ['basalt-broad'], { copies: 1, reclaim: 'Retain' });
  const claim = await bound('precious', 'kept');
  const pv = onPlatform(claim.volumeName!)!;
  world.platform.store.update('persistentvolumes', {
    ...pv,
    spec: { ...pv.spec, persistentVolumeReclaimPolicy: 'Delete' },
  });
  const [row] = await found(claim.uid, 'reclaim');
  world.platform.faults.add({ kind: 'refuse', method: 'PATCH', path: 'persistentvolumes/', status: 422, times: 1 });
  await mend([row!]);
  const stopped = await eventually(
    'it has stopped',
    async () => (await maren.ok<OperationPage>('GET', '/api/operations?show=stopped&kind=mend')).rows[0],
  );
  expect((await list(claim.uid))[0]).toMatchObject({ asked: true, problem: expect.any(String) as string });
  await maren.ok('POST', `/api/operations/${stopped.id}/retry`);
  await found(claim.uid);
  expect(onPlatform(claim.volumeName!)!.spec?.persistentVolumeReclaimPolicy).toBe('Retain');
});

test('the proof of a claim has both sides, and every check with what differs; its Line says which side says so', async () => {
  const claim = await bound('proven', 'held');
  const proof = () => maren.ok<Proof>('GET', '/api/claims/tide-gauges/proven/proof');
  await eventually('both sides were seen', async () => (await proof()).backend?.bytes === 4 * GiB);
  expect(await proof()).toMatchObject({
    platform: { claimUid: claim.uid, phase: 'Bound', volumeName: claim.volumeName, handle: `basalt/${claim.volumeId}` },
    backend: { id: 'basalt', volumeId: claim.volumeId, pool: 'basalt-swift', iopsCeiling: 900, reachable: true },
  });
  expect((await proof()).checks.every((c) => c.passed)).toBe(true);
  world.basalt.backend.change(claim.volumeId!, { capacity: 7 * GiB });
  await found(claim.uid, 'larger');
  const { checks, links } = await proof();
  expect(checks.filter((c) => !c.passed)).toMatchObject([{ kind: 'larger', declared: 4 * GiB, actual: 7 * GiB }]);
  expect(links.find((l) => l.kind === 'volume')).toMatchObject({
    mark: 'degraded',
    note: expect.stringMatching(/^not as declared: its backend says larger/) as string,
  });
});

test('a namespace owner sees what differs in the own namespaces, and puts nothing right', async () => {
  const claim = await bound('theirs', 'held');
  world.basalt.backend.change(claim.volumeId!, { capacity: 5 * GiB });
  const [row] = await found(claim.uid, 'larger');
  const ivo = await new Caller(server.url).signIn('ivo');
  expect((await ivo.ok<DriftPage>('GET', '/api/drift')).rows).toEqual([]);
  const { status } = await ivo.call('POST', '/api/drift', { drifts: [{ claimUid: row!.claimUid, kind: row!.kind }] });
  expect(status).toBe(403);
});
