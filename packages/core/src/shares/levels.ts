/** Sums of the first so many of a list: one more than it is long. */
const sumsOf = (sizes: readonly number[]): number[] => {
  const sums = [0];
  for (const size of sizes) sums.push(sums[sums.length - 1]! + size);
  return sums;
};

/**
 * How many instances can hold `m` shares or more at most: of `T` such instances `m` shares each fit into `T` capacities, so the smallest
 * `m·T` do. Sizes rise; since their sums bend upwards, those T are all up to the largest.
 */
function mostWith(m: number, sums: readonly number[], capacity: number): number {
  let [low, high] = [0, Math.floor((sums.length - 1) / m)];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (sums[m * middle]! <= middle * capacity) low = middle;
    else high = middle - 1;
  }
  return low;
}

/** For each number of shares, from one on, how many instances can hold so many or more. */
function levelsOf(rising: readonly number[], capacity: number): number[] {
  const sums = sumsOf(rising);
  const levels: number[] = [];
  for (let m = 1; m <= rising.length; m++) {
    const most = mostWith(m, sums, capacity);
    if (most === 0) break;
    levels.push(most);
  }
  return levels;
}

/**
 * How many instances shares need at least, by how many can lie in one: `n` shares in `B` instances are at most
 * `Σ over m of min(B, T(m))`, where `T(m)` instances at most hold `m` or more. Sizes rise.
 */
export function neededByLevels(rising: readonly number[], capacity: number): number {
  const levels = levelsOf(rising, capacity);
  let [low, high] = [0, rising.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (levels.reduce((sum, most) => sum + Math.min(middle, most), 0) >= rising.length) high = middle;
    else low = middle + 1;
  }
  return low;
}

interface Filling<S> {
  used: number;
  shares: S[];
}

/** Lays shares, as many in each, into so many instances that all are about as full; undefined where one would be too full. */
function evenly<S extends { readonly size: number }>(
  shares: readonly S[],
  count: number,
  capacity: number,
  looks: Looks,
) {
  const bins = Array.from({ length: count }, (): Filling<S> => ({ used: 0, shares: [] }));
  const falling = shares.toSorted((a, b) => b.size - a.size);
  for (let from = 0; from < falling.length; from += count) {
    // the fullest so far gets the smallest of the next
    bins.sort((a, b) => a.used - b.used);
    for (const [i, share] of falling.slice(from, from + count).entries()) {
      bins[i]!.used += share.size;
      bins[i]!.shares.push(share);
    }
  }
  return relieve(bins, capacity, looks) ? bins : undefined;
}

/** Pairs of shares that swaps may look at yet. */
export interface Looks {
  left: number;
}

/** Swaps shares of what is too full for smaller ones, as long as each swap leaves less too much; true when nothing is too full. */
function relieve<S extends { readonly size: number }>(
  bins: readonly Filling<S>[],
  capacity: number,
  looks: Looks,
): boolean {
  const tooMuch = (used: number): number => Math.max(0, used - capacity);
  for (;;) {
    const full = bins.reduce((fullest, bin) => (bin.used > fullest.used ? bin : fullest));
    if (full.used <= capacity) return true;
    let most = 0;
    let best: { other: Filling<S>; mine: number; theirs: number } | undefined;
    for (const other of bins) {
      if (other === full) continue;
      const now = tooMuch(full.used) + tooMuch(other.used);
      for (let mine = 0; mine < full.shares.length; mine++)
        for (let theirs = 0; theirs < other.shares.length; theirs++) {
          const by = full.shares[mine]!.size - other.shares[theirs]!.size;
          if (by <= 0) continue;
          const less = now - tooMuch(full.used - by) - tooMuch(other.used + by);
          if (less > most) [most, best] = [less, { other, mine, theirs }];
        }
    }
    looks.left -= full.shares.length ** 2 * bins.length;
    if (!best || looks.left < 0) return false;
    const { other, mine, theirs } = best;
    const [given, taken] = [full.shares[mine]!, other.shares[theirs]!];
    full.shares[mine] = taken;
    other.shares[theirs] = given;
    full.used -= given.size - taken.size;
    other.used += given.size - taken.size;
  }
}

/** How many fewer than the most that is possible are tried. */
const fewer = [0, 1, 2, 3, 4, 6, 8, 12, 16, 24, 32, 48, 64, 96];

/**
 * Ways to begin where the largest first wastes room: as many instances as can hold `m` of the smallest each, evenly filled, and the
 * others left to be packed.
 */
export function startsByLevels<S extends { readonly size: number }>(
  shares: readonly S[],
  capacity: number,
  looks: Looks,
): { readonly filled: Filling<S>[]; readonly rest: readonly S[] }[] {
  const rising = shares.toSorted((a, b) => a.size - b.size);
  const levels = levelsOf(
    rising.map((s) => s.size),
    capacity,
  );
  return levels.slice(1, 6).flatMap((most, i) => {
    const m = i + 2;
    for (const count of fewer.map((f) => most - f).filter((c) => c > 0)) {
      const filled = evenly(rising.slice(0, m * count), count, capacity, looks);
      if (filled) return [{ filled, rest: rising.slice(m * count) }];
    }
    return [];
  });
}
