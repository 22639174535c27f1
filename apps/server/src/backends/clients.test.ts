import type { LogEntry } from '@moorage/contract/logbook';
import type { Readiness } from '@moorage/contract/readiness';
import { gneissSeed } from '@moorage/standins/backend-seeds';
import { aClaim, Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let maren: Caller;
let tom: Caller;

beforeAll(async () => {
  world = await makeWorld({ more: [gneissSeed] });
  const server = await world.start();
  maren = await world.operator(server);
  tom = await new Caller(server.url).signIn('tom');
  await tom.ok('POST', '/api/backends', {
    id: 'gneiss',
    title: 'Gneiss',
    address: world.more[0]!.url,
    username: 'moorage',
    password: 'slow-stone',
    sites: ['quayside'],
  });
});
afterAll(() => world.end());
afterEach(() => world.more[0]!.faults.heal());

const forgotten = '10.40.10.33';
const at = (address: string, backend = 'gneiss') => `/api/backends/${backend}/clients/${address}`;
const ranges = () => [...world.more[0]!.backend.clients.ranges.values()];
const single = (address: string) => ranges().filter((r) => r.address === address && r.mask === '255.255.255.255');
const posted = () => world.more[0]!.faults.calls.filter((c) => c.method === 'POST' && /Endpoints$/.test(c.path)).length;
const exportTo = async (node: string) => {
  const { cells } = await tom.ok<Readiness>('GET', '/api/readiness');
  return cells.find((c) => c.node === node && c.backend === 'gneiss')?.checks.find((c) => c.check === 'export')?.state;
};
const told = async () =>
  (await tom.ok<{ entries: LogEntry[] }>('GET', '/api/logbook')).entries.filter(
    (e) => e.kind === 'backend' && e.action === 'change',
  );

test('a node that an export misses is let in, told in the logbook, and let out again', async () => {
  await eventuallyHolds('the node is missed', async () => expect(await exportTo('quay-12')).toBe('failed'));
  await tom.ok('PUT', at(forgotten));
  // at once, since the backend was looked at again
  expect(await exportTo('quay-12')).toBe('passed');
  expect((await told())[0]).toMatchObject({
    person: 'tom',
    subject: 'gneiss',
    after: { client: `${forgotten}/32`, node: 'quay-12' },
  });
  await tom.ok('DELETE', at(forgotten));
  expect(await exportTo('quay-12')).toBe('failed');
  expect((await told())[0]).toMatchObject({ before: { client: `${forgotten}/32` } });
});

test('asked again, by two at once too, it is one entry, and taking away what is gone is fine', async () => {
  const entries = (await told()).length;
  await Promise.all([tom.ok('PUT', at(forgotten)), maren.ok('PUT', at(forgotten))]);
  await tom.ok('PUT', at(forgotten));
  expect(single(forgotten)).toHaveLength(1);
  await tom.ok('DELETE', at(forgotten));
  await tom.ok('DELETE', at(forgotten));
  expect(single(forgotten)).toHaveLength(0);
  // what changed nothing is not told
  expect((await told()).length - entries).toBeLessThanOrEqual(3);
});

test('an address within a range gets no entry of its own, and the range stays', async () => {
  const before = ranges();
  const calls = posted();
  await tom.ok('PUT', at('10.40.8.11'));
  await tom.ok('DELETE', at('10.40.8.11'));
  expect(posted()).toBe(calls);
  expect(ranges()).toEqual(before);
});

test('an answer that was lost is told as not known, and asked again it is done', async () => {
  world.more[0]!.faults.add({ kind: 'lose-answer', method: 'POST', path: 'Endpoints$', times: 1 });
  const { status, data } = await tom.call<{ title: string; detail: string }>('PUT', at(forgotten));
  expect(status).toBe(502);
  expect(data.title).toBe('The backend does not answer');
  expect(data.detail).toMatch(/is not known/);
  expect(single(forgotten)).toHaveLength(1);
  await tom.ok('PUT', at(forgotten));
  expect(single(forgotten)).toHaveLength(1);
  await tom.ok('DELETE', at(forgotten));
});

test('only addresses of nodes are let in, and only where the backend keeps a list', async () => {
  const stranger = await tom.call<{ field: string }>('PUT', at('10.99.0.1'));
  expect([stranger.status, stranger.data.field]).toEqual([422, 'address']);
  expect((await tom.call('PUT', at('not-an-address'))).status).toBe(404);
  expect((await tom.call('PUT', at(forgotten, 'nowhere'))).status).toBe(404);
  const kelp = await tom.call<{ type: string }>('PUT', at(forgotten, 'kelp'));
  expect([kelp.status, kelp.data.type]).toEqual([409, expect.stringContaining('no-ranges')]);
  expect(single('10.99.0.1')).toHaveLength(0);
});

test('an address is not taken away under a pod that uses what is there', async () => {
  await tom.ok('PUT', at(forgotten));
  await moorClass(maren, 'shared', ['gneiss-shared'], { copies: 1 });
  await maren.ok('POST', '/api/claims', aClaim('maps', 'shared', { modes: ['ReadWriteMany'] }));
  await maren.inState('maps', 'bound');
  world.platform.store.create('pods', {
    metadata: { name: 'reader', namespace: 'tide-gauges' },
    spec: { nodeName: 'quay-12', volumes: [{ name: 'data', persistentVolumeClaim: { claimName: 'maps' } }] },
    status: { phase: 'Running' },
  });
  const refused = await eventually('it is refused', async () => {
    const answer = await tom.call<{ detail: string }>('DELETE', at(forgotten));
    if (answer.status === 409) return answer;
    await tom.ok('PUT', at(forgotten)); // the pod was not known yet
    return undefined;
  });
  expect(refused.data.detail).toContain('tide-gauges/reader on quay-12 uses its claim maps');
  expect(single(forgotten)).toHaveLength(1);
  world.platform.store.delete('pods', 'tide-gauges', 'reader');
  await eventuallyHolds('it goes when the pod is gone', async () => {
    expect((await tom.call('DELETE', at(forgotten))).status).toBe(204);
  });
});

test('the only entry stays, since nobody knows what none at all would mean', async () => {
  await tom.ok('PUT', at(forgotten));
  const { clients } = world.more[0]!.backend;
  for (const [id, range] of clients.ranges) if (range.mask !== '255.255.255.255') clients.remove(id);
  const { status, data } = await tom.call<{ type: string }>('DELETE', at(forgotten));
  expect([status, data.type]).toEqual([409, expect.stringContaining('only-range')]);
  expect(single(forgotten)).toHaveLength(1);
});
