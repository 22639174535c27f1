import { wholePlaces } from './copies';
import { RedfishError } from './errors';
import { Volumes } from './volumes';

/** What hosts read and write, past the interface by which the box is managed. */
export class HostData extends Volumes {
  /** Blocks as the journal tells, once all volumes are known. */
  protected recallBlocks(journal: ReadonlyMap<string, unknown>): void {
    for (const [key, text] of journal) {
      const [kind, id, block] = key.split('/');
      const volume = kind === 'block' ? this.volumes.get(id!) : undefined;
      if (volume) this.blocks.recall(volume, Number(block), text as string);
    }
  }

  /** By volume: who may write it, the last that read it. */
  private readonly hosts = new Map<string, string>();

  /** A host writes a block of a volume. What it sent before another host took the volume over, and comes late, is refused. */
  writeBlock(id: string, block: number, text: string, host: string): void {
    const volume = this.volume(id);
    this.pool(volume.pool);
    if ((this.hosts.get(id) ?? host) !== host)
      throw new RedfishError(409, 'ResourceInUse', `Volume '${id}' is written by another host.`);
    const bytes = this.blocks.write(volume, block, text);
    if (bytes <= volume.consumed) return;
    volume.consumed = bytes;
    this.save(volume);
  }

  readBlocks(id: string, host: string): [block: number, text: string][] {
    const volume = this.volume(id);
    this.pool(volume.pool);
    const blocks = this.blocks.read(volume);
    this.hosts.set(id, host);
    return blocks;
  }

  /** Where a volume's data is whole and can be reached, this drive aside. */
  wholeBeside(id: string, drive: string): string[] {
    return wholePlaces(this.volume(id).copies, this.reaches).filter((place) => place !== drive);
  }

  /** What lay on a drive is gone for good. */
  wipeDrive(drive: string): void {
    for (const volume of this.volumes.values()) {
      this.blocks.forget(volume.id, [drive]);
      for (const copy of volume.copies) if (copy.drive === drive) copy.last = undefined;
    }
  }

  override remove(id: string): void {
    super.remove(id);
    this.hosts.delete(id);
  }
}
