import { disksOf, type Inventory, type SeenDisk } from '@moorage/contract/inventory';
import type { Reshape } from '@moorage/contract/reshapes';
import { assessDesign } from '@moorage/core/clusters/design';
import { unfit } from '@moorage/core/clusters/disk';
import { suggestDesign } from '@moorage/core/clusters/suggest';
import { eddySeed } from '@moorage/standins/backend-seeds';
import type { BackendRow } from '@moorage/contract/backends';
import { DoomedServers } from '../testing/doomed';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

const GiB = 2 ** 30;
let world: World;
let servers: DoomedServers;
let tom: Caller;
let endServer: () => Promise<void>;

beforeAll(async () => {
  world = await makeWorld({ more: [eddySeed], estate: ['eddy'] });
  servers = new DoomedServers(world);
  await revive();
  await eventually('the disks are known', async () => (await disks()).length === 27);
});
afterAll(async () => {
  servers.end();
  await world.end();
});
afterEach(() => eddy().faults.heal());

async function revive(): Promise<void> {
  const { caller, end } = await servers.lasting('tom');
  [tom, endServer] = [caller, end];
}
const eddy = () => world.more[0]!;
const disks = async (): Promise<SeenDisk[]> => disksOf(await tom.ok<Inventory>('GET', '/api/backends/eddy/inventory'));
const owned = () => eddy().backend.seed.drives.filter((d) => eddy().backend.ownerOf(d) !== undefined);
const backend = async (id: string) => (await tom.ok<BackendRow[]>('GET', '/api/backends')).find((b) => b.id === id)!;

const commission = async (pool: string, nodes?: string[]) => {
  const fit = (await disks()).filter((d) => !nodes || nodes.includes(d.node));
  const design = suggestDesign(fit, { pool, level: 'node', scheme: { kind: 'copies', copies: 3 } });
  return { kind: 'commission', design, protocols: ['NVMeOverFabrics'], encrypted: true } as const;
};
const begin = (body: unknown, caller = tom, at = 'eddy') =>
  caller.call<Reshape & { detail: string; code: string }>('POST', `/api/backends/${at}/reshapes`, body);
const ended = (id: string, at = 'eddy') =>
  eventually('the change has ended', async () => {
    const found = (await tom.ok<Reshape[]>('GET', `/api/backends/${at}/reshapes`)).find((r) => r.id === id);
    return found?.endedAt ? found : Promise.reject(new Error(JSON.stringify(found)));
  });
const dissolve = async (pool: string) => {
  // tests begin with bare disks
  const seen = eddy().backend;
  for (const id of [pool, `${pool}-meta`])
    if (seen.pools.has(id)) {
      seen.removeDrives(
        id,
        seen.drivesOf(seen.pool(id)).map((d) => d.id),
      );
      seen.removePool(id);
    }
  await eventually(
    'the disks are bare again',
    async () =>
      (await disks()).every((d) => d.use !== 'owned') && !(await backend('eddy')).pools.some((p) => p.id === pool),
  );
};

describe('commissioning', () => {
  test('takes the disks of one node after the other; the pool is there when it is whole, with usable and safe to the byte', async () => {
    const asked = await commission('eddy-main');
    const all = await disks();
    const expected = assessDesign(asked.design, new Map(all.map((d) => [d.id, d])));
    expect(asked.design.metadata).toHaveLength(3);
    const { data: started } = await begin(asked);
    expect(started).toMatchObject({ kind: 'commission', pool: 'eddy-main', person: 'tom' });
    const done = await ended(started.id);
    expect(done).toMatchObject({ state: 'settled', cause: null });
    expect(done.nodes.every((n) => n.state === 'taken')).toBe(true);
    const pool = await eventually('the pool', async () =>
      (await backend('eddy')).pools.find((p) => p.id === 'eddy-main'),
    );
    const { redundancy } = pool.facts;
    if (redundancy.kind !== 'spread') throw new Error('its copies are spread');
    expect(redundancy.domains.map(({ name, capacity }) => ({ name, capacity }))).toEqual(
      expected.domains.map(({ name, capacity }) => ({ name, capacity })),
    );
    expect(
      owned()
        .map((d) => d.id)
        .sort(),
    ).toEqual([...asked.design.data, ...asked.design.metadata].sort());
    // what keeps the cluster's own knowledge takes no volumes
    expect((await backend('eddy')).pools.map((p) => p.id)).toEqual(['eddy-main']);
    await dissolve('eddy-main');
  });

  test('refuses the disk of a system, one that is mounted, a name that is taken, too few domains', async () => {
    const asked = await commission('eddy-bad');
    const all = await disks();
    for (const use of ['system', 'mounted', 'partitioned'] as const) {
      const disk = all.find((d) => d.use === use)!;
      const { status, data } = await begin({
        ...asked,
        design: { ...asked.design, data: [...asked.design.data, disk.id] },
      });
      expect([status, data.detail]).toEqual([
        409,
        expect.stringContaining(`${disk.id} of ${disk.node} cannot be taken: ${use}`),
      ]);
    }
    expect((await begin({ ...asked, design: { ...asked.design, pool: 'kelp-nvme' } })).data).toMatchObject({
      code: 'invalid',
    });
    const two = all.filter((d) => unfit(d) === undefined && ['quay-01', 'quay-02'].includes(d.node)).map((d) => d.id);
    expect((await begin({ ...asked, design: { ...asked.design, data: two, metadata: [] } })).data.detail).toContain(
      '3 failure domains are needed',
    );
    expect(owned()).toEqual([]);
  });

  test('two people, the same disks: the second is told of the first', async () => {
    eddy().faults.add({ kind: 'latency', path: 'AddDrives', latencyMs: 300 });
    const maren = await new Caller(tom.address).signIn('maren');
    const [a, b] = await Promise.all([begin(await commission('eddy-one')), begin(await commission('eddy-two'), maren)]);
    expect([a.status, b.status].sort()).toEqual([201, 409]);
    const [winner, loser] = a.status === 201 ? [a, b] : [b, a];
    expect(loser.data).toMatchObject({
      code: 'disks-held',
      detail: expect.stringContaining(winner.data.pool) as string,
    });
    expect((await ended(winner.data.id)).state).toBe('settled');
    await dissolve(winner.data.pool);
  });

  test('a disk taken meanwhile by somebody else: everything is given back, and the reason is said', async () => {
    const asked = await commission('eddy-late');
    const last = (await disks())
      .filter((d) => asked.design.data.includes(d.id))
      .sort((x, y) => (x.node < y.node ? 1 : -1))[0]!;
    eddy().backend.addPool({
      ...eddy().backend.seed.pools[0]!,
      id: 'strangers',
      kind: 'copies',
      raidTypes: ['RAID1'],
      protocols: [],
      encrypts: false,
      minimum: GiB,
      maximum: GiB,
      granule: GiB,
    });
    eddy().backend.addDrives('strangers', [last.id]);
    const { data } = await begin(asked);
    const done = await ended(data.id);
    expect(done).toMatchObject({ state: 'undone', cause: expect.stringContaining(last.id) as string });
    expect(owned().map((d) => d.id)).toEqual([last.id]);
    expect(eddy().backend.pools.has('eddy-late')).toBe(false);
    expect(await world.rows('SELECT 1 FROM disk_holds')).toEqual([]);
    eddy().backend.removeDrives('strangers', [last.id]);
    eddy().backend.removePool('strangers');
    await eventually('bare', async () => (await disks()).every((d) => d.use !== 'owned'));
  });

  test('a node that does not answer for a while is waited for', async () => {
    eddy().faults.add({ kind: 'refuse', path: 'AddDrives', times: 2 });
    const { data } = await begin(await commission('eddy-wait'));
    expect(await ended(data.id)).toMatchObject({ state: 'settled' });
    await dissolve('eddy-wait');
  });

  test('an answer that is lost after the work is done changes nothing', async () => {
    eddy().faults.add({ kind: 'lose-answer', method: 'POST', path: 'AddDrives|StoragePools$', times: 3 });
    const asked = await commission('eddy-lost');
    const { data } = await begin(asked);
    expect(await ended(data.id)).toMatchObject({ state: 'settled' });
    expect(
      owned()
        .map((d) => d.id)
        .sort(),
    ).toEqual([...asked.design.data, ...asked.design.metadata].sort());
    await dissolve('eddy-lost');
  });

  test('called off in the middle, gives everything back', async () => {
    eddy().faults.add({ kind: 'latency', path: 'AddDrives', latencyMs: 250 });
    const { data } = await begin(await commission('eddy-off'));
    await eventually('some disks are taken', async () => owned().length > 0);
    await tom.ok('POST', `/api/reshapes/${data.id}/undo`);
    expect(await ended(data.id)).toMatchObject({ state: 'undone', cause: 'called off by tom' });
    expect(owned()).toEqual([]);
    expect([...eddy().backend.pools.keys()]).toEqual([]);
    expect((await tom.call('POST', `/api/reshapes/${data.id}/undo`)).status).toBe(409);
  });

  test.each(['taking', 'giving', 'settling'])('the server killed once it is %s: another finishes it', async (state) => {
    const asked = await commission(`eddy-${state}`);
    await endServer();
    const doomed = await servers.start(state);
    const before = await new Caller(doomed.url).signIn('tom');
    await begin(asked, before).catch(() => undefined);
    expect(await doomed.exit).toBe('SIGKILL');
    await revive();
    const [row] = await world.rows<{ id: string }>('SELECT id FROM reshapes WHERE pool = $1', [`eddy-${state}`]);
    expect(await ended(row!.id)).toMatchObject({ state: 'settled' });
    expect(
      owned()
        .map((d) => d.id)
        .sort(),
    ).toEqual([...asked.design.data, ...asked.design.metadata].sort());
    await dissolve(`eddy-${state}`);
  });

  test('the server killed while it gives back: another goes on, and no disk is left half owned', async () => {
    const asked = await commission('eddy-back');
    await endServer();
    eddy().faults.add({ kind: 'refuse', path: 'AddDrives', status: 409, times: 1 });
    const doomed = await servers.start('undoing');
    await begin(asked, await new Caller(doomed.url).signIn('tom')).catch(() => undefined);
    expect(await doomed.exit).toBe('SIGKILL');
    await revive();
    const [row] = await world.rows<{ id: string }>(`SELECT id FROM reshapes WHERE pool = 'eddy-back'`);
    expect(await ended(row!.id)).toMatchObject({ state: 'undone' });
    expect(owned()).toEqual([]);
  });
});

test('a pool of shards has settled when it says that nothing moves any more', async () => {
  const base = await commission('eddy-shards', ['quay-01', 'quay-02', 'quay-09', 'quay-10']);
  const scheme = { kind: 'erasure', data: 2, parity: 1 } as const;
  const { data } = await begin({ ...base, design: { ...base.design, scheme } });
  expect((await ended(data.id)).state).toBe('settled');
  const pool = await eventually('the pool', async () =>
    (await backend('eddy')).pools.find((p) => p.id === 'eddy-shards'),
  );
  expect(pool.facts.redundancy).toMatchObject({ scheme });
  const { volume } = eddy().backend.create({ name: 'wave', capacity: 300 * GiB, pool: 'eddy-shards', drives: [] });
  eddy().backend.write(volume.id, 300 * GiB);
  const add = (await disks()).filter((d) => d.node === 'quay-11' && unfit(d) === undefined).map((d) => d.id);
  const grown = await begin({ kind: 'grow', pool: 'eddy-shards', add });
  await eventually('it is at work', async () => eddy().backend.poolWork.size === 1);
  expect((await ended(grown.data.id)).state).toBe('settled');
  expect(eddy().backend.poolWork.size).toBe(0);
  eddy().backend.remove(volume.id);
  await dissolve('eddy-shards');
});

describe('growing, shrinking and mending', () => {
  let asked: Awaited<ReturnType<typeof commission>>;
  beforeAll(async () => {
    asked = await commission('eddy-live', ['quay-01', 'quay-02', 'quay-09', 'quay-10']);
    await ended((await begin(asked)).data.id);
    const maren = await new Caller(tom.address).signIn('maren');
    await eventually('the pool', async () => (await backend('eddy')).pools.some((p) => p.id === 'eddy-live'));
    await moorClass(maren, 'tide-fast', ['eddy-live']);
    for (const i of [1, 2, 3, 4, 5, 6, 7, 8]) {
      await maren.ok('POST', '/api/claims', aClaim(`store-${i}`, 'tide-fast', { size: '300Gi' }));
      const { claim } = await maren.inState(`store-${i}`, 'bound');
      eddy().backend.write(claim.volumeId!, 2 * GiB);
    }
    await eventually('the writes are seen', async () =>
      (await tom.ok<{ volumes: { consumed: number }[] }>('GET', '/api/backends/eddy/volumes')).volumes.every(
        (v) => v.consumed > 0,
      ),
    );
  });
  const copiesOn = (node: string) =>
    [...eddy().backend.volumes.values()]
      .flatMap((v) => v.copies)
      .filter((c) => eddy().backend.drive(c.drive).node === node);

  test('disks of a fifth node are added, and data moves onto them', async () => {
    const add = (await disks()).filter((d) => d.node === 'quay-11' && unfit(d) === undefined).map((d) => d.id);
    const { data } = await begin({ kind: 'grow', pool: 'eddy-live', add });
    const done = await ended(data.id);
    expect(done.state).toBe('settled');
    expect(copiesOn('quay-11').length).toBeGreaterThan(0);
    // what we hold of the copies' places follows
    const held = await world.rows<{ node: string }>(`SELECT node FROM reservation_copies WHERE node = 'quay-11'`);
    expect(held).toHaveLength(copiesOn('quay-11').length);
  });

  test('a node is taken out when what is on it fits elsewhere', async () => {
    const remove = (await disks()).filter((d) => d.node === 'quay-02' && d.owner === 'eddy-live').map((d) => d.id);
    expect((await ended((await begin({ kind: 'shrink', pool: 'eddy-live', remove })).data.id)).state).toBe('settled');
    expect(copiesOn('quay-02')).toEqual([]);
    expect((await disks()).filter((d) => remove.includes(d.id)).every((d) => d.use === 'free')).toBe(true);
  });

  test('that the pool keeps less afterwards was planned, and is no finding; shrinking by itself is one', async () => {
    await eventually('what it keeps now is its measure', async () => {
      const [kept] = await world.rows<{ largest_usable: string }>(
        `SELECT largest_usable FROM pools WHERE id = 'eddy-live'`,
      );
      return Number(kept!.largest_usable) > 0;
    });
    const kinds = async () =>
      (await tom.ok<{ kind: string; subject: string }[]>('GET', '/api/findings')).map((f) => `${f.kind} ${f.subject}`);
    // one that the same look must have found
    world.basalt.backend.setPool('basalt-broad', { readOnly: true });
    await eventually('the look', async () => (await kinds()).includes('pool-read-only basalt-broad'));
    expect(await kinds()).not.toContain('pool-shrunk eddy-live');
    world.basalt.backend.setPool('basalt-broad', { readOnly: false });
    const { id } = (await disks()).find((d) => d.owner === 'eddy-live')!;
    eddy().backend.setDrive(id, false);
    await eventually('the loss', async () => (await kinds()).includes('pool-shrunk eddy-live'));
    eddy().backend.setDrive(id, true);
    await eventually('its end', async () => !(await kinds()).includes('pool-shrunk eddy-live'));
  });

  test('a node that does not fit elsewhere stays, and what is short is said', async () => {
    const remove = (await disks())
      .filter((d) => ['quay-01', 'quay-09'].includes(d.node) && d.owner === 'eddy-live')
      .map((d) => d.id);
    const { status, data } = await begin({ kind: 'shrink', pool: 'eddy-live', remove });
    expect([status, data.detail]).toEqual([
      409,
      expect.stringContaining('2 failure domains would be left; its protection needs 3'),
    ]);
    expect((await begin({ kind: 'shrink', pool: 'eddy-live', remove: ['eui.nothing'] })).status).toBe(409);
    expect(
      (await begin({ kind: 'grow', pool: 'eddy-live', add: [(await disks()).find((d) => d.use === 'system')!.id] }))
        .status,
    ).toBe(409);
  });

  test('a failed disk is found, its copies are made anew, and it is replaced', async () => {
    const failed = (await disks()).find((d) => d.owner === 'eddy-live' && d.written > 0)!;
    eddy().backend.setDrive(failed.id, false);
    const kinds = async () =>
      (await tom.ok<{ kind: string; subject: string; id: string }[]>('GET', '/api/findings')).map(
        (f) => `${f.kind} ${f.subject}`,
      );
    await eventually('both findings', async () => {
      const all = await kinds();
      return all.includes(`disk-failed ${failed.id}`);
    });
    await eventually('the copies are whole again', async () =>
      [...eddy().backend.volumes.values()].every((v) => v.copies.every((c) => c.state === 'Synchronized')),
    );
    const spare = (await disks()).find((d) => unfit(d) === undefined && d.media === 'SSD')!;
    const { data } = await begin({ kind: 'replace', pool: 'eddy-live', add: [spare.id], remove: [failed.id] });
    expect((await ended(data.id)).state).toBe('settled');
    await eventually(
      'nothing is said of it any more',
      async () => !(await kinds()).includes(`disk-failed ${failed.id}`),
    );
  });
});
