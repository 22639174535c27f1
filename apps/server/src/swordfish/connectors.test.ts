import { eddySeed, gneissSeed, kelpSeed } from '@moorage/standins/backend-seeds';
import { startBackend } from '@moorage/standins/start';
import { Metrics } from '../metrics/metrics';
import { MemoryBackend } from '../testing/memory-backend';
import { eventually } from '../testing/world';
import type { BackendConnector, BackendView, NewPool } from './connector';
import { BackendHttp } from './http';
import { SwordfishConnector } from './swordfish';

/** What is expected of whatever stands for a backend: the one over the wire, and the one in memory that tests use. */
interface Under {
  readonly connector: BackendConnector;
  setFull(pool: string, full: boolean): void;
  mirrorsOf(volume: string): string[];
  end(): Promise<void>;
}
type Seed = ReturnType<typeof kelpSeed>;

async function overTheWire(seed: Seed): Promise<Under> {
  const started = await startBackend({ ...seed, createMs: 5 });
  const { backend, url: address } = started;
  const access = { name: seed.id, address, username: seed.user, password: seed.password };
  const connector = new SwordfishConnector(
    new BackendHttp({ ...access, trust: { kind: 'system' } }, 5000, new Metrics()),
  );
  return {
    connector,
    setFull: (pool, full) => backend.setFull(pool, full),
    mirrorsOf: (volume) => backend.volume(volume).mirrors?.map((m) => m.target) ?? [],
    end: async () => {
      await connector.close();
      await started.stop();
    },
  };
}

async function inMemory(seed: Seed): Promise<Under> {
  const wire = await overTheWire(seed);
  const connector = new MemoryBackend(await wire.connector.fetchView());
  await wire.end();
  return {
    connector,
    setFull: (pool, full) => connector.setFull(pool, full),
    mirrorsOf: (volume) => connector.mirrorsOf(volume),
    end: () => Promise.resolve(),
  };
}

const GiB = 2 ** 30;
const byNode = (x: { node: string }, y: { node: string }) => (x.node < y.node ? -1 : 1);

describe.each([
  ['over the wire', overTheWire],
  ['in memory', inMemory],
])('%s', (_name, make) => {
  describe('a cluster whose disks we choose', () => {
    let under: Under;
    let connector: BackendConnector;
    let view: BackendView;
    beforeAll(async () => {
      under = await make(kelpSeed());
      ({ connector } = under);
      view = await connector.fetchView();
    });
    afterAll(() => under.end());

    const poolOf = (name: string) => view.pools.find((p) => p.name === name)!;
    /** One disk of the pool on each of the first nodes. */
    const disksFor = (count: number) => {
      const owned = view.disks.filter((d) => d.owner === 'kelp-nvme' && d.works);
      const nodes = [...new Set(owned.map((d) => d.node))].sort().slice(0, count);
      return nodes.map((node) => ({ id: owned.find((d) => d.node === node)!.id, node }));
    };
    const asked = (name: string, bytes = 2 * GiB) => ({
      ...{ name, bytes, copies: 2, encrypted: true, disks: disksFor(2) },
      poolPath: poolOf('kelp-nvme').path,
    });

    const whole = (name: string) =>
      eventually(`the copies of ${name} are whole`, async () =>
        (await connector.findVolume(name))!.copies.every((c) => c.state === 'Synchronized'),
      );

    test('a volume is made ready, with its copies where they were asked for, and listed', async () => {
      const made = await connector.createVolume(asked('vol-a'));
      expect(made).toMatchObject({ name: 'vol-a', pool: 'kelp-nvme', bytes: 2 * GiB, ready: true, degraded: false });
      const [listed, ...others] = (await connector.fetchView()).volumes.filter((v) => v.name === 'vol-a');
      expect([listed!.id, others]).toEqual([made.id, []]);
      expect(listed!.copies.map(({ disk, node }) => ({ id: disk, node })).sort(byNode)).toEqual(disksFor(2));
    });

    test('a name that is taken is refused as such, and found by it', async () => {
      const made = await connector.createVolume(asked('vol-taken'));
      await expect(connector.createVolume(asked('vol-taken', 3 * GiB))).rejects.toMatchObject({ code: 'exists' });
      expect(await connector.findVolume('vol-taken')).toMatchObject({ id: made.id, bytes: 2 * GiB });
      expect(await connector.findVolume('vol-none')).toBeUndefined();
    });

    test.each<[string, string, object]>([
      ['a size it does not make', 'refused', { bytes: 5 }],
      ['a pool that it does not have', 'not-found', { poolPath: '/redfish/v1/Storage/kelp/StoragePools/none' }],
    ])('%s is told as %s, and nothing is made', async (_what, code, part) => {
      await expect(connector.createVolume({ ...asked('vol-wrong'), ...part })).rejects.toMatchObject({ code });
      expect(await connector.findVolume('vol-wrong')).toBeUndefined();
    });

    test('copies on one node, or on a disk of another pool, are refused', async () => {
      const [one] = disksFor(1);
      const two = view.disks.filter((d) => d.owner === 'kelp-nvme' && d.node === one!.node && d.works).slice(0, 2);
      expect(two).toHaveLength(2);
      const other = view.disks.find((d) => d.owner === 'kelp-deep' && d.node !== one!.node)!;
      for (const disks of [two, [one!, other]].map((pair) => pair.map(({ id, node }) => ({ id, node }))))
        await expect(connector.createVolume({ ...asked('vol-near'), disks })).rejects.toMatchObject({
          code: 'refused',
          isForGood: true,
        });
    });

    test('a full pool is told apart from a refusal, since another pool may do', async () => {
      under.setFull('kelp-nvme', true);
      await expect(connector.createVolume(asked('vol-full'))).rejects.toMatchObject({ code: 'full', isForGood: false });
      under.setFull('kelp-nvme', false);
      await expect(connector.createVolume(asked('vol-full'))).resolves.toMatchObject({ ready: true });
    });

    test('what is deleted is gone, and again is fine', async () => {
      const { id } = await connector.createVolume(asked('vol-gone'));
      await connector.ensureVolumeDeleted(id);
      await connector.ensureVolumeDeleted(id);
      expect(await connector.findVolume('vol-gone')).toBeUndefined();
    });

    test('a volume grows, once however often that is asked for, and never shrinks', async () => {
      const { id } = await connector.createVolume(asked('vol-grown'));
      const at = { id, poolPath: poolOf('kelp-nvme').path };
      expect(await connector.ensureGrown({ ...at, bytes: 5 * GiB })).toBe(5 * GiB);
      expect(await connector.ensureGrown({ ...at, bytes: 5 * GiB })).toBe(5 * GiB);
      expect(await connector.ensureGrown({ ...at, bytes: 3 * GiB })).toBe(5 * GiB);
      expect(await connector.findVolume('vol-grown')).toMatchObject({ id, bytes: 5 * GiB });
    });

    test('growing to a size it does not make, in a full pool, or of a volume it does not have, leaves it as it is', async () => {
      const { id } = await connector.createVolume(asked('vol-stays'));
      const at = { id, poolPath: poolOf('kelp-nvme').path };
      await expect(connector.ensureGrown({ ...at, bytes: 5 * GiB + 7 })).rejects.toMatchObject({ code: 'refused' });
      under.setFull('kelp-nvme', true);
      await expect(connector.ensureGrown({ ...at, bytes: 5 * GiB })).rejects.toMatchObject({ code: 'full' });
      under.setFull('kelp-nvme', false);
      await expect(connector.ensureGrown({ ...at, id: 'none', bytes: GiB })).rejects.toMatchObject({
        code: 'not-found',
      });
      expect(await connector.findVolume('vol-stays')).toMatchObject({ id, bytes: 2 * GiB });
    });

    test('one copy more is made and one goes, once however often that is asked for; the last whole one stays', async () => {
      await connector.createVolume(asked('vol-copied'));
      const lying = async () => (await connector.findVolume('vol-copied'))!.copies.map((c) => c.disk).sort();
      const [one, two, three] = disksFor(3);
      const ids = (...of: (typeof one)[]) => of.map((d) => d!.id).sort();
      expect(await connector.ensureCopy('vol-copied', three!)).toBe(3);
      expect(await connector.ensureCopy('vol-copied', three!)).toBe(3);
      expect(await lying()).toEqual(ids(one, two, three));
      await whole('vol-copied');
      expect(await connector.ensureCopyGone('vol-copied', one!.id)).toBe(2);
      expect(await connector.ensureCopyGone('vol-copied', one!.id)).toBe(2);
      expect(await connector.ensureCopyGone('vol-copied', two!.id)).toBe(1);
      await expect(connector.ensureCopyGone('vol-copied', three!.id)).rejects.toMatchObject({ code: 'refused' });
      expect(await lying()).toEqual(ids(three));
      await expect(connector.ensureCopy('none', one!)).rejects.toMatchObject({ code: 'not-found' });
      await expect(connector.ensureCopyGone('none', one!.id)).rejects.toMatchObject({ code: 'not-found' });
    });

    test('a volume writes to another backend once, however often that is asked for', async () => {
      const { id } = await connector.createVolume(asked('vol-mirrored'));
      const onto = { backend: 'basalt', volume: 'far', mode: 'synchronous' } as const;
      await connector.ensureMirrored(id, onto);
      await connector.ensureMirrored(id, onto);
      expect(under.mirrorsOf(id)).toEqual(['urn:vast-moorage:basalt:far']);
      await expect(connector.ensureMirrored('none', onto)).rejects.toMatchObject({ code: 'not-found' });
    });

    test('it keeps no list of addresses, and says so', async () => {
      expect(await connector.fetchClients()).toBeUndefined();
      await expect(connector.ensureClient('10.60.0.99')).rejects.toMatchObject({ code: 'refused' });
    });
  });

  describe('bare disks that pools are made of', () => {
    let under: Under;
    let connector: BackendConnector;
    let view: BackendView;
    beforeAll(async () => {
      under = await make(eddySeed());
      ({ connector } = under);
      view = await connector.fetchView();
    });
    afterAll(() => under.end());
    const free = () => {
      const { id, node } = view.disks.find((d) => d.use === 'free' && d.works && d.lasting)!;
      return { id, node };
    };
    const ownerOf = async (id: string) => (await connector.fetchView()).disks.find((d) => d.id === id)?.owner;
    const pool = (name: string): NewPool => ({
      ...{ name, scheme: { kind: 'copies', copies: 2 }, level: 'node' },
      ...{ protocols: ['NVMeOverFabrics'], encrypted: false, internal: false },
    });

    test('a pool is made once, takes bare disks, gives them back, and goes', async () => {
      await connector.ensurePool(pool('made'));
      await connector.ensurePool(pool('made'));
      expect((await connector.fetchView()).pools.filter((p) => p.name === 'made')).toHaveLength(1);
      const disk = free();
      await connector.addDisks('made', [disk]);
      await connector.addDisks('made', [disk]);
      expect(await ownerOf(disk.id)).toBe('made');
      await expect(connector.ensurePoolDeleted('made')).rejects.toMatchObject({ code: 'refused' });
      await connector.removeDisks('made', [disk]);
      expect(await ownerOf(disk.id)).toBeUndefined();
      await connector.ensurePoolDeleted('made');
      await connector.ensurePoolDeleted('made');
      expect((await connector.fetchView()).pools.map((p) => p.name)).not.toContain('made');
    });

    test('disks that belong elsewhere are refused, all or none', async () => {
      const bare = free();
      const { id, node } = view.disks.find((d) => d.use === 'free' && d.works && d.lasting && d.id !== bare.id)!;
      for (const name of ['first', 'greedy']) await connector.ensurePool(pool(name));
      await connector.addDisks('first', [{ id, node }]);
      await expect(connector.addDisks('greedy', [bare, { id, node }])).rejects.toMatchObject({ code: 'refused' });
      expect([await ownerOf(bare.id), await ownerOf(id)]).toEqual([undefined, 'first']);
      const system = view.disks.find((d) => d.use === 'system' || d.use === 'mounted')!;
      await expect(connector.addDisks('greedy', [{ id: system.id, node: system.node }])).rejects.toMatchObject({
        code: 'refused',
      });
    });
  });

  describe('an array of files, sold in instances', () => {
    let under: Under;
    let connector: BackendConnector;
    beforeAll(async () => {
      under = await make(gneissSeed());
      ({ connector } = under);
    });
    afterAll(() => under.end());

    const shared = async () => (await connector.fetchView()).pools.find((p) => p.name === 'gneiss-shared')!;
    const carve = (name: string, poolPath: string, bytes: number) =>
      connector.createVolume({ ...{ name, poolPath, bytes, copies: 1, encrypted: false, disks: [] } });
    const buy = async (name: string, bytes: number) =>
      connector.ensureInstance({ poolPath: (await shared()).path, name, bytes });

    test('a pool that is sold in instances says in which sizes, and takes no volume itself', async () => {
      const { path, facts } = await shared();
      expect(facts.instances).toEqual({ minimum: 1024 * GiB, step: 256 * GiB, maximum: 4096 * GiB, sold: [] });
      await expect(carve('vol-a', path, 40 * GiB)).rejects.toMatchObject({ code: 'refused' });
    });

    test('an instance is bought once, made larger, never smaller, and in no size that is not sold', async () => {
      const bought = await buy('quarter', 1024 * GiB);
      expect(await buy('quarter', 1024 * GiB)).toEqual(bought);
      expect(await buy('quarter', 1280 * GiB)).toEqual({ ...bought, bytes: 1280 * GiB });
      expect((await buy('quarter', 1024 * GiB)).bytes).toBe(1280 * GiB);
      await expect(buy('crooked', 1100 * GiB)).rejects.toMatchObject({ code: 'refused' });
      expect((await shared()).facts.instances!.sold).toEqual([
        { name: 'quarter', path: bought.path, bytes: 1280 * GiB, used: 0 },
      ]);
    });

    test('volumes are carved out of an instance until it is full; none needs disks there', async () => {
      const { path } = await buy('quarter', 1280 * GiB);
      const made = await carve('vol-a', path, 1000 * GiB);
      expect(made).toMatchObject({ pool: 'gneiss-shared', instance: 'quarter', bytes: 1000 * GiB, copies: [] });
      expect(await connector.findVolume('vol-a')).toMatchObject({ pool: 'gneiss-shared', instance: 'quarter' });
      await expect(carve('vol-b', path, 300 * GiB)).rejects.toMatchObject({ code: 'full' });
      const grown = { id: made.id, poolPath: (await shared()).path, bytes: 1300 * GiB };
      await expect(connector.ensureGrown(grown)).rejects.toMatchObject({ code: 'full' });
      expect((await shared()).facts.instances!.sold[0]).toMatchObject({ used: 1000 * GiB });
    });

    test('files are mounted by a name, and what root on a node writes there is set once', async () => {
      const at = { server: 'files.gneiss.orrin-sound.example', addresses: ['10.40.11.20'], path: '/exports/vol-a' };
      expect(await connector.findShare('vol-a')).toEqual({ ...at, root: 'mapped' });
      await connector.ensureRoot('vol-a', 'kept');
      await connector.ensureRoot('vol-a', 'kept');
      expect(await connector.findShare('vol-a')).toEqual({ ...at, root: 'kept' });
      expect(await connector.findShare('vol-z')).toBeUndefined();
      await expect(connector.ensureRoot('vol-z', 'kept')).rejects.toMatchObject({ code: 'refused' });
    });

    test('a volume moves to another instance and stays itself; one with volumes in it is not given back', async () => {
      const { id } = (await connector.findVolume('vol-a'))!;
      const { path: pool } = await shared();
      const { path } = await buy('half', 1024 * GiB);
      await expect(connector.ensureInstanceGone(pool, 'quarter')).rejects.toMatchObject({ code: 'refused' });
      await eventually('it has arrived', async () => (await connector.ensureMoved('vol-a', path)) === 100);
      expect(await connector.findVolume('vol-a')).toMatchObject({ id, pool: 'gneiss-shared', instance: 'half' });
      await connector.ensureInstanceGone(pool, 'quarter');
      await connector.ensureInstanceGone(pool, 'quarter');
      expect((await shared()).facts.instances!.sold).toMatchObject([{ name: 'half', used: 1000 * GiB }]);
      await expect(connector.ensureMoved('vol-z', path)).rejects.toMatchObject({ code: 'not-found' });
    });

    test('a pool that is sold out sells no more', async () => {
      for (let i = 0; i < 52; i++) await buy(`large-${i}`, 4096 * GiB);
      await expect(buy('one-more', 4096 * GiB)).rejects.toMatchObject({ code: 'full' });
    });

    test('an address is let in once and taken away alone; the ranges that hold it among others stay', async () => {
      const before = (await connector.fetchClients())!;
      expect(before.length).toBeGreaterThan(0);
      await connector.ensureClient('10.60.0.99');
      await connector.ensureClient('10.60.0.99');
      const added = (await connector.fetchClients())!.filter((c) => c.address === '10.60.0.99');
      expect(added).toHaveLength(1);
      await connector.ensureClientGone('10.60.0.99');
      await connector.ensureClientGone('10.60.0.99');
      expect(await connector.fetchClients()).toEqual(before);
    });
  });
});
