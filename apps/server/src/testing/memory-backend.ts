import { randomUUID } from 'node:crypto';
import { isIP } from 'node:net';
import type { RootOnNodes } from '@moorage/core/classes/storage-class';
import { singleAddressMask } from '@moorage/core/nodes/readiness';
import {
  BackendProblem,
  type BackendConnector,
  type BackendShare,
  type BackendView,
  type BackendVolume,
  type DiskAt,
  type GrownVolume,
  type MirrorTarget,
  type NewBackendVolume,
  type NewPool,
  type WantedInstance,
} from '../swordfish/connector';
import { meet, type Fate } from './fate';
import { MemoryObjects } from './memory-objects';

type PoolView = BackendView['pools'][number];
const refused = (detail: string) => new BackendProblem('refused', detail);
/** Of a pool that was just made: nothing is in it yet. */
const bareFacts: Omit<PoolView['facts'], 'redundancy'> = {
  ...{ protocols: [], access: ['block'], sharedBlock: true, encryption: false, expansion: true },
  ...{ snapshots: true, clones: true, offsite: false, compression: false, deduplication: false },
  ...{ busy: false, readOnly: false, zones: [], minimum: 2 ** 20, maximum: 2 ** 44, granule: 2 ** 20 },
  ...{ disks: [], consumedRaw: 0, iops: 0, throughput: 0, amplification: 1 },
};
const lastPart = (path: string) => path.slice(path.lastIndexOf('/') + 1);

/** A backend in memory that begins as another one was seen, held to the same tests as the real one. */
export class MemoryBackend implements BackendConnector {
  private readonly volumes = new Map<string, BackendVolume>();
  private readonly mirrors = new Map<string, Map<string, MirrorTarget['mode']>>();
  private readonly pools: Map<string, PoolView>;
  private readonly owners = new Map<string, string>();
  private clients: { readonly address: string; readonly mask: string }[] | undefined;
  private readonly full = new Set<string>();
  /** Size of each instance, by its path. */
  private readonly instances = new Map<string, number>();
  /** Decides what becomes of each call that changes something. */
  fate: () => Fate = () => 'answered';
  readonly objects = new MemoryObjects(() => this.fate());

  constructor(private readonly seen: BackendView) {
    this.pools = new Map(seen.pools.map((p) => [p.name, p]));
    for (const { id, owner } of seen.disks) if (owner) this.owners.set(id, owner);
    for (const volume of seen.volumes) this.volumes.set(volume.id, volume);
    for (const { facts } of seen.pools)
      for (const { path, bytes } of facts.instances?.sold ?? []) this.instances.set(path, bytes);
    this.clients = seen.ways.clients && [...seen.ways.clients];
  }

  setFull(pool: string, full: boolean): void {
    if (full) this.full.add(pool);
    else this.full.delete(pool);
  }

  /** Where the writes of a volume go as well. */
  mirrorsOf = (volume: string): string[] => [...(this.mirrors.get(volume)?.keys() ?? [])];

  private changing = <T>(work: () => T): Promise<T> =>
    meet(this.fate(), (of, detail) => new BackendProblem(of, detail), work);

  private pool(name: string): PoolView {
    const found = this.pools.get(name);
    if (!found) throw new BackendProblem('not-found', `there is no pool ${name}`);
    return found;
  }

  private diskAt({ id, node }: DiskAt) {
    const found = this.seen.disks.find((d) => d.id === id && d.node === node);
    if (!found) throw new BackendProblem('not-found', `there is no drive ${id} on ${node}`);
    return found;
  }

  fetchView(): Promise<BackendView> {
    const disks = this.seen.disks.map(({ owner: _, ...disk }) => {
      const owner = this.owners.get(disk.id);
      if (owner) return { ...disk, use: 'owned' as const, owner };
      return disk.use === 'owned' ? { ...disk, use: 'free' as const } : disk;
    });
    const ways = { ...this.seen.ways, ...(this.clients && { clients: this.clients }) };
    const pools = [...this.pools.values()].map((pool) => ({ ...pool, facts: this.factsOf(pool) }));
    return Promise.resolve(
      structuredClone({
        ...this.seen,
        pools,
        volumes: [...this.volumes.values()],
        disks,
        ways,
      }),
    );
  }

  private factsOf({ name, path, facts }: PoolView): PoolView['facts'] {
    if (!facts.instances) return facts;
    const sold = [...this.instances]
      .filter(([at]) => at.startsWith(`${path}/`))
      .map(([at, bytes]) => ({ name: lastPart(at), path: at, bytes, used: this.usedIn(name, lastPart(at)) }));
    return { ...facts, instances: { ...facts.instances, sold } };
  }

  private usedIn = (pool: string, instance: string): number =>
    [...this.volumes.values()]
      .filter((v) => v.pool === pool && v.instance === instance)
      .reduce((sum, v) => sum + v.bytes, 0);

  /** Pool and instance of a path; the instance has to have room for so much more. */
  private providing(path: string, more: number): { pool: PoolView; instance?: string } {
    const size = this.instances.get(path);
    const pool = size === undefined ? this.pool(lastPart(path)) : this.poolAt(path);
    if (!pool.facts.instances) return { pool };
    if (size === undefined) throw refused(`${pool.name} takes no volumes itself`);
    const instance = lastPart(path);
    if (this.usedIn(pool.name, instance) + more > size) throw new BackendProblem('full', `${instance} is full`);
    return { pool, instance };
  }

  private poolAt(path: string): PoolView {
    const found = [...this.pools.values()].find((p) => p.path === path || path.startsWith(`${p.path}/`));
    if (!found) throw new BackendProblem('not-found', `there is no pool ${path}`);
    return found;
  }

  ensureInstance({ poolPath, name, bytes }: WantedInstance): Promise<{ path: string; bytes: number }> {
    return this.changing(() => {
      const { facts, path: parent } = this.poolAt(poolPath);
      if (!facts.instances) throw refused('the pool is not sold in instances');
      const { minimum, step, maximum } = facts.instances;
      if (bytes < minimum || bytes > maximum || (bytes - minimum) % step !== 0)
        throw refused(`${bytes} bytes is no size of an instance`);
      const path = `${parent}/${name}`;
      const others = [...this.instances].filter(([at]) => at.startsWith(`${parent}/`) && at !== path);
      const usable = facts.redundancy.kind === 'inner' ? facts.redundancy.usable : Infinity;
      if (others.reduce((sum, [, size]) => sum + size, bytes) > usable)
        throw new BackendProblem('full', `${parent} is sold out`);
      this.instances.set(path, Math.max(bytes, this.instances.get(path) ?? 0));
      return { path, bytes: this.instances.get(path)! };
    });
  }

  ensureInstanceGone(poolPath: string, name: string): Promise<void> {
    return this.changing(() => {
      const { name: pool, path } = this.poolAt(poolPath);
      if (this.usedIn(pool, name) > 0) throw refused(`${name} still holds volumes`);
      this.instances.delete(`${path}/${name}`);
    });
  }

  ensureMoved(name: string, instancePath: string): Promise<number> {
    return this.changing(() => {
      const volume = this.named(name);
      if (volume.instance === lastPart(instancePath)) return 100;
      const { instance } = this.providing(instancePath, volume.bytes);
      this.volumes.set(volume.id, { ...volume, ...(instance !== undefined && { instance }) });
      return 100;
    });
  }

  createVolume(asked: NewBackendVolume): Promise<BackendVolume> {
    return this.changing(() => {
      const { pool, instance } = this.providing(asked.poolPath, asked.bytes);
      if ([...this.volumes.values()].some((v) => v.name === asked.name))
        throw new BackendProblem('exists', `there is a volume ${asked.name}`);
      const { minimum, maximum, granule } = pool.facts;
      if (asked.bytes < minimum || asked.bytes > maximum || asked.bytes % granule !== 0)
        throw refused(`${asked.bytes} bytes is no size of a volume on ${pool.name}`);
      if (this.full.has(pool.name)) throw new BackendProblem('full', `${pool.name} is full`);
      const strange = asked.disks.find((d) => this.owners.get(this.diskAt(d).id) !== pool.name);
      if (strange) throw refused(`drive ${strange.id} does not belong to ${pool.name}`);
      if (new Set(asked.disks.map((d) => d.node)).size !== asked.disks.length)
        throw refused('copies must be on different nodes');
      const volume = {
        ...{ id: randomUUID(), name: asked.name, pool: pool.name, bytes: asked.bytes, consumed: 0 },
        ...(instance !== undefined && { instance }),
        ...{ ready: true, degraded: false, offline: false },
        copies: asked.disks.map(({ id, node }) => ({ disk: id, node, state: 'Synchronized', percent: 100 })),
      };
      this.volumes.set(volume.id, volume);
      return volume;
    });
  }

  private readonly roots = new Map<string, RootOnNodes>();
  private readonly exports = (pool: string): boolean => this.pool(pool).facts.access.includes('file');

  findShare(name: string): Promise<BackendShare | undefined> {
    const found = [...this.volumes.values()].find((v) => v.name === name);
    if (!found || !this.exports(found.pool)) return Promise.resolve(undefined);
    const at = { server: 'files.gneiss.orrin-sound.example', addresses: ['10.40.11.20'], path: `/exports/${name}` };
    return Promise.resolve({ ...at, root: this.roots.get(found.id) ?? 'mapped' });
  }

  ensureRoot(name: string, root: RootOnNodes): Promise<void> {
    return this.changing(() => {
      const found = [...this.volumes.values()].find((v) => v.name === name);
      if (!found || !this.exports(found.pool)) throw refused(`there is no export of ${name}`);
      this.roots.set(found.id, root);
    });
  }

  findVolume(name: string): Promise<BackendVolume | undefined> {
    return Promise.resolve(structuredClone([...this.volumes.values()].find((v) => v.name === name)));
  }

  ensureVolumeDeleted(id: string): Promise<void> {
    return this.changing(() => {
      this.volumes.delete(id);
    });
  }

  /** Ceilings that volumes are held to, IOPS by their ids. */
  readonly ceilings = new Map<string, number>();

  ensureGrown({ id, bytes, iopsCeiling, lift }: GrownVolume): Promise<number> {
    return this.changing(() => {
      const volume = this.volumes.get(id);
      if (!volume) throw new BackendProblem('not-found', `there is no volume ${id}`);
      if (iopsCeiling !== undefined) this.ceilings.set(id, iopsCeiling);
      else if (lift) this.ceilings.delete(id);
      if (volume.bytes >= bytes) return volume.bytes;
      const { maximum, granule } = this.pool(volume.pool).facts;
      if (bytes > maximum || bytes % granule !== 0) throw refused(`${bytes} bytes is no size of a volume there`);
      if (this.full.has(volume.pool)) throw new BackendProblem('full', `${volume.pool} is full`);
      if (volume.instance !== undefined)
        this.providing(`${this.pool(volume.pool).path}/${volume.instance}`, bytes - volume.bytes);
      this.volumes.set(id, { ...volume, bytes });
      return bytes;
    });
  }

  ensureCopy(name: string, { id: disk, node }: DiskAt): Promise<number> {
    return this.changing(() => {
      const volume = this.named(name);
      if (volume.copies.some((c) => c.disk === disk)) return volume.copies.length;
      return this.layOut(volume, [...volume.copies, { disk, node, state: 'Synchronized', percent: 100 }]);
    });
  }

  ensureCopyGone(name: string, disk: string): Promise<number> {
    return this.changing(() => {
      const volume = this.named(name);
      const others = volume.copies.filter((c) => c.disk !== disk);
      if (others.length === 0) throw refused(`no copy of ${name} would be whole without the one on ${disk}`);
      return this.layOut(volume, others);
    });
  }

  private named(name: string): BackendVolume {
    const found = [...this.volumes.values()].find((v) => v.name === name);
    if (!found) throw new BackendProblem('not-found', `there is no volume ${name}`);
    return found;
  }

  private layOut(volume: BackendVolume, copies: BackendVolume['copies']): number {
    this.volumes.set(volume.id, { ...volume, copies });
    return copies.length;
  }

  ensureMirrored(volumeId: string, { backend, volume, mode }: MirrorTarget): Promise<void> {
    return this.changing(() => {
      const from = this.volumes.get(volumeId);
      if (!from) throw new BackendProblem('not-found', `there is no volume ${volumeId}`);
      if (mode === 'asynchronous' && !this.pool(from.pool).facts.offsite)
        throw refused(`${from.pool} sends no copies to other sites`);
      this.mirrors.set(
        volumeId,
        new Map([...(this.mirrors.get(volumeId) ?? []), [`urn:vast-moorage:${backend}:${volume}`, mode]]),
      );
    });
  }

  ensurePool({ name, scheme, level, protocols, encrypted }: NewPool): Promise<void> {
    return this.changing(() => {
      if (this.pools.has(name)) return;
      const redundancy = { kind: 'spread' as const, scheme, level, domains: [] };
      const facts = { ...bareFacts, protocols: [...protocols], encryption: encrypted, redundancy };
      this.pools.set(name, { name, path: `/pools/${name}`, facts });
    });
  }

  addDisks(pool: string, disks: readonly DiskAt[]): Promise<void> {
    return this.changing(() => {
      this.pool(pool);
      for (const disk of disks) {
        const owner = this.owners.get(disk.id);
        const { use } = this.diskAt(disk);
        if (owner === pool) continue;
        if (owner !== undefined || (use !== 'free' && use !== 'owned')) throw refused(`drive ${disk.id} is in use`);
      }
      for (const { id } of disks) this.owners.set(id, pool);
    });
  }

  removeDisks(pool: string, disks: readonly DiskAt[]): Promise<void> {
    return this.changing(() => {
      const leaving = new Set(disks.filter((d) => this.owners.get(d.id) === pool).map((d) => d.id));
      const left = [...this.owners].filter(([id, owner]) => owner === pool && !leaving.has(id)).length;
      const held = [...this.volumes.values()].some((v) => v.pool === pool);
      if (held && left === 0) throw refused('what is on these drives fits nowhere else');
      for (const id of leaving) this.owners.delete(id);
    });
  }

  ensurePoolDeleted(name: string): Promise<void> {
    return this.changing(() => {
      const held = [...this.volumes.values()].some((v) => v.pool === name) || [...this.owners.values()].includes(name);
      if (held) throw refused(`${name} still holds volumes or drives`);
      this.pools.delete(name);
    });
  }

  fetchClients = () => Promise.resolve(this.clients && [...this.clients]);

  ensureClient(address: string): Promise<void> {
    return this.changing(() => {
      if (!this.clients) throw refused('it keeps no list of addresses that may mount its exports');
      if (isIP(address) !== 4) throw refused(`${address} is no address`);
      if (!this.clients.some((c) => isOnly(c, address))) this.clients.push({ address, mask: singleAddressMask });
    });
  }

  ensureClientGone(address: string): Promise<void> {
    return this.changing(() => {
      this.clients = this.clients?.filter((c) => !isOnly(c, address));
    });
  }

  fetchLoad = () => Promise.resolve(new Map());
  fetchVolumeReports = () => Promise.resolve([]);
  fetchVolumeReport = () => Promise.resolve([]);
  fetchEvents = () => Promise.resolve([]);
  close = () => Promise.resolve();
}

const isOnly = (range: { readonly address: string; readonly mask: string }, address: string) =>
  range.address === address && range.mask === singleAddressMask;
