import { Clock } from '../clock';
import type { Journal } from '../journal';
import { notFound } from './errors';
import type { BackendSeed, DriveSeed, PoolSeed } from './seed';

/** Random operations and bytes per second that one drive of each medium gives. */
const driveSpeed = { SSD: { iops: 12_000, bytes: 600e6 }, HDD: { iops: 180, bytes: 190e6 } } as const;

/** The drives of a box: which work, on which nodes, and to which pool each belongs. */
export class Drives {
  readonly clock = new Clock();
  private readonly drives = new Map<string, DriveSeed>();
  private readonly owners = new Map<string, string>();
  private readonly downNodes = new Set<string>();
  /** When each failed. */
  protected readonly failedDrives = new Map<string, number>();

  constructor(
    readonly seed: BackendSeed,
    protected readonly journal: Journal,
  ) {
    for (const drive of seed.drives) {
      this.drives.set(drive.id, drive);
      if (drive.pool) this.owners.set(drive.id, drive.pool);
    }
  }

  /** As the journal tells. */
  protected recallDrive(kind: string, id: string, value: unknown): void {
    if (kind === 'failed') this.failedDrives.set(id, 0);
    if (kind !== 'owner') return;
    if (value === '') this.owners.delete(id);
    else this.owners.set(id, value as string);
  }

  drive(id: string): DriveSeed {
    const found = this.drives.get(id);
    if (!found) throw notFound('Drive', id);
    return found;
  }

  ownerOf = (drive: DriveSeed): string | undefined => this.owners.get(drive.id);
  driveFailed = (drive: DriveSeed): boolean => this.failedDrives.has(drive.id);
  driveWorks = (drive: DriveSeed): boolean => !this.driveFailed(drive) && !this.downNodes.has(drive.node);
  nodeWorks = (node: string): boolean => !this.downNodes.has(node);
  drivesOf = (pool: PoolSeed): readonly DriveSeed[] =>
    this.seed.drives.filter((d) => this.owners.get(d.id) === pool.id);

  domainOf = (drive: DriveSeed, pool: PoolSeed): string =>
    pool.scope === 'Rack' ? drive.rack : pool.scope === 'Row' ? drive.zone : drive.node;

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

  protected own(drive: string, pool: string): void {
    if (pool === '') this.owners.delete(drive);
    else this.owners.set(drive, pool);
    this.journal.put(`owner/${drive}`, pool);
  }

  protected mark(drive: string, works: boolean): void {
    if (works) {
      this.failedDrives.delete(drive);
      this.journal.remove(`failed/${drive}`);
    } else {
      this.failedDrives.set(drive, Date.now());
      this.journal.put(`failed/${drive}`, true);
    }
  }

  protected markNode(node: string, up: boolean): void {
    if (up) this.downNodes.delete(node);
    else this.downNodes.add(node);
  }
}
