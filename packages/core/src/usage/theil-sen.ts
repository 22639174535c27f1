/** Values at moments. Moments are distinct and ascend; both lists are equally long. */
export interface Course {
  readonly at: ArrayLike<number>;
  readonly value: ArrayLike<number>;
}

/** Pairs that are looked at one by one rather than narrowed down. */
const fewPairs = 1_000_000;
/** Slopes that are drawn to narrow the others down. */
const draws = 40_000;

/** Rounds of drawing after which it is not narrowed down any more. */
const mostRounds = 60;

/** The value of a rank (from 0) in an array that is reordered for it (Hoare 1961). */
function select(values: Float64Array, rank: number): number {
  let left = 0;
  let right = values.length - 1;
  while (left < right) {
    const pivot = values[(left + right) >> 1]!;
    let i = left;
    let j = right;
    while (i <= j) {
      while (values[i]! < pivot) i++;
      while (values[j]! > pivot) j--;
      if (i <= j) {
        const kept = values[i]!;
        values[i++] = values[j]!;
        values[j--] = kept;
      }
    }
    if (rank <= j) right = j;
    else if (rank >= i) left = i;
    else break;
  }
  return values[rank]!;
}

/** The median; of an even number the mean of the two in the middle. Reorders the array. */
export function median(values: Float64Array): number {
  const n = values.length;
  const upper = select(values, n >> 1);
  return n % 2 === 1 ? upper : (upper + select(values, (n >> 1) - 1)) / 2;
}

/** Runs that are sorted by insertion before they are merged. */
const run = 8;

/**
 * Sorts places by keys (`key[i]` is that of `places[i]`), ascending; of equal keys the later place comes first where `tie` is -1, the
 * earlier where it is 1. Gives how many pairs changed their order (Knuth 1973, by merging), and each of them to `tell` if there is
 * one. Both arrays are reordered.
 */
function sortPlaces(
  places: Int32Array,
  key: Float64Array,
  tie: 1 | -1,
  tell?: (i: number, j: number) => void,
): { sorted: Int32Array; changed: number } {
  const n = places.length;
  let changed = 0;
  for (let start = 0; start < n; start += run) {
    const end = Math.min(start + run, n);
    for (let j = start + 1; j < end; j++) {
      const k = key[j]!;
      const p = places[j]!;
      let i = j - 1;
      while (i >= start && (key[i]! > k || (key[i]! === k && tie * (places[i]! - p) > 0))) {
        if (tell) tell(places[i]!, p);
        key[i + 1] = key[i]!;
        places[i + 1] = places[i]!;
        i--;
      }
      changed += j - 1 - i;
      key[i + 1] = k;
      places[i + 1] = p;
    }
  }
  let from = places;
  let to: Int32Array = new Int32Array(n);
  let fromKey = key;
  let toKey: Float64Array = new Float64Array(n);
  for (let width = run; width < n; width *= 2) {
    for (let start = 0; start < n; start += 2 * width) {
      const middle = Math.min(start + width, n);
      const end = Math.min(start + 2 * width, n);
      let i = start;
      let j = middle;
      let k = start;
      while (i < middle && j < end) {
        const a = fromKey[i]!;
        const b = fromKey[j]!;
        if (a < b || (a === b && tie * (from[i]! - from[j]!) <= 0)) {
          toKey[k] = a;
          to[k++] = from[i++]!;
        } else {
          changed += middle - i;
          const place = from[j]!;
          if (tell) for (let m = i; m < middle; m++) tell(from[m]!, place);
          toKey[k] = b;
          to[k++] = place;
          j++;
        }
      }
      for (; i < middle; i++, k++) {
        toKey[k] = fromKey[i]!;
        to[k] = from[i]!;
      }
      for (; j < end; j++, k++) {
        toKey[k] = fromKey[j]!;
        to[k] = from[j]!;
      }
    }
    [from, to] = [to, from];
    [fromKey, toKey] = [toKey, fromKey];
  }
  return { sorted: from, changed };
}

/**
 * Goes through the pairs whose slope is above `low` and at most `high`: those whose order by what is left of the value above a
 * line changes from the one slope to the other. Counts them, and gives each to `tell` if there is one.
 */
function between({ at, value }: Course, low: number, high: number, tell?: (i: number, j: number) => void): number {
  const n = at.length;
  const over = (slope: number, places: Int32Array) => {
    const key = new Float64Array(n);
    for (let k = 0; k < n; k++) {
      const i = places[k]!;
      key[k] = slope === -Infinity ? at[i]! : slope === Infinity ? -at[i]! : value[i]! - slope * at[i]!;
    }
    return key;
  };
  const asTheyCome = new Int32Array(n);
  for (let i = 0; i < n; i++) asTheyCome[i] = i;
  const { sorted } = low === -Infinity ? { sorted: asTheyCome } : sortPlaces(asTheyCome, over(low, asTheyCome), 1);
  return sortPlaces(sorted, over(high, sorted), -1, tell).changed;
}

/**
 * The median of the slopes of all pairs (Theil 1950, Sen 1968), exact but for rounding, in an expected time of n log n: slopes that
 * are drawn narrow down where it is, those that are left are looked at one by one (Matoušek 1991). `random` draws from [0, 1).
 * Undefined of fewer than two values. Unit: of the values by that of the moments.
 */
export function theilSenSlope(course: Course, random: () => number): number | undefined {
  const { at, value } = course;
  const n = at.length;
  if (n < 2) return undefined;
  const pairs = (n * (n - 1)) / 2;
  const slope = (i: number, j: number) => (value[j]! - value[i]!) / (at[j]! - at[i]!);
  const rank = (pairs - 1) / 2;
  const [lower, upper] = [Math.floor(rank), Math.ceil(rank)];
  const apart = nearest(course);
  if (apart === 0) return 0;
  let low = -Infinity;
  let high = Infinity;
  let below = 0;
  let left = pairs;
  for (let round = 0; left > fewPairs; round++) {
    // values that rounding does not tell apart could be drawn for ever: the middle of what is drawn is as near as they are
    if (round === mostRounds) return drawnSlope(course, low, high, random);
    const room = new Float64Array(draws);
    let kept = 0;
    for (let tries = 0; kept < draws && tries < 200 * draws; tries++) {
      const i = Math.floor(random() * n);
      const j = Math.floor(random() * n);
      if (i === j) continue;
      const s = slope(i, j);
      if (s > low && s <= high) room[kept++] = s;
    }
    const drawn = room.subarray(0, kept);
    const share = (rank - below) / left;
    const spread = 3 * Math.sqrt(drawn.length * share * (1 - share)) + 2;
    // between two that were drawn: on a slope itself, rounding would say on which side its pair is
    const beside = (k: number) => {
      if (k < 0 || k + 1 >= drawn.length) return undefined;
      const one = select(drawn, k);
      let other = Infinity;
      for (let i = k + 1; i < drawn.length; i++) other = Math.min(other, drawn[i]!);
      return (one + other) / 2;
    };
    const a = beside(Math.floor(share * drawn.length - spread));
    const b = beside(Math.ceil(share * drawn.length + spread));
    const newLow = a === undefined || a <= low ? low : a;
    const newHigh = b === undefined || b >= high ? high : b;
    if (newLow === newHigh) {
      // many pairs share one slope: as near as this, numbers of this length cannot tell them apart
      const before = between(course, -Infinity, newHigh - apart);
      const shared = between(course, newHigh - apart, newHigh + apart);
      if (before > lower) [high, left] = [newHigh - apart, before - below];
      else if (before + shared > lower) return newHigh;
      else [low, left, below] = [newHigh + apart, left - (before + shared - below), before + shared];
      continue;
    }
    // counted from the bottom both, where the values are in their order as they come
    const under = newLow === low ? below : between(course, -Infinity, newLow);
    const inside = (newHigh === high ? below + left : between(course, -Infinity, newHigh)) - under;
    // the draw missed it: what is known stays, and is drawn from again
    if (under > lower || under + inside <= upper) continue;
    if (inside === left) break;
    [low, high, below, left] = [newLow, newHigh, under, inside];
  }
  const slopes = new Float64Array(left);
  let k = 0;
  between(course, low, high, (i, j) => (slopes[k++] = slope(i, j)));
  const first = select(slopes, Math.min(lower - below, left - 1));
  return lower === upper ? first : (first + select(slopes, Math.min(upper - below, left - 1))) / 2;
}

/** The median of slopes that are drawn between two. */
function drawnSlope({ at, value }: Course, low: number, high: number, random: () => number): number {
  const n = at.length;
  const drawn: number[] = [];
  for (let tries = 0; drawn.length < 1000 && tries < draws; tries++) {
    const [i, j] = [Math.floor(random() * n), Math.floor(random() * n)];
    const slope = i === j ? NaN : (value[j]! - value[i]!) / (at[j]! - at[i]!);
    if (slope > low && slope <= high) drawn.push(slope);
  }
  return drawn.length === 0
    ? Math.max(low, -Number.MAX_VALUE) / 2 + Math.min(high, Number.MAX_VALUE) / 2
    : median(Float64Array.from(drawn));
}

/** Slopes nearer to each other than this are one: a billionth of what the values rise by at most over all of their time. */
function nearest({ at, value }: Course): number {
  let [least, most] = [Infinity, -Infinity];
  for (let i = 0; i < value.length; i++) {
    least = Math.min(least, value[i]!);
    most = Math.max(most, value[i]!);
  }
  return (1e-9 * (most - least)) / (at[at.length - 1]! - at[0]!);
}
