/** Combinations of three shares looked at for one instance at most. */
const looksAtThree = 20_000;

/** Where the last one of rising sizes stands that is not above so much; -1 where none is. */
function lastWithin(rising: readonly { readonly size: number }[], room: number): number {
  let [low, high] = [0, rising.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (rising[middle]!.size <= room) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

interface Found {
  /** What is left of the room. */
  left: number;
  /** Places in the rising list, the highest first: so they can be taken out one after the other. */
  at: readonly number[];
}

/** The two whose sum comes nearest to the room from below, of those up to a place: walked from both ends towards each other. */
function closestTwo(
  rising: readonly { readonly size: number }[],
  to: number,
  room: number,
  best: Found,
  others: readonly number[],
) {
  let [low, high] = [0, to];
  while (low < high) {
    const left = room - rising[low]!.size - rising[high]!.size;
    if (left < 0) high--;
    else {
      if (left < best.left) [best.left, best.at] = [left, [...others, high, low]];
      low++;
    }
  }
}

/** One, two or three of rising sizes that leave the least of a room; of equal ones the fewest. */
function closest(rising: readonly { readonly size: number }[], room: number): readonly number[] {
  const one = lastWithin(rising, room);
  if (one < 0) return [];
  const best: Found = { left: room - rising[one]!.size, at: [one] };
  if (best.left > 0) closestTwo(rising, one, room, best, []);
  let looks = looksAtThree;
  for (let first = one; first >= 2 && best.left > 0 && looks > 0; first--) {
    const left = room - rising[first]!.size;
    // neither do two of the smallest fit beside it, nor do two as large as it come near enough
    if (left < rising[0]!.size + rising[1]!.size) continue;
    if (left - 2 * rising[first]!.size >= best.left) break;
    const to = Math.min(first - 1, lastWithin(rising, left));
    closestTwo(rising, to, left, best, [first]);
    looks -= to + 1;
  }
  return best.at;
}

/**
 * Fills one instance after the other: the largest that is left, and what comes nearest to the room beside it (Gupta and Ho 1999,
 * minimum bin slack, of three at most). Shares fall in size.
 */
export function fillClosest<S extends { readonly size: number }>(
  falling: readonly S[],
  capacity: number,
): { used: number; shares: S[] }[] {
  const rising = falling.toReversed();
  const filled: { used: number; shares: S[] }[] = [];
  while (rising.length > 0) {
    const instance = { used: 0, shares: [] as S[] };
    const take = (at: number): void => {
      const [share] = rising.splice(at, 1);
      instance.used += share!.size;
      instance.shares.push(share!);
    };
    take(rising.length - 1);
    // while more than three fit yet, the largest
    while (rising.length > 0 && capacity - instance.used > 3 * rising[rising.length - 1]!.size) take(rising.length - 1);
    for (const at of closest(rising, capacity - instance.used)) take(at);
    filled.push(instance);
  }
  return filled;
}
