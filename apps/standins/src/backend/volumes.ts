import { randomUUID } from 'node:crypto';
import type { Journal } from '../journal';
import { Buckets } from '../objects/buckets';
import { Instances, type Instance } from './instances';
import { Blocks } from './blocks';
import { bestDrive, type Copy, type PlaceDrive } from './copies';
import { Drives } from './drives';
import { notFound, RedfishError } from './errors';
import type { BoxEvent, Mirror, NewVolume, ServiceClass, Task, Volume, VolumeChange } from './resources';
import type { BackendSeed, PoolSeed } from './seed';

/** Copies that a RAID type keeps. */
const raidOf = (copies: number): string => ['None', 'None', 'RAID1', 'RAID1Triple'][copies] ?? 'RAID1Triple';
const copiesOf = (raidType: string): number => (raidType === 'RAID1Triple' ? 3 : raidType === 'RAID1' ? 2 : 1);

/** The volumes of a box and the pools they fill; the tasks that make them. */
export class Volumes extends Drives {
  readonly volumes = new Map<string, Volume>();
  readonly tasks = new Map<string, Task>();
  readonly serviceClasses = new Map<string, ServiceClass>();
  readonly pools = new Map<string, PoolSeed>();
  readonly events: BoxEvent[] = [];
  readonly buckets: Buckets;
  readonly instances: Instances;
  readonly blocks: Blocks;
  private readonly fullPools = new Set<string>();
  private readonly lockedPools = new Set<string>();
  private readonly lostPools = new Set<string>();
  private readonly shrunk = new Map<string, number>();
  /** Real arrays differ: some take two volumes of one name. Off unless a test wants it. */
  duplicateNames = false;
  private readonly timers = new Set<NodeJS.Timeout>();

  constructor(seed: BackendSeed, journal: Journal) {
    super(seed, journal);
    this.buckets = new Buckets(journal);
    this.blocks = new Blocks(journal, this.reaches);
    this.instances = new Instances(seed.pools, journal, this.volumes);
    for (const pool of seed.pools) this.pools.set(pool.id, pool);
  }

  /** As the journal tells. */
  protected recallVolume(kind: string, id: string, value: unknown): void {
    if (kind === 'volume') this.volumes.set(id, { ...(value as Volume), state: 'Enabled', onTheWay: undefined });
    if (kind === 'instance') this.instances.recall(id, value as Instance | null);
    if (kind === 'class') this.serviceClasses.set(id, value as ServiceClass);
    if (kind === 'pool') this.pools.set(id, value as PoolSeed);
  }

  /** Whether what lies on a drive can be read and written. */
  protected readonly reaches = (drive: string): boolean => this.driveWorks(this.drive(drive));

  stop(): void {
    for (const timer of this.timers) clearTimeout(timer);
  }

  private later(ms: number, act: () => void): void {
    const timer = setTimeout(() => {
      this.timers.delete(timer);
      act();
    }, ms);
    this.timers.add(timer);
  }

  protected save(volume: Volume): void {
    this.journal.put(`volume/${volume.id}`, volume);
  }

  note(severity: BoxEvent['severity'], message: string): void {
    this.events.push({ at: this.clock.now().toISOString(), severity, message });
    if (this.events.length > 500) this.events.shift();
  }

  pool(id: string): PoolSeed {
    const found = this.lostPools.has(id) ? undefined : this.pools.get(id);
    if (!found) throw notFound('StoragePool', id);
    return found;
  }

  get shownPools(): PoolSeed[] {
    return [...this.pools.values()].filter((p) => !this.lostPools.has(p.id));
  }

  volume(id: string): Volume {
    const found = this.volumes.get(id);
    if (!found) throw notFound('Volume', id);
    return found;
  }

  isLocked = (pool: string): boolean => this.lockedPools.has(pool);
  /** Provisioned and written bytes on each drive, of all volumes at once. */
  useOfDrives(): Map<string, { provisioned: number; consumed: number; volumes: string[] }> {
    const use = new Map<string, { provisioned: number; consumed: number; volumes: string[] }>();
    for (const volume of this.volumes.values())
      for (const { drive } of volume.copies) {
        const held = use.get(drive) ?? { provisioned: 0, consumed: 0, volumes: [] };
        held.provisioned += volume.capacity;
        held.consumed += volume.consumed;
        held.volumes.push(volume.id);
        use.set(drive, held);
      }
    return use;
  }

  /** Drives of a pool that copies can go to, with what is promised of them; those that leave take none. */
  protected placesOn(
    pool: PoolSeed,
    use: ReadonlyMap<string, { readonly provisioned: number }>,
    leaving: ReadonlySet<string> = new Set(),
  ): PlaceDrive[] {
    return this.drivesOf(pool)
      .filter((d) => !leaving.has(d.id) && this.driveWorks(d))
      .map((d) => ({
        id: d.id,
        domain: this.domainOf(d, pool),
        capacity: d.capacity,
        used: use.get(d.id)?.provisioned ?? 0,
      }));
  }

  /** What a pool holds: `allocated` is raw for pools of copies or shards, usable for an array's. */
  figures(
    pool: PoolSeed,
    written = (volume: Volume): number => volume.consumed,
  ): { allocated: number; provisioned: number; consumed: number } {
    const volumes = [...this.volumes.values()].filter((v) => v.pool === pool.id);
    const factor = pool.kind === 'shards' ? (pool.dataShards! + pool.parityShards!) / pool.dataShards! : 1;
    const weight = (v: Volume) => (pool.kind === 'copies' ? Math.max(1, v.copies.length) : factor);
    const allocated =
      this.shrunk.get(pool.id) ?? pool.usable ?? this.drivesOf(pool).reduce((sum, d) => sum + d.capacity, 0);
    const consumed = volumes.reduce((sum, v) => sum + written(v) * weight(v), this.buckets.bytesIn(pool.id) * factor);
    return {
      allocated,
      provisioned: volumes.reduce((sum, v) => sum + v.capacity, 0),
      consumed: this.fullPools.has(pool.id) ? allocated : Math.round(consumed),
    };
  }

  roomIn(pool: PoolSeed): number {
    const { allocated, consumed } = this.figures(pool);
    return allocated - consumed;
  }

  /** Makes a volume; it is listed at once and ready when its task is done. */
  create(asked: NewVolume): { volume: Volume; task: Task } {
    const pool = this.pool(asked.pool);
    this.assertMayCreate(asked, pool);
    const { encrypts } = pool;
    const drives = asked.drives.length > 0 ? asked.drives : this.chooseDrives(asked, pool);
    const id = randomUUID();
    const volume: Volume = {
      id,
      name: asked.name,
      pool: pool.id,
      ...(asked.instance !== undefined && { instance: asked.instance }),
      capacity: asked.capacity,
      consumed: 0,
      raidType: asked.raidType ?? pool.raidTypes[0]!,
      encrypted: asked.encrypted ?? encrypts,
      serviceClass: asked.serviceClass,
      ...(asked.shownAs !== undefined && { shownAs: asked.shownAs }),
      state: 'Starting',
      madeAt: this.clock.now().toISOString(),
      copies: drives.map((drive) => ({ drive, state: 'Synchronized', left: 0 })),
    };
    const task = this.addTask('Create volume', { volume: id });
    this.volumes.set(id, volume);
    this.save(volume);
    this.later(this.seed.createMs, () => {
      volume.state = 'Enabled';
      this.endTask(task);
    });
    return { volume, task };
  }

  /** Where nobody names drives for the copies, the box chooses: the emptiest, each in a domain of its own. */
  private chooseDrives(asked: NewVolume, pool: PoolSeed): string[] {
    if (pool.kind !== 'copies') return [];
    const use = this.useOfDrives();
    const free = this.placesOn(pool, use);
    const taken = new Set<string>();
    const wanted = copiesOf(asked.raidType ?? pool.raidTypes.find((t) => t !== 'None') ?? 'None');
    return Array.from({ length: wanted }, () => {
      const drive = bestDrive(free, asked.capacity, taken);
      if (!drive)
        throw new RedfishError(
          507,
          'InsufficientStorage',
          `Insufficient storage: pool '${pool.id}' has no room for ${wanted} copies on different domains.`,
        );
      taken.add(drive.domain);
      return drive.id;
    });
  }

  /** Grows a volume, or changes its class of service, the name that people see, or the part of its pool that it lies in. */
  change(id: string, change: VolumeChange): void {
    const volume = this.volume(id);
    const { serviceClass } = change;
    if (serviceClass !== undefined && !this.serviceClasses.has(serviceClass) && serviceClass !== volume.pool)
      throw notFound('ClassOfService', serviceClass);
    const { capacity = volume.capacity } = change;
    const pool = this.pool(volume.pool);
    if (capacity < volume.capacity)
      throw new RedfishError(
        400,
        'PropertyValueOutOfRange',
        `The value '${capacity}' for the property CapacityBytes is below what the volume has; volumes do not shrink.`,
      );
    if (capacity !== volume.capacity) this.assertSize(capacity, pool);
    if (capacity > volume.capacity) this.instances.assertRoom(pool, volume.instance, capacity - volume.capacity);
    const { instance = volume.onTheWay ?? volume.instance } = change;
    if (instance !== volume.instance && instance !== volume.onTheWay)
      this.instances.assertRoom(pool, instance, capacity);
    if (capacity > volume.capacity && this.roomIn(pool) <= 0)
      throw new RedfishError(507, 'InsufficientStorage', `Insufficient storage: pool '${pool.id}' is full.`);
    volume.capacity = capacity;
    if (change.shownAs !== undefined) volume.shownAs = change.shownAs;
    if (serviceClass !== undefined) volume.serviceClass = serviceClass;
    this.save(volume);
    if (instance === volume.instance) this.moving.delete(id);
    else if (instance !== this.moving.get(id)?.to) this.moveWithin(volume, instance!);
    volume.onTheWay = this.moving.get(id)?.to;
  }

  /** Volumes on their way to another part of their pool: where to, since when and for how long. A restart leaves them where they were. */
  private readonly moving = new Map<string, { readonly to: string; readonly since: number; readonly ms: number }>();

  /** Moves a volume at the rate at which the box moves data; it lies where it lay until it has arrived. */
  private moveWithin(volume: Volume, to: string): void {
    const ms = Math.max(this.seed.createMs, (1000 * volume.consumed) / this.seed.resyncRate);
    const move = { to, since: Date.now(), ms };
    this.moving.set(volume.id, move);
    this.later(ms, () => {
      // called back, or sent elsewhere
      if (this.moving.get(volume.id) !== move || !this.volumes.has(volume.id)) return;
      this.moving.delete(volume.id);
      volume.instance = to;
      volume.onTheWay = undefined;
      this.save(volume);
    });
  }

  /** How far a volume that is on its way has come, percent. */
  arrived(id: string): number | undefined {
    const move = this.moving.get(id);
    return move && Math.min(99, Math.floor((100 * (Date.now() - move.since)) / move.ms));
  }

  /** Lets a volume have its copies on these drives: those it has there stay, new ones are brought up to date, others go. */
  relay(id: string, drives: readonly string[]): void {
    const volume = this.volume(id);
    const pool = this.pool(volume.pool);
    if (pool.kind !== 'copies')
      throw new RedfishError(400, 'ActionNotSupported', `Pool '${pool.id}' lays its data out by itself.`);
    const stay = volume.copies.filter((c) => drives.includes(c.drive));
    const added = drives.filter((d) => !stay.some((c) => c.drive === d));
    this.assertDrives(added, drives, pool);
    if (!stay.some((c) => c.state === 'Synchronized'))
      throw new RedfishError(409, 'ResourceCannotBeUsed', 'None of the copies that would stay is in step.');
    const use = this.useOfDrives();
    const full = added.find((d) => (use.get(d)?.provisioned ?? 0) + volume.capacity > this.drive(d).capacity);
    if (full !== undefined)
      throw new RedfishError(507, 'InsufficientStorage', `Insufficient storage: drive '${full}' has no room for it.`);
    const gone = volume.copies.filter((c) => !drives.includes(c.drive)).map((c) => c.drive);
    this.blocks.forget(volume.id, gone);
    volume.copies = [
      ...stay,
      ...added.map((drive): Copy => ({ drive, state: 'Synchronizing', left: Math.max(1, volume.consumed) })),
    ];
    volume.raidType = raidOf(drives.length);
    this.save(volume);
  }

  private assertSize(capacity: number, pool: PoolSeed): void {
    const fits = capacity >= pool.minimum && capacity <= pool.maximum && capacity % pool.granule === 0;
    if (!Number.isSafeInteger(capacity) || !fits)
      throw new RedfishError(
        400,
        'PropertyValueNotInList',
        `The value '${capacity}' for the property CapacityBytes is not in the list of acceptable values.`,
      );
  }

  private assertMayCreate(asked: NewVolume, pool: PoolSeed): void {
    if (!this.duplicateNames && [...this.volumes.values()].some((v) => v.name === asked.name))
      throw new RedfishError(
        409,
        'ResourceAlreadyExists',
        `The requested resource of type Volume with the property Name with the value '${asked.name}' already exists.`,
      );
    this.assertSize(asked.capacity, pool);
    const { raidType } = asked;
    if (
      raidType !== undefined &&
      !pool.raidTypes.includes(raidType) &&
      !(raidType === 'None' && pool.kind === 'copies')
    )
      throw new RedfishError(
        400,
        'PropertyValueNotInList',
        `The value '${raidType}' for the property RAIDType is not in the list of acceptable values.`,
      );
    if (pool.internal || this.lockedPools.has(pool.id))
      throw new RedfishError(409, 'ResourceCannotBeUsed', `Pool '${pool.id}' does not take volumes now.`);
    if (this.roomIn(pool) <= 0)
      throw new RedfishError(507, 'InsufficientStorage', `Insufficient storage: pool '${pool.id}' is full.`);
    this.instances.assertRoom(pool, asked.instance, asked.capacity);
    this.assertDrives(asked.drives, asked.drives, pool);
  }

  /** New drives belong to the pool and work; all of a volume's are in different domains. */
  private assertDrives(added: readonly string[], all: readonly string[], pool: PoolSeed): void {
    for (const id of added) {
      const drive = this.drive(id);
      if (this.ownerOf(drive) !== pool.id)
        throw new RedfishError(400, 'PropertyValueConflict', `Drive '${id}' does not belong to pool '${pool.id}'.`);
      if (!this.driveWorks(drive))
        throw new RedfishError(
          409,
          'ResourceCannotBeUsed',
          `Drive '${id}' cannot be used: it or its node is not working.`,
        );
    }
    const domains = new Set(all.map((d) => this.domainOf(this.drive(d), pool)));
    if (pool.kind === 'copies' && domains.size !== all.length)
      throw new RedfishError(400, 'PropertyValueConflict', 'Copies must be on different nodes.');
  }

  protected addTask(name: string, on: Pick<Task, 'volume' | 'pool'>): Task {
    const task: Task = { id: randomUUID().slice(0, 8), name, ...on, state: 'Running', percent: 0 };
    this.tasks.set(task.id, task);
    if (this.tasks.size > 2000) this.tasks.delete(this.tasks.keys().next().value!);
    return task;
  }

  protected endTask(task: Task): void {
    task.state = 'Completed';
    task.percent = 100;
  }

  /** Another service's volume gets every write from now on. */
  mirror(id: string, onto: Mirror): void {
    const volume = this.volumes.get(id)!;
    if (onto.mode === 'Asynchronous' && !this.pool(volume.pool).offsite)
      throw new RedfishError(400, 'ActionNotSupported', 'The pool of this volume sends no copies to other sites.');
    volume.mirrors = [...(volume.mirrors ?? []).filter((m) => m.target !== onto.target), onto];
    this.save(volume);
  }

  setRootAccess(id: string, rootAccess: boolean): void {
    const volume = this.volume(id);
    volume.rootAccess = rootAccess;
    this.save(volume);
  }

  addServiceClass(cls: ServiceClass): void {
    this.serviceClasses.set(cls.id, cls);
    this.journal.put(`class/${cls.id}`, cls);
  }

  remove(id: string): void {
    this.volume(id);
    this.volumes.delete(id);
    this.journal.remove(`volume/${id}`);
    this.blocks.forget(id);
  }

  setPool(id: string, state: { full?: boolean; readOnly?: boolean; lost?: boolean; usable?: number }): void {
    if (!this.pools.has(id)) throw notFound('StoragePool', id);
    const put = (set: Set<string>, on: boolean | undefined) => {
      if (on !== undefined) set[on ? 'add' : 'delete'](id);
    };
    put(this.fullPools, state.full);
    put(this.lockedPools, state.readOnly);
    put(this.lostPools, state.lost);
    if (state.usable !== undefined) this.shrunk.set(id, state.usable);
  }

  setFull = (pool: string, full: boolean): void => this.setPool(pool, { full });
}
