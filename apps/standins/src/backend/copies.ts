/** A copy of a volume on a drive; while it moves, the data is still whole on `from`. */
export interface Copy {
  drive: string;
  from?: string;
  state: 'Synchronized' | 'Synchronizing' | 'Failed';
  /** Bytes still to be copied. */
  left: number;
  /** It failed when nothing else held what was written last: nothing may be brought up to date but from it. */
  last?: boolean;
}

/** Drives on which a volume's data is whole and can be reached: copies in step, and where a copy that moves was in step. */
export const wholePlaces = (copies: readonly Copy[], works: (drive: string) => boolean): string[] =>
  copies
    .flatMap((c) => [...(c.state === 'Synchronized' ? [c.drive] : []), ...(c.from === undefined ? [] : [c.from])])
    .filter(works);

/** Copies as they are judged once drives went or came back; true where anything changed. */
export function judge(
  volume: { readonly consumed: number; readonly copies: Copy[] },
  works: (drive: string) => boolean,
): boolean {
  const { copies } = volume;
  const isLeft = wholePlaces(copies, works).length > 0;
  let changed = false;
  for (const copy of copies) {
    const worked = works(copy.drive);
    // where it moves from is behind as soon as others are written without it
    if (copy.from !== undefined && isLeft && !works(copy.from)) copy.from = undefined;
    if (!worked && copy.state !== 'Failed') {
      copy.last = copy.state === 'Synchronized' && !isLeft ? true : undefined;
      copy.state = 'Failed';
      copy.left = volume.consumed;
    } else if (worked && copy.state === 'Failed') {
      copy.state = copy.last ? 'Synchronized' : 'Synchronizing';
      if (copy.last) copy.left = 0;
      copy.last = undefined;
    } else continue;
    changed = true;
  }
  // one that is written again leaves the others that were last behind
  if (wholePlaces(copies, works).length > 0) for (const copy of copies) copy.last = undefined;
  return changed;
}

export interface PlaceDrive {
  readonly id: string;
  readonly domain: string;
  readonly capacity: number;
  used: number;
}

/** The drive with most room for `size` bytes in a domain that is not among `taken`. */
export function bestDrive<T extends PlaceDrive>(
  drives: readonly T[],
  size: number,
  taken: ReadonlySet<string>,
): T | undefined {
  let best: T | undefined;
  for (const drive of drives) {
    if (taken.has(drive.domain) || drive.used + size > drive.capacity) continue;
    if (!best || drive.capacity - drive.used > best.capacity - best.used) best = drive;
  }
  return best;
}

interface Spread {
  readonly capacity: number;
  readonly copies: Copy[];
}

/** Moves that bring the drives' fills closer together: from the fullest drive to the emptiest that may hold the copy. */
export function levelOut(
  drives: readonly PlaceDrive[],
  volumes: readonly Spread[],
): { volume: Spread; copy: Copy; to: string }[] {
  const moves: { volume: Spread; copy: Copy; to: string }[] = [];
  const domainOf = new Map(drives.map((d) => [d.id, d.domain]));
  const moved = new Set<Copy>();
  const at = new Map<Copy, string>(volumes.flatMap((v) => v.copies.map((c) => [c, c.drive] as const)));
  const fill = (d: PlaceDrive) => d.used / d.capacity;
  for (let round = 0; round < 500; round++) {
    const bySpace = [...drives].sort((a, b) => fill(a) - fill(b) || a.id.localeCompare(b.id));
    const emptiest = bySpace[0];
    if (!emptiest) break;
    let found = false;
    for (const full of bySpace.reverse()) {
      if (fill(full) - fill(emptiest) < 0.02) break;
      for (const volume of volumes) {
        const copy = volume.copies.find((c) => at.get(c) === full.id && c.state === 'Synchronized' && !moved.has(c));
        if (!copy || emptiest.used + volume.capacity > emptiest.capacity) continue;
        // a move that only swaps the roles of the two drives helps nobody
        if ((emptiest.used + volume.capacity) / emptiest.capacity > fill(full)) continue;
        const others = volume.copies.filter((c) => c !== copy).map((c) => domainOf.get(at.get(c)!));
        if (others.includes(emptiest.domain)) continue;
        full.used -= volume.capacity;
        emptiest.used += volume.capacity;
        at.set(copy, emptiest.id);
        moved.add(copy);
        moves.push({ volume, copy, to: emptiest.id });
        found = true;
        break;
      }
      if (found) break;
    }
    if (!found) break;
  }
  return moves;
}
