import type { BackendRow } from '@moorage/contract/backends';
import type { FindingRow } from '@moorage/contract/findings';
import type { Readiness } from '@moorage/contract/readiness';
import { findingKinds, type FindingKind } from '@moorage/core/findings/finding';
import { aClaim, aClass, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

const GiB = 2 ** 30;
let world: World;
let maren: Caller;

beforeAll(async () => {
  world = await makeWorld({ backendTimeoutMs: 700 });
  maren = await world.operator(await world.start());
  await moorClass(maren, 'swift', ['basalt-swift'], { copies: 1 });
  await maren.ok('POST', '/api/claims', aClaim('level-log', 'swift', { size: '10Gi' }));
  await maren.inState('level-log', 'bound');
});
afterAll(() => world.end());
afterEach(() => {
  world.basalt.faults.heal();
  world.kelp.faults.heal();
});

const findings = () => maren.ok<FindingRow[]>('GET', '/api/findings');
const found = (kind: FindingKind, subject: string) =>
  eventually(`${kind} of ${subject}`, async () => {
    const all = await findings();
    return (
      all.find((f) => f.kind === kind && f.subject === subject) ??
      Promise.reject(new Error(JSON.stringify(all.map((f) => f.id))))
    );
  });
const mended = (kind: FindingKind, subject: string) =>
  eventually(`${kind} of ${subject} is gone`, async () =>
    (await findings()).every((f) => f.kind !== kind || f.subject !== subject),
  );
const pool = async (id: string) =>
  (await maren.ok<BackendRow[]>('GET', '/api/backends')).flatMap((b) => b.pools).find((p) => p.id === id);

test('a pool that vanishes is found with the claims on it, takes nothing new, and is taken back when it returns', async () => {
  world.basalt.backend.setPool('basalt-swift', { lost: true });
  expect(await found('pool-gone', 'basalt-swift')).toMatchObject({
    weight: 1,
    facts: { claims: 1, some: ['tide-gauges/level-log'], backend: 'basalt' },
  });
  expect((await pool('basalt-swift'))?.goneSince).not.toBeNull();
  await maren.ok('POST', '/api/claims', aClaim('late-log', 'swift', { size: '10Gi' }));
  const { claim } = await maren.inState('late-log', 'nothing-fits');
  expect(claim.reason!.failed[0]!.check).toMatchObject({ rule: 'writable', have: 'gone' });
  world.basalt.backend.setPool('basalt-swift', { lost: false });
  await mended('pool-gone', 'basalt-swift');
  await maren.inState('late-log', 'bound');
});

test('a pool set to read only, one that shrinks, and one that fills are found, and leave when they are mended', async () => {
  world.basalt.backend.setPool('basalt-swift', { readOnly: true });
  expect((await found('pool-read-only', 'basalt-swift')).facts.some).toContain('tide-gauges/level-log');
  world.basalt.backend.setPool('basalt-swift', { readOnly: false });
  await mended('pool-read-only', 'basalt-swift');

  world.basalt.backend.setPool('basalt-broad', { usable: 100 * 1024 * GiB });
  expect((await found('pool-shrunk', 'basalt-broad')).facts).toMatchObject({
    before: 130 * 1024 * GiB,
    now: 100 * 1024 * GiB,
  });
  world.basalt.backend.setPool('basalt-broad', { usable: 130 * 1024 * GiB });
  await mended('pool-shrunk', 'basalt-broad');

  world.basalt.backend.setFull('basalt-broad', true);
  expect((await found('pool-full', 'basalt-broad')).facts.fill).toBe(1);
  world.basalt.backend.setFull('basalt-broad', false);
  await mended('pool-full', 'basalt-broad');
});

test('a node of a cluster that does not answer is one finding, not one for each of its disks, copies and pools', async () => {
  await moorClass(maren, 'of-kelp', ['kelp-nvme'], { pinnedNodes: ['quay-03', 'quay-04', 'quay-05'] });
  await maren.ok('POST', '/api/claims', aClaim('on-three', 'of-kelp', { size: '10Gi' }));
  await maren.inState('on-three', 'bound');
  world.kelp.backend.setNode('quay-05', false);
  // it carries what follows from it: the copies that are away with it, and the room its pool lacks meanwhile
  const lost = await eventually('node-lost with its volume', async () =>
    (await findings()).find((f) => f.kind === 'node-lost' && f.facts.volumes === 1),
  );
  expect(lost).toMatchObject({
    subject: 'quay-05',
    weight: 4,
    facts: { backend: 'kelp', disks: 4, some: ['tide-gauges/on-three'] },
  });
  const others = ['disk-failed', 'copies-missing', 'pool-shrunk', 'volumes-unreachable'];
  expect((await findings()).filter((f) => others.includes(f.kind))).toEqual([]);
  world.kelp.backend.setNode('quay-05', true);
  await mended('node-lost', 'quay-05');
});

test('a backend that cannot be reached is found with what hangs on it', async () => {
  world.basalt.faults.add({ kind: 'refuse' });
  expect((await found('backend-unreachable', 'basalt')).facts).toMatchObject({ claims: expect.any(Number) as number });
  world.basalt.faults.heal();
  await mended('backend-unreachable', 'basalt');
});

test('no default class, then two made outside, are found until there is one', async () => {
  await found('no-default-class', 'classes');
  await maren.ok('POST', '/api/classes', aClass('first', { isDefault: true }));
  await mended('no-default-class', 'classes');
  const { store } = world.platform;
  store.amend('storageclasses', store.get('storageclasses', undefined, 'swift'), (copy) => {
    copy.metadata.annotations = {
      ...copy.metadata.annotations,
      'storageclass.kubernetes.io/is-default-class': 'true',
    };
  });
  expect((await found('two-default-classes', 'classes')).facts.some).toEqual(['first', 'swift']);
  await maren.ok('PUT', '/api/classes/first/default');
  await mended('two-default-classes', 'classes');
});

test('nodes are told apart: ready, with less than they should, not at all', async () => {
  const { cells, nodes } = await maren.ok<Readiness>('GET', '/api/readiness');
  expect(nodes).toHaveLength(12);
  const at = (node: string, backend: string) => cells.find((c) => c.node === node && c.backend === backend)!;
  expect(at('quay-01', 'basalt').state).toBe('ready');
  expect(at('quay-07', 'basalt')).toMatchObject({ state: 'weak' });
  expect(at('quay-07', 'basalt').checks.filter((c) => c.state !== 'passed')).toEqual([
    { check: 'paths', state: 'weak', need: 2, have: 1, of: 'iSCSI' },
  ]);
  expect(at('quay-11', 'kelp').checks.find((c) => c.state === 'failed')).toMatchObject({
    check: 'initiator',
    of: 'NVMeOverFabrics',
  });
  const { store } = world.platform;
  store.amend('csinodes', store.get('csinodes', undefined, 'quay-02'), (copy) => {
    copy.spec!.drivers = [];
  });
  await found('node-unready', 'basalt');
  expect(
    (await maren.ok<Readiness>('GET', '/api/readiness')).cells
      .filter((c) => c.node === 'quay-02')
      .every((c) => c.state === 'unready'),
  ).toBe(true);
});

test('findings come worst first; one is set aside by someone who may, with reason and day, and taken up again', async () => {
  const order = Object.keys(findingKinds);
  const all = await findings();
  expect(all.length).toBeGreaterThan(1);
  const positions = all.map((f) => order.indexOf(f.kind));
  expect(positions).toEqual([...positions].sort((a, b) => a - b));
  const stranded = await found('capacity-stranded', 'kelp-nvme');
  const path = `/api/findings/${encodeURIComponent(stranded.id)}/aside`;
  const until = new Date(Date.now() + 5 * 86_400_000).toISOString().slice(0, 10);
  const guest = await new Caller(maren.address).signIn('guest');
  expect((await guest.call('PUT', path, { reason: 'no', until })).status).toBe(403);
  expect(await maren.call('PUT', path, { reason: 'disks are ordered', until: '2020-01-01' })).toMatchObject({
    status: 422,
    data: { field: 'until' },
  });
  expect(await maren.call('PUT', path, { reason: '', until })).toMatchObject({
    status: 422,
    data: { field: 'reason' },
  });
  await maren.ok('PUT', path, { reason: 'disks are ordered', until });
  expect((await found('capacity-stranded', 'kelp-nvme')).aside).toEqual({
    reason: 'disks are ordered',
    until,
    person: 'maren',
  });
  // a day that is over no longer hides it
  await world.rows(`UPDATE findings_aside SET until = current_date - 1 WHERE id = $1`, [stranded.id]);
  expect((await found('capacity-stranded', 'kelp-nvme')).aside).toBeNull();
  await maren.ok('PUT', path, { reason: 'disks are ordered', until });
  await maren.ok('DELETE', path);
  expect((await found('capacity-stranded', 'kelp-nvme')).aside).toBeNull();
});
