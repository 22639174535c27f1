import { randomUUID } from 'node:crypto';
import type { Journal } from '../journal';
import { Clients } from './clients';
import { bestDrive, levelOut, type Copy } from './copies';
import { RedfishError } from './errors';
import type { BackendSeed, ClientRange, DriveSeed, PoolSeed } from './seed';

export interface Volume {
  readonly id: string;
  readonly name: string;
  readonly pool: string;
  capacity: number;
  /** The name that people see, when it was set. */
  shownAs?: string;
  /** Written bytes. */
  consumed: number;
  readonly raidType: string;
  readonly encrypted: boolean;
  readonly serviceClass?: string;
  state: 'Starting' | 'Enabled';
  copies: Copy[];
  /** Volumes of other services that are written as well: at the same time, or later. */
  mirrors?: Mirror[];
}

export interface Mirror {
  readonly target: string;
  readonly mode: 'Synchronous' | 'Asynchronous';
}

export interface ServiceClass {
  readonly id: string;
  readonly maxIops?: number;
  readonly maxBytesPerSecond?: number;
  readonly scope?: PoolSeed['scope'];
  readonly protocols?: readonly string[];
}

export interface Task {
  readonly id: string;
  readonly name: string;
  /** Path part of what it made or works on. */
  readonly volume?: string;
  readonly pool?: string;
  state: 'Running' | 'Completed' | 'Exception';
  percent: number;
  message?: string;
}

export interface NewVolume {
  readonly name: string;
  readonly capacity: number;
  readonly pool: string;
  readonly raidType?: string;
  readonly encrypted?: boolean;
  readonly drives: readonly string[];
  readonly serviceClass?: string;
}

export interface BoxEvent {
  readonly at: string;
  readonly severity: 'OK' | 'Warning' | 'Critical';
  readonly message: string;
}

/** Bytes that a pool without copies of its own has still to move. */
interface PoolWork {
  left: number;
  readonly total: number;
  readonly frees: readonly string[];
  readonly task?: string;
}

/** Copies that a RAID type keeps. */
const copiesOf = (raidType: string): number => (raidType === 'RAID1Triple' ? 3 : raidType === 'RAID1' ? 2 : 1);

const tickMs = 250;
/** Random operations and bytes per second that one drive of each medium gives. */
const driveSpeed = { SSD: { iops: 12_000, bytes: 600e6 }, HDD: { iops: 180, bytes: 190e6 } } as const;
const notFound = (type: string, id: string) =>
  new RedfishError(404, 'ResourceNotFound', `The requested resource of type ${type} named '${id}' was not found.`);

/** One storage box: pools that really fill, copies that really resync and move. Journalled, so that a restart keeps it. */
export class Backend {
  readonly volumes = new Map<string, Volume>();
  readonly tasks = new Map<string, Task>();
  readonly serviceClasses = new Map<string, ServiceClass>();
  readonly pools = new Map<string, PoolSeed>();
  readonly events: BoxEvent[] = [];
  readonly poolWork = new Map<string, PoolWork>();
  /** Names and passwords that may sign in, and whether they may change things. */
  readonly accounts = new Map<string, { password: string; role: 'Administrator' | 'ReadOnly' }>();
  readonly clients: Clients;
  private readonly drives = new Map<string, DriveSeed>();
  private readonly owners = new Map<string, string>();
  private readonly downNodes = new Set<string>();
  private readonly failedDrives = new Map<string, number>();
  private readonly fullPools = new Set<string>();
  private readonly lockedPools = new Set<string>();
  private readonly lostPools = new Set<string>();
  private readonly shrunk = new Map<string, number>();
  /** Real arrays differ: some take two volumes of one name. Off unless a test wants it. */
  duplicateNames = false;
  private timers = new Set<NodeJS.Timeout>();
  private ticking?: NodeJS.Timeout;

  constructor(
    readonly seed: BackendSeed,
    private readonly journal: Journal,
  ) {
    for (const drive of seed.drives) {
      this.drives.set(drive.id, drive);
      if (drive.pool) this.owners.set(drive.id, drive.pool);
    }
    for (const pool of seed.pools) this.pools.set(pool.id, pool);
    this.clients = new Clients(seed.clients ?? [], journal);
    this.accounts.set(seed.user, { password: seed.password, role: 'Administrator' });
    this.accounts.set('watcher', { password: 'lookout', role: 'ReadOnly' });
    for (const [key, value] of journal.load()) {
      const cut = key.indexOf('/');
      const [kind, id] = [key.slice(0, cut), key.slice(cut + 1)];
      if (kind === 'volume') this.volumes.set(id, { ...(value as Volume), state: 'Enabled' });
      if (kind === 'class') this.serviceClasses.set(id, value as ServiceClass);
      if (kind === 'client') this.clients.recall(id, value as ClientRange | null);
      if (kind === 'failed') this.failedDrives.set(id, 0);
      if (kind === 'pool') this.pools.set(id, value as PoolSeed);
      if (kind === 'account') this.accounts.set(id, value as { password: string; role: 'Administrator' });
      if (kind === 'owner') {
        if (value === '') this.owners.delete(id);
        else this.owners.set(id, value as string);
      }
    }
    this.tickIfNeeded();
  }

  stop(): void {
    for (const timer of this.timers) clearTimeout(timer);
    clearInterval(this.ticking);
  }

  private later(ms: number, act: () => void): void {
    const timer = setTimeout(() => {
      this.timers.delete(timer);
      act();
    }, ms);
    this.timers.add(timer);
  }

  private save(volume: Volume): void {
    this.journal.put(`volume/${volume.id}`, volume);
  }

  note(severity: BoxEvent['severity'], message: string): void {
    this.events.push({ at: new Date().toISOString(), severity, message });
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

  drive(id: string): DriveSeed {
    const found = this.drives.get(id);
    if (!found) throw notFound('Drive', id);
    return found;
  }

  volume(id: string): Volume {
    const found = this.volumes.get(id);
    if (!found) throw notFound('Volume', id);
    return found;
  }

  ownerOf = (drive: DriveSeed): string | undefined => this.owners.get(drive.id);
  driveFailed = (drive: DriveSeed): boolean => this.failedDrives.has(drive.id);
  driveWorks = (drive: DriveSeed): boolean => !this.driveFailed(drive) && !this.downNodes.has(drive.node);
  nodeWorks = (node: string): boolean => !this.downNodes.has(node);
  isLocked = (pool: string): boolean => this.lockedPools.has(pool);
  drivesOf = (pool: PoolSeed): readonly DriveSeed[] =>
    this.seed.drives.filter((d) => this.owners.get(d.id) === pool.id);

  domainOf = (drive: DriveSeed, pool: PoolSeed): string =>
    pool.scope === 'Rack' ? drive.rack : pool.scope === 'Row' ? drive.zone : drive.node;

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

  /** What a pool can do each second: what its seed says, or what its drives give together. */
  speed(pool: PoolSeed): { iops: number; bytesPerSecond: number } {
    if (pool.iops !== undefined) return { iops: pool.iops, bytesPerSecond: pool.bytesPerSecond ?? 0 };
    let [iops, bytesPerSecond] = [0, 0];
    for (const drive of this.drivesOf(pool))
      if (this.driveWorks(drive)) {
        iops += driveSpeed[drive.media].iops;
        bytesPerSecond += driveSpeed[drive.media].bytes;
      }
    return { iops, bytesPerSecond };
  }

  /** What a pool holds: `allocated` is raw for pools of copies or shards, usable for an array's. */
  figures(pool: PoolSeed): { allocated: number; provisioned: number; consumed: number } {
    const volumes = [...this.volumes.values()].filter((v) => v.pool === pool.id);
    const factor = pool.kind === 'shards' ? (pool.dataShards! + pool.parityShards!) / pool.dataShards! : 1;
    const weight = (v: Volume) => (pool.kind === 'copies' ? Math.max(1, v.copies.length) : factor);
    const allocated =
      this.shrunk.get(pool.id) ?? pool.usable ?? this.drivesOf(pool).reduce((sum, d) => sum + d.capacity, 0);
    const consumed = volumes.reduce((sum, v) => sum + v.consumed * weight(v), 0);
    return {
      allocated,
      provisioned: volumes.reduce((sum, v) => sum + v.capacity, 0),
      consumed: this.fullPools.has(pool.id) ? allocated : Math.round(consumed),
    };
  }

  private roomIn(pool: PoolSeed): number {
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
      capacity: asked.capacity,
      consumed: 0,
      raidType: asked.raidType ?? pool.raidTypes[0]!,
      encrypted: asked.encrypted ?? encrypts,
      serviceClass: asked.serviceClass,
      state: 'Starting',
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
    const free = this.drivesOf(pool)
      .filter(this.driveWorks)
      .map((d) => ({
        id: d.id,
        domain: this.domainOf(d, pool),
        capacity: d.capacity,
        used: use.get(d.id)?.provisioned ?? 0,
      }));
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

  /** Grows a volume, or changes the name that people see. */
  change(id: string, change: { capacity?: number; shownAs?: string }): void {
    const volume = this.volume(id);
    const { capacity = volume.capacity } = change;
    const pool = this.pool(volume.pool);
    if (capacity < volume.capacity)
      throw new RedfishError(
        400,
        'PropertyValueOutOfRange',
        `The value '${capacity}' for the property CapacityBytes is below what the volume has; volumes do not shrink.`,
      );
    if (capacity !== volume.capacity) this.assertSize(capacity, pool);
    if (capacity > volume.capacity && this.roomIn(pool) <= 0)
      throw new RedfishError(507, 'InsufficientStorage', `Insufficient storage: pool '${pool.id}' is full.`);
    volume.capacity = capacity;
    if (change.shownAs !== undefined) volume.shownAs = change.shownAs;
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
    for (const id of asked.drives) {
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
    const domains = new Set(asked.drives.map((d) => this.domainOf(this.drive(d), pool)));
    if (pool.kind === 'copies' && domains.size !== asked.drives.length)
      throw new RedfishError(400, 'PropertyValueConflict', 'Copies must be on different nodes.');
  }

  private addTask(name: string, on: Pick<Task, 'volume' | 'pool'>): Task {
    const task: Task = { id: randomUUID().slice(0, 8), name, ...on, state: 'Running', percent: 0 };
    this.tasks.set(task.id, task);
    if (this.tasks.size > 2000) this.tasks.delete(this.tasks.keys().next().value!);
    return task;
  }

  private endTask(task: Task): void {
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

  addServiceClass(cls: ServiceClass): void {
    this.serviceClasses.set(cls.id, cls);
    this.journal.put(`class/${cls.id}`, cls);
  }

  remove(id: string): void {
    this.volume(id);
    this.volumes.delete(id);
    this.journal.remove(`volume/${id}`);
  }

  // pools made and changed from outside

  addPool(pool: PoolSeed): void {
    if (this.pools.has(pool.id))
      throw new RedfishError(
        409,
        'ResourceAlreadyExists',
        `The requested resource of type StoragePool with the property Name with the value '${pool.id}' already exists.`,
      );
    this.changePool(pool);
    this.note('OK', `Pool ${pool.id} was made.`);
  }

  changePool(pool: PoolSeed): void {
    this.pools.set(pool.id, pool);
    this.journal.put(`pool/${pool.id}`, pool);
  }

  removePool(id: string): void {
    const pool = this.pool(id);
    const held = [...this.volumes.values()].some((v) => v.pool === id) || this.drivesOf(pool).length > 0;
    if (held)
      throw new RedfishError(409, 'ResourceInUse', `Pool '${id}' still holds volumes or drives and cannot be removed.`);
    this.pools.delete(id);
    this.journal.remove(`pool/${id}`);
    this.note('OK', `Pool ${id} was removed.`);
  }

  private own(drive: string, pool: string): void {
    if (pool === '') this.owners.delete(drive);
    else this.owners.set(drive, pool);
    this.journal.put(`owner/${drive}`, pool);
  }

  /** Takes bare drives into a pool, all or none. What the pool holds is then levelled out over them. */
  addDrives(poolId: string, ids: readonly string[]): Task {
    const pool = this.pool(poolId);
    const drives = ids.map((id) => this.drive(id));
    for (const drive of drives) {
      const owner = this.ownerOf(drive);
      if (owner === poolId) continue;
      if (owner !== undefined || drive.use !== undefined)
        throw new RedfishError(
          409,
          'ResourceInUse',
          `Drive '${drive.id}' is in use: ${owner ? `it belongs to pool '${owner}'` : `${drive.use} on its node`}.`,
        );
      if (!this.driveWorks(drive))
        throw new RedfishError(
          this.nodeWorks(drive.node) ? 409 : 503,
          this.nodeWorks(drive.node) ? 'ResourceCannotBeUsed' : 'ServiceTemporarilyUnavailable',
          `Drive '${drive.id}' cannot be used: it or its node ${drive.node} is not working.`,
        );
    }
    const added = drives.filter((d) => this.ownerOf(d) !== poolId);
    const before = this.drivesOf(pool).reduce((sum, d) => sum + d.capacity, 0);
    for (const drive of added) this.own(drive.id, poolId);
    if (added.length > 0) this.note('OK', `${added.length} drives were added to ${poolId}.`);
    const task = this.addTask('Add drives', { pool: poolId });
    const fresh = added.reduce((sum, d) => sum + d.capacity, 0);
    if (pool.kind === 'copies') this.spreadOut(pool);
    else this.work(pool, Math.round((this.figures(pool).consumed * fresh) / Math.max(1, before + fresh)), [], task.id);
    this.tickIfNeeded();
    if (!this.isMoving(pool)) this.endTask(task);
    return task;
  }

  private isMoving = (pool: PoolSeed): boolean =>
    this.poolWork.has(pool.id) ||
    [...this.volumes.values()].some((v) => v.pool === pool.id && v.copies.some((c) => c.state === 'Synchronizing'));

  private work(pool: PoolSeed, total: number, frees: readonly string[], task?: string): void {
    if (total > 0) this.poolWork.set(pool.id, { left: total, total, frees, task });
    else for (const id of frees) this.own(id, '');
  }

  private spreadOut(pool: PoolSeed): void {
    const use = this.useOfDrives();
    const volumes = [...this.volumes.values()].filter((v) => v.pool === pool.id);
    const drives = this.drivesOf(pool)
      .filter(this.driveWorks)
      .map((d) => ({
        id: d.id,
        domain: this.domainOf(d, pool),
        capacity: d.capacity,
        used: use.get(d.id)?.provisioned ?? 0,
      }));
    for (const move of levelOut(drives, volumes)) this.move(move.volume as Volume, move.copy, move.to);
  }

  private move(volume: Volume, copy: Copy, to: string): void {
    copy.from = copy.state === 'Synchronized' ? copy.drive : undefined;
    copy.drive = to;
    copy.left = volume.consumed;
    copy.state = 'Synchronizing';
    this.save(volume);
  }

  /** Takes drives out of a pool when what is on them fits elsewhere under the same protection; their data moves first. */
  removeDrives(poolId: string, ids: readonly string[]): Task {
    const pool = this.pool(poolId);
    const leaving = new Set(ids.filter((id) => this.ownerOf(this.drive(id)) === poolId));
    const task = this.addTask('Remove drives', { pool: poolId });
    if (pool.kind === 'copies') {
      const moves = this.planEvacuation(pool, leaving);
      for (const { volume, copy, to } of moves) this.move(volume, copy, to);
      // a drive without copies is free at once; the others when their copies are elsewhere
      for (const id of leaving) if (!moves.some((m) => m.copy.from === id)) this.own(id, '');
      this.leaving.set(task.id, { pool: poolId, drives: [...leaving] });
    } else {
      const total = this.drivesOf(pool).reduce((sum, d) => sum + d.capacity, 0);
      const going = [...leaving].reduce((sum, id) => sum + this.drive(id).capacity, 0);
      const { consumed } = this.figures(pool);
      if (consumed > total - going)
        throw new RedfishError(409, 'InsufficientStorage', `What is on these drives does not fit on the others.`);
      this.work(pool, Math.round((consumed * going) / Math.max(1, total)), [...leaving], task.id);
    }
    this.note('OK', `${leaving.size} drives leave ${poolId}.`);
    this.tickIfNeeded();
    if (!this.isMoving(pool)) this.finishLeaving();
    if (!this.isMoving(pool)) this.endTask(task);
    return task;
  }

  private readonly leaving = new Map<string, { pool: string; drives: readonly string[] }>();

  private planEvacuation(pool: PoolSeed, leaving: ReadonlySet<string>) {
    const use = this.useOfDrives();
    const staying = this.drivesOf(pool)
      .filter((d) => !leaving.has(d.id) && this.driveWorks(d))
      .map((d) => ({
        id: d.id,
        domain: this.domainOf(d, pool),
        capacity: d.capacity,
        used: use.get(d.id)?.provisioned ?? 0,
      }));
    const moves: { volume: Volume; copy: Copy; to: string }[] = [];
    for (const volume of [...this.volumes.values()].sort((a, b) => b.capacity - a.capacity))
      for (const copy of volume.copies)
        if (volume.pool === pool.id && leaving.has(copy.drive)) {
          const others = new Set(
            volume.copies.filter((c) => c !== copy).map((c) => this.domainOf(this.drive(c.drive), pool)),
          );
          const target = bestDrive(staying, volume.capacity, others);
          if (!target)
            throw new RedfishError(
              409,
              'InsufficientStorage',
              `Volume '${volume.name}' on drive '${copy.drive}' does not fit anywhere else under the same protection.`,
            );
          target.used += volume.capacity;
          moves.push({ volume, copy, to: target.id });
        }
    return moves;
  }

  // what tests and demonstrations do to it

  /** What an application wrote so far. */
  write(id: string, consumed: number): void {
    const volume = this.volume(id);
    volume.consumed = Math.min(consumed, volume.capacity);
    this.save(volume);
  }

  setNode(node: string, up: boolean): void {
    if (up) this.downNodes.delete(node);
    else this.downNodes.add(node);
    this.note(up ? 'OK' : 'Critical', `Node ${node} ${up ? 'answers again' : 'does not answer'}.`);
    this.judgeCopies();
  }

  setDrive(id: string, works: boolean): void {
    const drive = this.drive(id);
    if (works) {
      this.failedDrives.delete(id);
      this.journal.remove(`failed/${id}`);
    } else {
      this.failedDrives.set(id, Date.now());
      this.journal.put(`failed/${id}`, true);
    }
    this.note(works ? 'OK' : 'Critical', `Drive ${id} in ${drive.node} ${works ? 'works again' : 'failed'}.`);
    this.judgeCopies();
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

  setPassword(user: string, password: string): void {
    const account = { password, role: this.accounts.get(user)?.role ?? ('Administrator' as const) };
    this.accounts.set(user, account);
    this.journal.put(`account/${user}`, account);
  }

  /** Copies on a lost drive fail; when it is back they are brought up to date. */
  private judgeCopies(): void {
    for (const volume of this.volumes.values())
      for (const copy of volume.copies) {
        const works = this.driveWorks(this.drive(copy.drive));
        if (!works && copy.state !== 'Failed') {
          copy.state = 'Failed';
          copy.left = volume.consumed;
        } else if (works && copy.state === 'Failed') copy.state = 'Synchronizing';
      }
    this.tickIfNeeded();
  }

  // the work that goes on by itself

  private tickIfNeeded(): void {
    this.ticking ??= setInterval(() => this.tick(), tickMs);
  }

  private tick(): void {
    this.healFailed();
    const busy = [...this.volumes.values()].flatMap((volume) =>
      volume.copies.filter((c) => c.state === 'Synchronizing').map((copy) => ({ volume, copy })),
    );
    const share = (this.seed.resyncRate * tickMs) / 1000 / Math.max(1, busy.length + this.poolWork.size);
    for (const { volume, copy } of busy) {
      copy.left = Math.max(0, copy.left - share);
      if (copy.left > 0) continue;
      copy.state = 'Synchronized';
      copy.from = undefined;
      this.save(volume);
    }
    for (const [pool, work] of this.poolWork) {
      work.left = Math.max(0, work.left - share);
      const task = work.task === undefined ? undefined : this.tasks.get(work.task);
      if (task) task.percent = Math.floor(100 * (1 - work.left / work.total));
      if (work.left > 0) continue;
      this.poolWork.delete(pool);
      for (const id of work.frees) this.own(id, '');
      if (task) this.endTask(task);
    }
    this.finishLeaving();
    for (const task of this.tasks.values())
      if (task.state === 'Running' && task.pool && !task.volume && !this.isMoving(this.pools.get(task.pool)!))
        this.endTask(task);
    const failing = [...this.volumes.values()].some((v) => v.copies.some((c) => c.state === 'Failed'));
    if (busy.length === 0 && this.poolWork.size === 0 && !failing && this.leaving.size === 0) {
      clearInterval(this.ticking);
      this.ticking = undefined;
    }
  }

  private finishLeaving(): void {
    for (const [task, { pool, drives }] of this.leaving) {
      const held = new Set(
        [...this.volumes.values()].filter((v) => v.pool === pool).flatMap((v) => v.copies.map((c) => c.from)),
      );
      for (const id of drives) if (!held.has(id) && this.owners.get(id) === pool) this.own(id, '');
      if (drives.every((id) => this.owners.get(id) !== pool)) this.leaving.delete(task);
    }
  }

  /** Some time after a drive failed, its copies are made anew on other drives, where there is room in another domain. */
  private healFailed(): void {
    const after = this.seed.healAfterMs;
    if (after === undefined) return;
    const due = [...this.failedDrives].filter(([, at]) => Date.now() - at >= after).map(([id]) => id);
    if (due.length === 0) return;
    const use = this.useOfDrives();
    for (const volume of this.volumes.values())
      for (const copy of volume.copies) {
        if (copy.state !== 'Failed' || !due.includes(copy.drive)) continue;
        const pool = this.pools.get(volume.pool)!;
        const candidates = this.drivesOf(pool)
          .filter(this.driveWorks)
          .map((d) => ({
            id: d.id,
            domain: this.domainOf(d, pool),
            capacity: d.capacity,
            used: use.get(d.id)?.provisioned ?? 0,
          }));
        const others = new Set(
          volume.copies.filter((c) => c !== copy).map((c) => this.domainOf(this.drive(c.drive), pool)),
        );
        const target = bestDrive(candidates, volume.capacity, others);
        if (!target) continue;
        const held = use.get(target.id) ?? { provisioned: 0, consumed: 0, volumes: [] };
        held.provisioned += volume.capacity;
        use.set(target.id, held);
        this.note('Warning', `A copy of ${volume.name} is made anew on ${target.id}.`);
        this.move(volume, copy, target.id);
      }
  }
}
