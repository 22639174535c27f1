import type { Journal } from '../journal';
import { wholePlaces, type Copy } from './copies';
import { RedfishError } from './errors';

/** Bytes that one block takes. */
export const blockBytes = 4096;

/** A box that lays its data out by itself is one place. */
const box = 'box';

interface Held {
  readonly id: string;
  readonly copies: readonly Copy[];
}

/**
 * What hosts wrote on volumes, block by block, on each drive that a copy lies on: a write is acknowledged when every place that is
 * in step and can be reached holds it, and nothing is read from a place that is not in step.
 */
export class Blocks {
  private readonly images = new Map<string, Map<string, Map<number, string>>>();

  constructor(
    private readonly journal: Journal,
    private readonly works: (drive: string) => boolean,
  ) {}

  /** As the journal tells: a block that was acknowledged, for every place that is in step. */
  recall(volume: Held, block: number, text: string): void {
    const places = volume.copies.flatMap((c) => [c.drive, ...(c.from === undefined ? [] : [c.from])]);
    for (const place of places.length === 0 ? [box] : places) this.imageOf(volume.id, place).set(block, text);
  }

  private imageOf(volume: string, place: string): Map<number, string> {
    const places = this.images.get(volume) ?? new Map<string, Map<number, string>>();
    this.images.set(volume, places);
    const image = places.get(place) ?? new Map<number, string>();
    places.set(place, image);
    return image;
  }

  /** Places that writes go to and reads come from. */
  private reached(volume: Held): string[] {
    const places = volume.copies.length === 0 ? [box] : wholePlaces(volume.copies, this.works);
    if (places.length === 0)
      throw new RedfishError(
        503,
        'ServiceTemporarilyUnavailable',
        `No copy of volume '${volume.id}' that is in step can be reached.`,
      );
    return places;
  }

  /** Bytes that the volume's blocks take once it is written. */
  write(volume: Held, block: number, text: string): number {
    const places = this.reached(volume);
    for (const place of places) this.imageOf(volume.id, place).set(block, text);
    this.journal.put(`block/${volume.id}/${block}`, text);
    return this.imageOf(volume.id, places[0]!).size * blockBytes;
  }

  read(volume: Held): [block: number, text: string][] {
    const [place] = this.reached(volume);
    return [...this.imageOf(volume.id, place!)];
  }

  /** A copy on a drive becomes the same as one that is in step. */
  bringUp(volume: Held, drive: string): void {
    const [source] = this.reached(volume);
    const places = this.images.get(volume.id);
    const whole = places?.get(source!);
    if (whole && source !== drive) places!.set(drive, new Map(whole));
  }

  /** Nothing is kept of a volume that is gone, nor of places that it has left. */
  forget(volume: string, places?: readonly string[]): void {
    if (places) {
      for (const place of places) this.images.get(volume)?.delete(place);
      return;
    }
    const blocks = new Set([...(this.images.get(volume)?.values() ?? [])].flatMap((image) => [...image.keys()]));
    for (const block of blocks) this.journal.remove(`block/${volume}/${block}`);
    this.images.delete(volume);
  }
}
