import type { PoolFacts } from '@moorage/contract/backends';
import type { BackendEvents, Load } from '@moorage/contract/inventory';
import type { RootOnNodes } from '@moorage/core/classes/storage-class';
import type { Scheme } from '@moorage/core/capacity/usable';
import type { DomainLevel, InventoryDisk } from '@moorage/core/clusters/disk';
import type { BackendWays } from '@moorage/core/nodes/readiness';
import { OutsideProblem } from '../refusals/outside';
import type { ObjectStore } from './object-store';

export type LoadPoint = Load[number]['points'][number];

/** Everything the backend says of itself at one moment. */
export interface BackendView {
  /** What it says it is, whatever its address; undefined when it does not say. */
  readonly identity?: string;
  readonly healthy: boolean;
  readonly pools: readonly { readonly name: string; readonly path: string; readonly facts: PoolFacts }[];
  readonly volumes: readonly BackendVolume[];
  readonly nodes: readonly BackendNode[];
  readonly disks: readonly InventoryDisk[];
  readonly ways: Pick<BackendWays, 'paths' | 'clients'>;
}

export interface BackendNode {
  readonly name: string;
  readonly zone: string;
  readonly rack: string;
  readonly up: boolean;
}

/** A pool to be made of disks that are added to it afterwards. */
export interface NewPool {
  readonly name: string;
  readonly scheme: Scheme;
  readonly level: DomainLevel;
  readonly protocols: readonly string[];
  readonly encrypted: boolean;
  /** For what the cluster must know of itself: it takes no volumes. */
  readonly internal: boolean;
}

export interface DiskAt {
  readonly id: string;
  readonly node: string;
}

export interface BackendVolume {
  readonly id: string;
  readonly name: string;
  /** Name of the pool that provides it. */
  readonly pool: string;
  /** Name of the instance of that pool that it is carved out of. */
  readonly instance?: string;
  readonly bytes: number;
  readonly consumed: number;
  /** What was done on it since it was made, or since the backend began to count anew; left out where it does not count. */
  readonly counted?: { readonly operations: number; readonly bytes: number; readonly busyMs: number };
  readonly ready: boolean;
  readonly degraded: boolean;
  /** The backend itself says that it cannot be used. */
  readonly offline: boolean;
  /** Left out where the backend does not say. */
  readonly encrypted?: boolean;
  /** What it is held to; left out where it is held to nothing of its own. */
  readonly iopsCeiling?: number;
  readonly bytesPerSecondCeiling?: number;
  readonly copies: readonly {
    readonly disk: string;
    readonly node: string;
    readonly state: string;
    readonly percent: number;
  }[];
}

/** A part of a pool that is sold in parts, as it is to be: volumes are carved out of it. */
export interface WantedInstance {
  /** Path of its pool's resource, as the backend gave it. */
  readonly poolPath: string;
  /** Ours and unique in the pool. */
  readonly name: string;
  /** A size that is sold. */
  readonly bytes: number;
}

export interface NewBackendVolume {
  /** Ours and unique: a volume whose answer was lost is found again by it. */
  readonly name: string;
  /** Path of the pool's resource, or of an instance of it, as the backend gave it. */
  readonly poolPath: string;
  readonly bytes: number;
  readonly copies: number;
  readonly encrypted: boolean;
  /** Disks that hold the copies; empty where the backend places data itself. */
  readonly disks: readonly { readonly id: string; readonly node: string }[];
  readonly iopsCeiling?: number;
  readonly bytesPerSecondCeiling?: number;
  /** The name that people see there, beside its own. */
  readonly shownAs?: string;
  readonly compressed?: boolean;
  readonly deduplicated?: boolean;
}

/** Where the files of a volume are mounted, and as whom root on a node writes there. */
export interface BackendShare {
  /** Name of the server; undefined where the backend tells addresses alone. */
  readonly server?: string;
  readonly addresses: readonly string[];
  readonly path: string;
  /** Kept as root's, or mapped to nobody; undefined where the backend does not say. */
  readonly root?: RootOnNodes;
}

/** How large a volume is to be, and the ceilings it is held to then. */
export interface GrownVolume {
  readonly id: string;
  /** Path of its pool's resource, as the backend gave it. */
  readonly poolPath: string;
  readonly bytes: number;
  readonly iopsCeiling?: number;
  readonly bytesPerSecondCeiling?: number;
  /** Without a ceiling the volume is held to none of its own any more; left out, it stays held to what it is. */
  readonly lift?: 'unless-given';
}

export type BackendProblemCode =
  | 'unreachable'
  | 'timed-out'
  /** Calls are held back for a while after too many failures. */
  | 'resting'
  | 'unauthorised'
  | 'refused'
  | 'full'
  | 'exists'
  | 'not-found'
  | 'nonsense';

/** A call to a backend that did not succeed. */
export class BackendProblem extends OutsideProblem {
  readonly world = 'backend';

  constructor(
    readonly code: BackendProblemCode,
    message: string,
    options?: { cause?: unknown },
  ) {
    super(message, options);
  }

  get isForGood(): boolean {
    return this.code === 'refused';
  }
}

/** A volume of another backend that a volume's writes go to as well. */
export interface MirrorTarget {
  readonly backend: string;
  readonly volume: string;
  /** At the same time, or later. */
  readonly mode: 'synchronous' | 'asynchronous';
}

/** What a backend told of its volumes at a moment. */
export interface ToldVolumes {
  readonly at: string;
  readonly volumes: readonly {
    readonly id: string;
    readonly consumed: number;
    readonly iops?: number;
    readonly bytesPerSecond?: number;
    readonly latencyMs?: number;
  }[];
  /** Raw bytes written on pools, by their paths. */
  readonly pools: readonly { readonly path: string; readonly consumedRaw: number }[];
}

/** A storage backend, as far as this product uses it. */
export interface BackendConnector {
  fetchView(): Promise<BackendView>;
  /** Makes a volume and waits until it is ready. `exists` when the name is taken. */
  createVolume(volume: NewBackendVolume): Promise<BackendVolume>;
  /** Waits until a volume found by its name is ready; undefined when there is none. */
  findVolume(name: string): Promise<BackendVolume | undefined>;
  /** Lets a volume be at least that large, under these ceilings; one that is, is fine. Gives its size then: volumes never shrink. `full` when its pool has no room. */
  ensureGrown(volume: GrownVolume): Promise<number>;
  /**
   * Lets a volume, found by its name, have a copy on a disk beside those that it has at this moment; the backend brings it up to date. One that is there
   * is fine. Gives how many there are then. `full` when the disk has no room.
   */
  ensureCopy(volume: string, disk: DiskAt): Promise<number>;
  /**
   * Takes a volume's copy on a disk away; one that is not there is fine. Gives how many there are then. `refused` when no other one
   * is whole at this moment.
   */
  ensureCopyGone(volume: string, disk: string): Promise<number>;
  /** Lets a volume write to another backend's volume, at the same time or later; once it does, again is fine. */
  ensureMirrored(volumeId: string, onto: MirrorTarget): Promise<void>;
  /** Buys an instance of a pool, or makes it larger; one that is so large is fine. Gives what it is then. `full` when the pool is sold out. */
  ensureInstance(wanted: WantedInstance): Promise<{ path: string; bytes: number }>;
  /** Gives an instance back; already gone is fine. `refused` while volumes lie in it. */
  ensureInstanceGone(poolPath: string, name: string): Promise<void>;
  /**
   * Lets a volume, found by its name, lie in an instance of its pool, which may take its time; one that is on its way goes on, or turns
   * round. Online: its id stays. Gives how far it has come, percent: at 100 it lies there. `full` when there is no room.
   */
  ensureMoved(volume: string, instancePath: string): Promise<number>;
  /** Where the files of a volume, found by its name, are mounted; undefined where the backend tells of no export of it. */
  findShare(volume: string): Promise<BackendShare | undefined>;
  /** Lets root on a node write to a volume's export as root, or as nobody; once it does, again is fine. `refused` where it cannot. */
  ensureRoot(volume: string, root: RootOnNodes): Promise<void>;
  /** Makes an empty pool; one of that name that is there already is fine. */
  ensurePool(pool: NewPool): Promise<void>;
  /** Adds disks, all or none; those that are in the pool already are fine. `refused` when one belongs elsewhere. */
  addDisks(pool: string, disks: readonly DiskAt[]): Promise<void>;
  /** Begins to take disks out; `refused` when what is on them fits nowhere else. Those not in the pool are fine. */
  removeDisks(pool: string, disks: readonly DiskAt[]): Promise<void>;
  /** Deletes an empty pool; already gone is fine. */
  ensurePoolDeleted(pool: string): Promise<void>;
  /** A day of what the pools did. */
  fetchLoad(pools: readonly string[]): Promise<ReadonlyMap<string, readonly LoadPoint[]>>;
  /** Names of its reports of volumes, and what time each tells until; the earliest first. None where it keeps no such reports. */
  fetchVolumeReports(): Promise<readonly string[]>;
  /** What a report tells of volumes, moment by moment, the earliest first. */
  fetchVolumeReport(name: string): Promise<readonly ToldVolumes[]>;
  fetchEvents(): Promise<BackendEvents>;
  /** Address ranges that may mount its exports, as they are now; undefined where it says nothing of them. */
  fetchClients(): Promise<BackendWays['clients']>;
  /** Lets one more address mount its exports; one that is listed already is fine. */
  ensureClient(address: string): Promise<void>;
  /** Takes the entries of this one address away; ranges that hold it among others stay. Already gone is fine. */
  ensureClientGone(address: string): Promise<void>;
  /** What it keeps of objects. */
  readonly objects: ObjectStore;
  /** Ends the session. */
  close(): Promise<void>;
  /** Deletes; already gone is fine. */
  ensureVolumeDeleted(id: string): Promise<void>;
}
