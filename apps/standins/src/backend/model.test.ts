import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { basaltSeed, kelpSeed } from '../backend-seeds';
import { Journal } from '../journal';
import { RedfishError } from './errors';
import { Backend } from './model';
import type { NewVolume } from './resources';

const GiB = 2 ** 30;
const folder = mkdtempSync(join(tmpdir(), 'standin-'));
const open: Backend[] = [];
afterEach(() => {
  open.splice(0).forEach((b) => b.stop());
  jest.useRealTimers();
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

let files = 0;
const start = (seed = kelpSeed(), file = join(folder, `${files++}.jsonl`)) => {
  const backend = new Backend({ ...seed, createMs: 0, resyncRate: 1e15, healAfterMs: undefined }, new Journal(file));
  open.push(backend);
  return { backend, file };
};
const driveOn = (backend: Backend, node: string, nth = 0) =>
  backend.seed.drives.filter((d) => d.node === node && d.pool === 'kelp-nvme')[nth]!.id;
const make = (backend: Backend, name: string, nodes: string[], part: Partial<NewVolume> = {}) =>
  backend.create({
    name,
    capacity: 100 * GiB,
    pool: 'kelp-nvme',
    drives: nodes.map((n) => driveOn(backend, n)),
    ...part,
  }).volume;
const codeOf = (act: () => unknown): string => {
  try {
    act();
  } catch (error) {
    if (error instanceof RedfishError) return error.message;
    throw error;
  }
  return 'done';
};

test('what was made is there after a restart: volumes with their ties, failed drives, pools, owners, passwords', () => {
  const { backend, file } = start(basaltSeed());
  const { volume } = backend.create({ name: 'v', capacity: GiB, pool: 'basalt-swift', drives: [] });
  backend.mirror(volume.id, { target: 'urn:x:kelp:1', mode: 'Synchronous' });
  backend.mirror(volume.id, { target: 'urn:x:limpet:2', mode: 'Asynchronous' });
  backend.mirror(volume.id, { target: 'urn:x:kelp:1', mode: 'Synchronous' });
  backend.setPassword('moorage', 'other-wall');
  const gone = backend.create({ name: 'w', capacity: GiB, pool: 'basalt-swift', drives: [] }).volume;
  backend.remove(gone.id);
  backend.stop();
  const again = start(basaltSeed(), file).backend;
  expect([...again.volumes.values()].map((v) => v.name)).toEqual(['v']);
  expect(again.volume(volume.id).mirrors).toEqual([
    { target: 'urn:x:limpet:2', mode: 'Asynchronous' },
    { target: 'urn:x:kelp:1', mode: 'Synchronous' },
  ]);
  expect(again.accounts.get('moorage')!.password).toBe('other-wall');
});

test('only a pool that sends copies to other sites writes to one later', () => {
  const { backend } = start(basaltSeed());
  const at = (pool: string) => backend.create({ name: pool, capacity: GiB, pool, drives: [] }).volume.id;
  const tie = (pool: string, mode: 'Synchronous' | 'Asynchronous') =>
    codeOf(() => backend.mirror(at(pool), { target: 'urn:x:limpet:2', mode }));
  expect(tie('basalt-swift', 'Asynchronous')).toBe('done');
  expect(tie('basalt-broad', 'Asynchronous')).toContain('sends no copies to other sites');
});

test('a drive leaves a pool when its copies fit elsewhere in another domain, and then belongs to nobody', () => {
  jest.useFakeTimers();
  const { backend } = start();
  const volume = make(backend, 'a', ['quay-03', 'quay-04']);
  backend.write(volume.id, 10 * GiB);
  const leaving = driveOn(backend, 'quay-03');
  const task = backend.removeDrives('kelp-nvme', [leaving]);
  expect(volume.copies[0]).toMatchObject({ state: 'Synchronizing', from: leaving });
  jest.advanceTimersByTime(5000);
  expect(task).toMatchObject({ state: 'Completed', percent: 100 });
  expect(backend.ownerOf(backend.drive(leaving))).toBeUndefined();
  const [first, second] = volume.copies.map((c) => backend.drive(c.drive));
  expect(first!.id).not.toBe(leaving);
  expect(backend.domainOf(first!, backend.pool('kelp-nvme'))).not.toBe(second!.node);
  // and back again
  backend.addDrives('kelp-nvme', [leaving]);
  expect(backend.ownerOf(backend.drive(leaving))).toBe('kelp-nvme');
});

test('a drive whose copies fit nowhere else stays', () => {
  const { backend } = start();
  const nodes = [...new Set(backend.seed.drives.map((d) => d.node))];
  make(backend, 'wide', nodes);
  const all = backend.seed.drives.filter((d) => d.node === nodes[0] && d.pool === 'kelp-nvme').map((d) => d.id);
  expect(codeOf(() => backend.removeDrives('kelp-nvme', all))).toContain('does not fit anywhere else');
  expect(all.every((id) => backend.ownerOf(backend.drive(id)) === 'kelp-nvme')).toBe(true);
});

test('a pool is removed only when it holds nothing, and two of one name are refused', () => {
  const { backend } = start();
  expect(codeOf(() => backend.removePool('kelp-nvme'))).toContain('still holds volumes or drives');
  const fresh = { ...backend.pool('kelp-nvme'), id: 'fresh' };
  backend.addPool(fresh);
  expect(codeOf(() => backend.addPool(fresh))).toContain('already exists');
  expect(codeOf(() => backend.addDrives('fresh', [driveOn(backend, 'quay-03')]))).toContain(
    "belongs to pool 'kelp-nvme'",
  );
  backend.removePool('fresh');
  expect(codeOf(() => backend.pool('fresh'))).toContain('not found');
});

test.each<[string, Parameters<Backend['setPool']>[1], string]>([
  ['full', { full: true }, 'is full'],
  ['read only', { readOnly: true }, 'does not take volumes now'],
  ['lost', { lost: true }, 'not found'],
])('a pool that is %s takes no volumes, and does again when that is over', (_what, state, told) => {
  const { backend } = start();
  const put = () => codeOf(() => make(backend, `v${files}`, ['quay-03']));
  backend.setPool('kelp-nvme', state);
  expect(put()).toContain(told);
  backend.setPool('kelp-nvme', Object.fromEntries(Object.keys(state).map((k) => [k, false])));
  expect(put()).toBe('done');
});

test('a failed drive loses its copies until it works again', () => {
  const { backend } = start();
  const volume = make(backend, 'a', ['quay-03', 'quay-04', 'quay-05']);
  backend.write(volume.id, GiB);
  backend.setDrive(volume.copies[1]!.drive, false);
  expect(volume.copies.map((c) => c.state)).toEqual(['Synchronized', 'Failed', 'Synchronized']);
  expect(codeOf(() => make(backend, 'b', ['quay-04']))).toContain('it or its node is not working');
  backend.setDrive(volume.copies[1]!.drive, true);
  expect(volume.copies[1]).toMatchObject({ state: 'Synchronizing', left: GiB });
  expect(backend.events.map((e) => e.severity)).toEqual(['Critical', 'OK']);
});

test('what a pool holds counts every copy, and every shard', () => {
  const { backend } = start();
  const copies = make(backend, 'a', ['quay-03', 'quay-04', 'quay-05']);
  backend.write(copies.id, 10 * GiB);
  expect(backend.figures(backend.pool('kelp-nvme'))).toMatchObject({ provisioned: 100 * GiB, consumed: 30 * GiB });
  const shards = backend.create({ name: 's', capacity: 100 * GiB, pool: 'kelp-deep', drives: [] }).volume;
  backend.write(shards.id, 10 * GiB);
  expect(backend.figures(backend.pool('kelp-deep'))).toMatchObject({ provisioned: 100 * GiB, consumed: 15 * GiB });
});
