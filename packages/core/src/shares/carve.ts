import { fillClosest } from './closest';
import { neededByLevels, startsByLevels } from './levels';

/** How a file backend sells instances: at least so large, in steps, and none larger. Bytes. */
export interface InstanceSizes {
  readonly minimum: number;
  readonly step: number;
  readonly maximum: number;
}

export interface Share {
  readonly id: string;
  readonly size: number;
}

export interface Instance {
  /** What it has to be sold as: the smallest size that holds its shares. */
  readonly size: number;
  readonly used: number;
  readonly shares: readonly string[];
}

export interface Carving {
  readonly instances: readonly Instance[];
  /** Shares that no instance is large enough for. */
  readonly tooLarge: readonly string[];
  /** No carving needs fewer instances (Martello and Toth 1990, the bound L2). */
  readonly bound: number;
  /** Bytes of shares ÷ bytes of instances; 1 of none. */
  readonly utilisation: number;
}

/** The size an instance is sold in that holds so much; the minimum where it holds less. */
export const soldAs = (used: number, { minimum, step }: InstanceSizes): number =>
  used <= minimum ? minimum : minimum + Math.ceil((used - minimum) / step) * step;

/** The largest size that is sold and not above the maximum. */
export const largestSold = ({ minimum, step, maximum }: InstanceSizes): number =>
  minimum + Math.floor(Math.max(0, maximum - minimum) / step) * step;

/**
 * How many instances of one capacity are needed at least: for each threshold, what is large stands alone or beside what fits; and of
 * the largest, so many as fit together by number.
 */
export function instancesAtLeast(sizes: readonly number[], capacity: number): number {
  const sorted = sizes.toSorted((a, b) => b - a);
  const sums = [0];
  for (const size of sorted) sums.push(sums[sums.length - 1]! + size);
  const total = sums[sums.length - 1]!;
  /** How many are larger than so much; they stand first. */
  const above = (limit: number): number => {
    let [low, high] = [0, sorted.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (sorted[middle]! > limit) low = middle + 1;
      else high = middle;
    }
    return low;
  };
  let bound = Math.ceil(total / capacity);
  const half = above(capacity / 2);
  for (const threshold of new Set([0, ...sorted.filter((s) => s <= capacity / 2)])) {
    // those that leave less than the threshold beside them, those above half, and those of the threshold at least
    const alone = above(capacity - threshold);
    // sizes are whole: those of the threshold count among the small ones
    const small = above(threshold - 0.5);
    const rest = sums[Math.max(half, small)]! - sums[half]!;
    const free = (half - alone) * capacity - (sums[half]! - sums[alone]!);
    bound = Math.max(bound, half + Math.max(0, Math.ceil((rest - free) / capacity)));
  }
  // of the largest ones no instance holds more than as many as the smallest of them that fit
  for (let count = 1; count <= sorted.length; count++) {
    let [low, high] = [1, count];
    while (low < high) {
      const most = (low + high + 1) >> 1;
      if (sums[count]! - sums[count - most]! <= capacity) low = most;
      else high = most - 1;
    }
    bound = Math.max(bound, Math.ceil(count / low));
  }
  return Math.max(bound, neededByLevels(sorted.toReversed(), capacity));
}

/** An instance while it is filled. */
interface Filling {
  used: number;
  readonly shares: Share[];
}

/** Free places of instances as a tree of maxima, so that the first one with room is found without looking at all. */
class FirstFit {
  private readonly width: number;
  private readonly most: Float64Array;
  readonly filled: Filling[] = [];

  constructor(
    count: number,
    private readonly capacity: number,
  ) {
    this.width = 2 ** Math.ceil(Math.log2(Math.max(1, count)));
    this.most = new Float64Array(2 * this.width).fill(capacity);
  }

  put(share: Share): void {
    let node = 1;
    while (node < this.width) node = this.most[2 * node]! >= share.size ? 2 * node : 2 * node + 1;
    const at = node - this.width;
    this.filled[at] ??= { used: 0, shares: [] };
    const instance = this.filled[at];
    instance.used += share.size;
    instance.shares.push(share);
    this.most[node] = this.capacity - instance.used;
    for (let n = node >> 1; n >= 1; n >>= 1) this.most[n] = Math.max(this.most[2 * n]!, this.most[2 * n + 1]!);
  }
}

/** Empties the emptiest instance into the others where its shares all fit, by moves and by swaps; true when it did. */
function emptyOne(filled: Filling[], capacity: number): boolean {
  const [last, ...others] = filled.toSorted((a, b) => a.used - b.used);
  if (!last || others.length === 0) return false;
  const free = others.reduce((sum, o) => sum + capacity - o.used, 0);
  if (free < last.used) return false;
  const trial = others.map((o) => ({ used: o.used, shares: [...o.shares] }));
  for (const share of last.shares.toSorted((a, b) => b.size - a.size))
    if (!move(trial, share, capacity) && !swap(trial, share, capacity)) return false;
  filled.splice(0, filled.length, ...trial);
  return true;
}

/** Into the fullest instance that has room. */
function move(filled: Filling[], share: Share, capacity: number): boolean {
  let best: Filling | undefined;
  for (const instance of filled)
    if (instance.used + share.size <= capacity && (!best || instance.used > best.used)) best = instance;
  if (!best) return false;
  best.used += share.size;
  best.shares.push(share);
  return true;
}

/** Into an instance out of which one share goes to another, so that both fit. */
function swap(filled: Filling[], share: Share, capacity: number): boolean {
  const [widest, second] = filled.toSorted((a, b) => a.used - b.used);
  for (const instance of filled) {
    const to = instance === widest ? second : widest;
    if (!to) return false;
    for (const [s, given] of instance.shares.entries()) {
      if (to.used + given.size > capacity || instance.used - given.size + share.size > capacity) continue;
      instance.shares[s] = share;
      instance.used += share.size - given.size;
      to.shares.push(given);
      to.used += given.size;
      return true;
    }
  }
  return false;
}

/** Most instances for which improvement is tried: beyond, a percent of them is little against the time. */
const mostImproved = 2000;

function firstFit(falling: readonly Share[], capacity: number): Filling[] {
  const first = new FirstFit(falling.length, capacity);
  for (const share of falling) first.put(share);
  return first.filled;
}

/** Pairs that swaps may look at before they give up, in one packing: some tenth of a second. */
const mostLooks = 200_000;

/** Shares that are packed at once where a larger number comes too far above the bound. */
const partOf = 250;

/** The whole in parts alike (each so many-th of the sizes), each emptied as far as it goes: swaps find little among thousands. */
function inParts(falling: readonly Share[], capacity: number): Filling[] {
  const parts = Math.floor(falling.length / partOf);
  return Array.from({ length: parts }, (_, p) => falling.filter((__, i) => i % parts === p)).flatMap((part) => {
    const bound = Math.ceil(part.reduce((sum, s) => sum + s.size, 0) / capacity);
    return emptied(fewestOf(part, capacity, bound), capacity, bound);
  });
}

/**
 * The largest first; where that is not near the bound, the best of what leaves the least free in each, of what begins with
 * instances full of small shares, and of the same in parts.
 */
function fewestOf(falling: readonly Share[], capacity: number, bound: number): Filling[] {
  const ways: (() => readonly Filling[][])[] = [
    () => [firstFit(falling, capacity)],
    () => [fillClosest(falling, capacity)],
    () =>
      startsByLevels(falling, capacity, { left: mostLooks }).map(({ filled, rest }) => [
        ...filled,
        ...firstFit(rest.toReversed(), capacity),
      ]),
    () => (falling.length > 2 * partOf ? [inParts(falling, capacity)] : []),
  ];
  let best: Filling[] | undefined;
  for (const way of ways) {
    for (const packed of way()) if (!best || packed.length < best.length) best = packed;
    if (best && best.length <= bound + 1) break;
  }
  return best ?? [];
}

/** Empties instances into others until there are as few as the bound, or none can be emptied. */
function emptied(filled: Filling[], capacity: number, bound: number): Filling[] {
  while (filled.length > bound && filled.length <= mostImproved && emptyOne(filled, capacity));
  return filled;
}

/**
 * Packs shares into the fewest instances (domain: Carving): the largest first, each into the first instance with room, then
 * instances are emptied into others as long as that succeeds.
 */
export function carve(shares: readonly Share[], sizes: InstanceSizes): Carving {
  const capacity = largestSold(sizes);
  const tooLarge = shares.filter((s) => s.size > capacity).map((s) => s.id);
  const fitting = shares
    .filter((s) => s.size <= capacity)
    .toSorted((a, b) => b.size - a.size || (a.id < b.id ? -1 : 1));
  const bound =
    fitting.length === 0
      ? 0
      : instancesAtLeast(
          fitting.map((s) => s.size),
          capacity,
        );
  const filled = emptied(fewestOf(fitting, capacity, bound), capacity, bound);
  const instances = filled.map(({ used, shares: held }) => ({
    ...{ used, size: soldAs(used, sizes) },
    shares: held.map((s) => s.id),
  }));
  const sold = instances.reduce((sum, i) => sum + i.size, 0);
  return {
    instances,
    tooLarge,
    bound,
    utilisation: sold === 0 ? 1 : instances.reduce((sum, i) => sum + i.used, 0) / sold,
  };
}

export interface FreeingMove {
  /** Index of the instance that would be free, and the bytes that are sold no more. */
  readonly frees: number;
  readonly bytes: number;
  /** Where each of its shares goes: the share, and the index of the instance. */
  readonly moves: readonly { readonly share: string; readonly to: number }[];
}

/** An instance as it is filled now; `used` where more is promised of it than its shares hold. */
interface Filled {
  readonly size: number;
  readonly used?: number;
  readonly shares: readonly Share[];
}

/** The fewest moves that would free an instance as instances are filled now, of those that may be freed; undefined when none can be. */
export function whatWouldFree<T extends Filled>(
  instances: readonly T[],
  may: (instance: T) => boolean = () => true,
): FreeingMove | undefined {
  const used = instances.map((i) => i.used ?? i.shares.reduce((sum, s) => sum + s.size, 0));
  const order = instances
    .map((_, i) => i)
    .filter((i) => may(instances[i]!))
    .toSorted((a, b) => instances[a]!.shares.length - instances[b]!.shares.length || b - a);
  for (const frees of order) {
    const room = instances.map((i, at) => (at === frees ? -1 : i.size - used[at]!));
    const moves: { share: string; to: number }[] = [];
    for (const share of instances[frees]!.shares.toSorted((a, b) => b.size - a.size)) {
      let to = -1;
      for (const [at, free] of room.entries()) if (free >= share.size && (to < 0 || free < room[to]!)) to = at;
      if (to < 0) break;
      room[to]! -= share.size;
      moves.push({ share: share.id, to });
    }
    if (moves.length === instances[frees]!.shares.length) return { frees, bytes: instances[frees]!.size, moves };
  }
  return undefined;
}
