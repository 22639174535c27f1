import { GiB, type Bytes } from '../sizes/bytes';

export type DomainLevel = 'node' | 'rack' | 'zone';

/** A disk as its node and the backend tell of it. */
export interface InventoryDisk {
  /** An identifier that outlives reboots when `lasting`; else the name of the day. */
  readonly id: string;
  readonly lasting: boolean;
  readonly node: string;
  readonly rack: string;
  readonly zone: string;
  readonly media: string;
  readonly capacity: Bytes;
  readonly works: boolean;
  /** The disk expects to fail soon. */
  readonly failing: boolean;
  /** Percent of its life left. */
  readonly lifeLeft: number;
  readonly use: 'free' | 'system' | 'mounted' | 'partitioned' | 'owned';
  /** Pool that owns it. */
  readonly owner?: string;
}

export type Unfit =
  'system' | 'mounted' | 'partitioned' | 'owned' | 'nameless' | 'broken' | 'failing' | 'worn' | 'too-small';

/** A disk with less of its life left is not built upon. */
export const leastLifePercent = 10;
/** Smaller disks cost a cluster more than they give. */
export const smallestDisk = 100 * GiB;

/** Why a disk must not be taken into a cluster; undefined when it may. What would destroy data comes first. */
export function unfit(disk: InventoryDisk): Unfit | undefined {
  if (disk.use !== 'free') return disk.use;
  if (!disk.lasting) return 'nameless';
  if (!disk.works) return 'broken';
  if (disk.failing) return 'failing';
  if (disk.lifeLeft < leastLifePercent) return 'worn';
  return disk.capacity < smallestDisk ? 'too-small' : undefined;
}

export const domainOf = (disk: Pick<InventoryDisk, DomainLevel>, level: DomainLevel): string => disk[level];

/** Solid-state disks answer fast enough for what a cluster must know of itself. */
export const isFast = (disk: Pick<InventoryDisk, 'media'>): boolean => disk.media === 'SSD';
