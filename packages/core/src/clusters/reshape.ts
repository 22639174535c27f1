import { usable, width, type Scheme } from '../capacity/usable';
import type { Bytes } from '../sizes/bytes';

/** A disk of a pool with what is on it. Bytes; `domain` at the pool's level. */
export interface PoolDisk {
  readonly id: string;
  readonly node: string;
  readonly domain: string;
  readonly capacity: number;
  /** Promised to copies on it: what must find room elsewhere. */
  readonly provisioned: number;
  /** Written: what has to be moved. */
  readonly written: number;
}

export interface PlacedVolume {
  readonly name: string;
  readonly bytes: number;
  readonly written: number;
  /** Disks of its copies. */
  readonly disks: readonly string[];
}

/** A pool as a change to its disks sees it. */
export interface PoolShape {
  readonly scheme: Scheme;
  readonly disks: readonly PoolDisk[];
  readonly volumes: readonly PlacedVolume[];
  /** Written raw bytes that belong to no listed volume copy (shards); spread over the disks by capacity. */
  readonly writtenRaw: number;
  /** Bytes per second at which data is moved. */
  readonly rate: number;
}

function byDomain(disks: readonly PoolDisk[]): Map<string, { capacity: number; written: number }> {
  const domains = new Map<string, { capacity: number; written: number }>();
  for (const disk of disks) {
    const d = domains.get(disk.domain) ?? { capacity: 0, written: 0 };
    d.capacity += disk.capacity;
    d.written += disk.written;
    domains.set(disk.domain, d);
  }
  return domains;
}

/**
 * What each domain holds once `total` raw bytes are level: the same fill everywhere, but no domain more than its one piece of
 * everything (`total / width`). Raising the fill of the domains below that limit until the sum is met.
 */
export function levelled(capacities: readonly number[], total: number, pieces: number): number[] {
  const most = total / pieces;
  let open = capacities.map((c, i) => ({ c, i }));
  const result = capacities.map(() => 0);
  let left = total;
  for (;;) {
    const sum = open.reduce((s, d) => s + d.c, 0);
    const fill = sum > 0 ? left / sum : 0;
    const over = open.filter((d) => d.c * fill > most);
    if (over.length === 0) {
      for (const d of open) result[d.i] = d.c * fill;
      return result;
    }
    for (const d of over) {
      result[d.i] = most;
      left -= most;
    }
    open = open.filter((d) => !over.includes(d));
  }
}

export interface GrowthPredicted {
  readonly usableBefore: Bytes;
  readonly usableAfter: Bytes;
  /** Written bytes ÷ usable, as a share. */
  readonly fillBefore: number;
  readonly fillAfter: number;
  /** Bytes that move until every disk is as full as the others. */
  readonly moved: number;
  readonly seconds: number;
}

const usableOf = (disks: readonly PoolDisk[], scheme: Scheme): Bytes =>
  usable(
    [...byDomain(disks).values()].map((d) => d.capacity),
    scheme,
  );

const shapeWritten = (shape: PoolShape): number =>
  shape.disks.reduce((sum, d) => sum + d.written, 0) + shape.writtenRaw;

function fillOf(written: number, usableBytes: number, scheme: Scheme): number {
  const factor = scheme.kind === 'copies' ? scheme.copies : (scheme.data + scheme.parity) / scheme.data;
  return usableBytes > 0 ? written / factor / usableBytes : 0;
}

/** What adding disks does: how much can be kept then, what moves, and how long that takes at the pool's rate. */
export function predictGrowth(shape: PoolShape, added: readonly PoolDisk[]): GrowthPredicted {
  const { scheme, rate } = shape;
  const written = shapeWritten(shape);
  const total = shape.disks.reduce((sum, d) => sum + d.capacity, 0);
  // shards lie evenly on what is there
  const now = shape.disks.map((d) => ({
    ...d,
    written: d.written + (shape.writtenRaw * d.capacity) / Math.max(1, total),
  }));
  const after = byDomain([...now, ...added]);
  const names = [...after.keys()];
  const targets = levelled(
    names.map((n) => after.get(n)!.capacity),
    written,
    width(scheme),
  );
  // within a domain that gets disks, its own data also spreads onto the new ones
  let moved = 0;
  const before = byDomain(now);
  names.forEach((name, i) => {
    const had = before.get(name);
    const target = targets[i]!;
    const come = Math.max(0, target - (had?.written ?? 0));
    const fresh = added.filter((d) => d.domain === name).reduce((sum, d) => sum + d.capacity, 0);
    const onFresh = (target * fresh) / Math.max(1, after.get(name)!.capacity);
    moved += Math.max(come, onFresh);
  });
  const usableBefore = usableOf(shape.disks, scheme);
  const usableAfter = usableOf([...shape.disks, ...added], scheme);
  return {
    usableBefore,
    usableAfter,
    fillBefore: fillOf(written, usableBefore, scheme),
    fillAfter: fillOf(written, usableAfter, scheme),
    moved: Math.round(moved),
    seconds: moved / Math.max(1, rate),
  };
}

export type LeavingProblem =
  /** Fewer domains would be left than the protection needs. */
  | { readonly code: 'too-few-domains'; readonly need: number; readonly have: number }
  /** What is written is more than could be kept then. */
  | { readonly code: 'too-small'; readonly need: number; readonly have: number }
  /** A volume whose copy finds no disk with room in a domain that holds none of its other copies. */
  | {
      readonly code: 'copy-homeless';
      readonly volume: string;
      readonly need: number;
      /** Room of the best disk it might go to; 0 when there is none. */
      readonly have: number;
    };

export interface LeavingPredicted {
  readonly moves: readonly {
    readonly volume: string;
    readonly from: string;
    readonly to: string;
    readonly bytes: number;
  }[];
  readonly problems: readonly LeavingProblem[];
  readonly usableBefore: Bytes;
  readonly usableAfter: Bytes;
  readonly fillBefore: number;
  readonly fillAfter: number;
  readonly moved: number;
  readonly seconds: number;
}

/** Whether disks can be taken out with everything on them kept under the same protection, where it goes, and what is short. */
export function predictLeaving(shape: PoolShape, leaving: ReadonlySet<string>): LeavingPredicted {
  const { scheme, rate } = shape;
  const staying = shape.disks.filter((d) => !leaving.has(d.id));
  const going = shape.disks.filter((d) => leaving.has(d.id));
  const problems: LeavingProblem[] = [];
  const usableBefore = usableOf(shape.disks, scheme);
  const usableAfter = usableOf(staying, scheme);
  const domains = byDomain(staying).size;
  const need = width(scheme);
  const written = shapeWritten(shape);
  const factor = scheme.kind === 'copies' ? scheme.copies : (scheme.data + scheme.parity) / scheme.data;
  const inUse = written > 0 || shape.volumes.length > 0;
  if (inUse && domains < need) problems.push({ code: 'too-few-domains', need, have: domains });
  else if (written / factor > usableAfter)
    problems.push({ code: 'too-small', need: Math.ceil(written / factor), have: usableAfter });

  const moves = problems.length === 0 ? placeElsewhere(shape.volumes, staying, shape.disks, leaving, problems) : [];
  const total = shape.disks.reduce((sum, d) => sum + d.capacity, 0);
  const shards = (shape.writtenRaw * going.reduce((sum, d) => sum + d.capacity, 0)) / Math.max(1, total);
  const moved = Math.round(moves.reduce((sum, m) => sum + m.bytes, 0) + shards);
  return {
    moves,
    problems,
    usableBefore,
    usableAfter,
    fillBefore: fillOf(written, usableBefore, scheme),
    fillAfter: fillOf(written, usableAfter, scheme),
    moved,
    seconds: moved / Math.max(1, rate),
  };
}

/** Largest copies first, each to the disk with most room in a domain that holds none of the volume's other copies. */
function placeElsewhere(
  volumes: readonly PlacedVolume[],
  staying: readonly PoolDisk[],
  all: readonly PoolDisk[],
  leaving: ReadonlySet<string>,
  problems: LeavingProblem[],
) {
  const domainOfDisk = new Map(all.map((d) => [d.id, d.domain]));
  const room = new Map(staying.map((d) => [d.id, d.capacity - d.provisioned]));
  const moves: { volume: string; from: string; to: string; bytes: number }[] = [];
  const sorted = [...volumes].sort((a, b) => b.bytes - a.bytes || (a.name < b.name ? -1 : 1));
  for (const volume of sorted)
    for (const from of volume.disks) {
      if (!leaving.has(from)) continue;
      const taken = new Set(volume.disks.filter((d) => d !== from && !leaving.has(d)).map((d) => domainOfDisk.get(d)));
      for (const m of moves) if (m.volume === volume.name) taken.add(domainOfDisk.get(m.to));
      let best: { id: string; room: number } | undefined;
      for (const disk of staying) {
        const has = room.get(disk.id)!;
        if (!taken.has(disk.domain) && (!best || has > best.room)) best = { id: disk.id, room: has };
      }
      if (!best || best.room < volume.bytes) {
        problems.push({
          code: 'copy-homeless',
          volume: volume.name,
          need: volume.bytes,
          have: Math.max(0, best?.room ?? 0),
        });
        continue;
      }
      room.set(best.id, best.room - volume.bytes);
      moves.push({ volume: volume.name, from, to: best.id, bytes: volume.written });
    }
  return moves;
}
