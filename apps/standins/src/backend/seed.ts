/** What a stand-in backend begins with. Sizes in bytes, rates per second, times in milliseconds. */
export interface DriveSeed {
  readonly id: string;
  readonly node: string;
  readonly zone: string;
  readonly rack: string;
  readonly capacity: number;
  readonly media: 'SSD' | 'HDD';
  readonly protocol?: 'NVMe' | 'SAS' | 'SATA';
  /** Pool that owns the drive from the start. */
  readonly pool?: string;
  /** What the node itself does with the drive. */
  readonly use?: 'system' | 'mounted' | 'partitioned';
  /** Percent of the media's life that is left; new when unset. */
  readonly lifeLeft?: number;
  /** The drive expects to fail soon. */
  readonly failing?: boolean;
  /** A drive without a lasting identifier: known only by the name its node gave it at this start. */
  readonly nameless?: boolean;
}

/** A part of a pool that is sold as one. */
export interface InstanceSeed {
  readonly id: string;
  readonly capacity: number;
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
  /** Where copies or shards must differ. */
  readonly scope?: 'Server' | 'Rack' | 'Row';
  readonly protocols: readonly string[];
  readonly encrypts: boolean;
  readonly snapshots?: boolean;
  readonly clones?: boolean;
  readonly offsite?: boolean;
  readonly compresses?: boolean;
  readonly deduplicates?: boolean;
  /** Fixed figures; without them the pool's drives say what it can do. */
  readonly iops?: number;
  readonly bytesPerSecond?: number;
  readonly minimum: number;
  readonly maximum: number;
  readonly granule: number;
  /** Sold in parts that volumes are carved out of: at least so large, in steps, none larger; and what is sold from the start. */
  readonly sold?: {
    readonly minimum: number;
    readonly step: number;
    readonly maximum: number;
    readonly from?: readonly InstanceSeed[];
  };
  /** Not for volumes: it holds what the cluster must know of itself. */
  readonly internal?: boolean;
}

/** Addresses that may mount what the backend exports. */
export interface ClientRange {
  readonly address: string;
  readonly mask: string;
}

/** One way from a node's initiator to the backend. */
export interface PathSeed {
  readonly node: string;
  readonly initiator: string;
  readonly protocol: string;
  readonly up: boolean;
}

export interface BackendSeed {
  readonly id: string;
  readonly title: string;
  readonly nodes: readonly string[];
  /** Processor cores and GiB of memory of each node, as the backend's service lists its systems. */
  readonly cores?: number;
  readonly memoryGiB?: number;
  readonly pools: readonly PoolSeed[];
  readonly drives: readonly DriveSeed[];
  readonly paths?: readonly PathSeed[];
  readonly clients?: readonly ClientRange[];
  /** It keeps objects as well: the pool that buckets are made in when none is asked for. */
  readonly objectPool?: string;
  /** It exports files, under this name and at this address. */
  readonly filesAt?: { readonly name: string; readonly address: string };
  readonly user: string;
  readonly password: string;
  /** How long making a volume takes. */
  readonly createMs: number;
  /** How fast copies are brought back or moved, all together, bytes per second. */
  readonly resyncRate: number;
  /** How long after a drive's failure the cluster begins to make its copies anew elsewhere. */
  readonly healAfterMs?: number;
}
