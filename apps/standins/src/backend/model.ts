import { randomUUID } from 'node:crypto';
import type { Journal } from '../journal';
import { RedfishError } from './errors';

/** Sizes in bytes, rates in operations per second, times in milliseconds. */
export interface DriveSeed {
  readonly id: string;
  readonly node: string;
  readonly zone: string;
  readonly rack: string;
  readonly capacity: number;
  readonly media: 'SSD' | 'HDD';
  readonly pool: string;
}

export interface PoolSeed {
  readonly id: string;
  /** `array`: the box keeps its copies inside. `copies`: each volume names the drives of its copies. `shards`: k+m. */
  readonly kind: 'array' | 'copies' | 'shards';
  /** Usable bytes of an array's pool; other kinds follow from their drives. */
  readonly usable?: number;
  readonly raidTypes: readonly string[];
  readonly dataShards?: number;
  readonly parityShards?: number;
  readonly protocols: readonly string[];
  readonly encrypts: boolean;
  readonly iops: number;
  readonly bytesPerSecond: number;
  readonly minimum: number;
  readonly maximum: number;
  readonly granule: number;
}

export interface BackendSeed {
  readonly id: string;
  readonly title: string;
  readonly nodes: readonly string[];
  readonly pools: readonly PoolSeed[];
  readonly drives: readonly DriveSeed[];
  readonly user: string;
  readonly password: string;
  /** How long making a volume takes. */
  readonly createMs: number;
  /** How fast a copy is brought back, bytes per second. */
  readonly resyncRate: number;
}

export interface Copy {
  readonly drive: string;
  state: 'Synchronized' | 'Synchronizing' | 'Failed';
  /** Bytes still to be copied. */
  left: number;
}

export interface Volume {
  readonly id: string;
  readonly name: string;
  readonly pool: string;
  readonly capacity: number;
  /** Written bytes. */
  consumed: number;
  readonly raidType: string;
  readonly encrypted: boolean;
  readonly serviceClass?: string;
  state: 'Starting' | 'Enabled';
  copies: Copy[];
}

export interface ServiceClass {
  readonly id: string;
  readonly maxIops?: number;
}

export interface Task {
  readonly id: string;
  readonly volume: string;
  state: 'Running' | 'Completed';
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

/** One storage box: pools that really fill, copies that really resync. Journalled, so that a restart keeps it. */
export class Backend {
  readonly volumes = new Map<string, Volume>();
  readonly tasks = new Map<string, Task>();
  readonly serviceClasses = new Map<string, ServiceClass>();
  private readonly downNodes = new Set<string>();
  private readonly failedDrives = new Set<string>();
  private readonly fullPools = new Set<string>();
  /** Real arrays differ: some take two volumes of one name. Off unless a test wants it. */
  duplicateNames = false;
  private timers = new Set<NodeJS.Timeout>();

  constructor(
    readonly seed: BackendSeed,
    private readonly journal: Journal,
  ) {
    for (const [key, value] of journal.load()) {
      const [kind, id] = key.split('/') as [string, string];
      if (kind === 'volume') this.volumes.set(id, { ...(value as Volume), state: 'Enabled' });
      if (kind === 'class') this.serviceClasses.set(id, value as ServiceClass);
      if (kind === 'failed') this.failedDrives.add(id);
    }
  }

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

  private save(volume: Volume): void {
    this.journal.put(`volume/${volume.id}`, volume);
  }

  pool(id: string): PoolSeed {
    const found = this.seed.pools.find((p) => p.id === id);
    if (!found)
      throw new RedfishError(
        404,
        'ResourceNotFound',
        `The requested resource of type StoragePool named '${id}' was not found.`,
      );
    return found;
  }

  drive(id: string): DriveSeed {
    const found = this.seed.drives.find((d) => d.id === id);
    if (!found)
      throw new RedfishError(
        404,
        'ResourceNotFound',
        `The requested resource of type Drive named '${id}' was not found.`,
      );
    return found;
  }

  volume(id: string): Volume {
    const found = this.volumes.get(id);
    if (!found)
      throw new RedfishError(
        404,
        'ResourceNotFound',
        `The requested resource of type Volume named '${id}' was not found.`,
      );
    return found;
  }

  driveWorks = (drive: DriveSeed): boolean => !this.failedDrives.has(drive.id) && !this.downNodes.has(drive.node);
  nodeWorks = (node: string): boolean => !this.downNodes.has(node);

  /** Provisioned and written bytes on one drive. */
  onDrive(id: string): { provisioned: number; consumed: number } {
    let provisioned = 0;
    let consumed = 0;
    for (const volume of this.volumes.values())
      if (volume.copies.some((c) => c.drive === id)) {
        provisioned += volume.capacity;
        consumed += volume.consumed;
      }
    return { provisioned, consumed };
  }

  drivesOf = (pool: PoolSeed): readonly DriveSeed[] => this.seed.drives.filter((d) => d.pool === pool.id);

  /** What a pool holds: `allocated` is raw for pools of copies or shards, usable for an array's. */
  figures(pool: PoolSeed): { allocated: number; provisioned: number; consumed: number } {
    const volumes = [...this.volumes.values()].filter((v) => v.pool === pool.id);
    const factor = pool.kind === 'shards' ? (pool.dataShards! + pool.parityShards!) / pool.dataShards! : 1;
    const weight = (v: Volume) => (pool.kind === 'copies' ? Math.max(1, v.copies.length) : factor);
    const allocated = pool.usable ?? this.drivesOf(pool).reduce((sum, d) => sum + d.capacity, 0);
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
    const { encrypts } = pool;
    if (!this.duplicateNames && [...this.volumes.values()].some((v) => v.name === asked.name))
      throw new RedfishError(
        409,
        'ResourceAlreadyExists',
        `The requested resource of type Volume with the property Name with the value '${asked.name}' already exists.`,
      );
    if (
      !Number.isSafeInteger(asked.capacity) ||
      asked.capacity < pool.minimum ||
      asked.capacity > pool.maximum ||
      asked.capacity % pool.granule !== 0
    )
      throw new RedfishError(
        400,
        'PropertyValueNotInList',
        `The value '${asked.capacity}' for the property CapacityBytes is not in the list of acceptable values.`,
      );
    if (this.roomIn(pool) <= 0)
      throw new RedfishError(507, 'InsufficientStorage', `Insufficient storage: pool '${pool.id}' is full.`);
    for (const id of asked.drives) {
      const drive = this.drive(id);
      if (drive.pool !== pool.id)
        throw new RedfishError(400, 'PropertyValueConflict', `Drive '${id}' does not belong to pool '${pool.id}'.`);
      if (!this.driveWorks(drive))
        throw new RedfishError(
          409,
          'ResourceCannotBeUsed',
          `Drive '${id}' cannot be used: it or its node is not working.`,
        );
    }
    if (
      pool.kind === 'copies' &&
      new Set(asked.drives.map((d) => this.drive(d).node)).size !== Math.max(1, asked.drives.length)
    )
      throw new RedfishError(400, 'PropertyValueConflict', 'Copies must be on different nodes.');
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
      copies: asked.drives.map((drive) => ({ drive, state: 'Synchronized', left: 0 })),
    };
    const task: Task = { id: randomUUID().slice(0, 8), volume: id, state: 'Running' };
    this.volumes.set(id, volume);
    this.tasks.set(task.id, task);
    this.save(volume);
    this.later(this.seed.createMs, () => {
      volume.state = 'Enabled';
      task.state = 'Completed';
    });
    return { volume, task };
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

  /** What an application wrote so far; tests and demonstrations set it. */
  write(id: string, consumed: number): void {
    const volume = this.volume(id);
    volume.consumed = Math.min(consumed, volume.capacity);
    this.save(volume);
  }

  setNode(node: string, up: boolean): void {
    if (up) this.downNodes.delete(node);
    else this.downNodes.add(node);
    this.judgeCopies();
  }

  setDrive(id: string, works: boolean): void {
    this.drive(id);
    if (works) {
      this.failedDrives.delete(id);
      this.journal.remove(`failed/${id}`);
    } else {
      this.failedDrives.add(id);
      this.journal.put(`failed/${id}`, true);
    }
    this.judgeCopies();
  }

  setFull(pool: string, full: boolean): void {
    this.pool(pool);
    if (full) this.fullPools.add(pool);
    else this.fullPools.delete(pool);
  }

  /** Copies on a lost drive fail; when it is back they are brought up to date, at the box's rate. */
  private judgeCopies(): void {
    for (const volume of this.volumes.values())
      for (const copy of volume.copies) {
        const works = this.driveWorks(this.drive(copy.drive));
        if (!works) copy.state = 'Failed';
        else if (copy.state === 'Failed') {
          copy.state = 'Synchronizing';
          copy.left = volume.consumed;
          this.resync(volume, copy);
        }
      }
  }

  private resync(volume: Volume, copy: Copy): void {
    this.later(500, () => {
      if (copy.state !== 'Synchronizing') return;
      copy.left = Math.max(0, copy.left - this.seed.resyncRate / 2);
      if (copy.left === 0) copy.state = 'Synchronized';
      else this.resync(volume, copy);
      this.save(volume);
    });
  }
}
