import { median, theilSenSlope, type Course } from './theil-sen';

const dayMs = 24 * 3_600_000;
const weekMs = 7 * dayMs;
/** Shorter courses tell nothing of a week's rhythm. */
const rhythmFromMs = 2 * weekMs;
/** Beyond this nobody plans: "none in two years" is an answer. */
export const horizonMs = 730 * dayMs;

/** How values go on: a line, what the days of the week add to it, and how far values lie off. */
export interface Trend {
  /** Per millisecond. */
  readonly slope: number;
  /** The value of the line at `at`, milliseconds since 1970: the last moment that is known. */
  readonly level: number;
  readonly at: number;
  /** What is added on each day of the week (UTC, from the day of 1 January 1970 on); all zero where too little is known. */
  readonly rhythm: readonly number[];
  /** 10th and 90th percentile of what values lie off the line, the rhythm taken out; somewhat wider, since that was fitted to them. */
  readonly low: number;
  readonly high: number;
  /** What it is reckoned from: how many values, the mean of their moments, and the sum of the squares of how far those lie from it. */
  readonly from?: { readonly n: number; readonly middle: number; readonly squares: number };
}

/** By how much the interval is wider at a moment than about the line: the farther off, the less its slope is known (least squares, as near enough). */
export function widening({ from }: Trend, at: number): number {
  if (!from || from.squares === 0) return 1;
  return Math.sqrt(1 + 1 / from.n + (at - from.middle) ** 2 / from.squares);
}

const dayOfWeek = (at: number): number => ((Math.floor(at / dayMs) % 7) + 7) % 7;
const medianOf = (values: readonly number[]): number => (values.length === 0 ? 0 : median(Float64Array.from(values)));
const quantileOf = (values: readonly number[], q: number): number =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(q * values.length))] ?? 0;

/**
 * The trend of a course of at least two values: the Theil–Sen line, fitted again once the median of each day of the week was taken
 * out (where the course covers two weeks). Undefined of fewer. `random` draws from [0, 1).
 */
export function trendOf({ at, value }: Course, random: () => number): Trend | undefined {
  const n = at.length;
  const first = theilSenSlope({ at, value }, random);
  if (first === undefined) return undefined;
  const [begin, end] = [at[0]!, at[n - 1]!];
  const places = Array.from({ length: n }, (_, i) => i);
  const off = places.map((i) => value[i]! - first * (at[i]! - end));
  const middle = medianOf(off);
  const rhythm = Array.from({ length: 7 }, (_, day) => {
    const own = places.filter((i) => dayOfWeek(at[i]!) === day).map((i) => off[i]!);
    return end - begin < rhythmFromMs || own.length === 0 ? 0 : medianOf(own) - middle;
  });
  const plain = Float64Array.from(places, (i) => value[i]! - rhythm[dayOfWeek(at[i]!)]!);
  const slope = theilSenSlope({ at, value: plain }, random)!;
  const rest = places.map((i) => plain[i]! - slope * (at[i]! - end));
  const level = medianOf(rest);
  // what was fitted to the values lies nearer to them than to those to come: the line, and a median for each day of the week
  const fitted = rhythm.some((r) => r !== 0) ? 8 : 2;
  const looser = Math.sqrt(n / Math.max(1, n - fitted));
  const residuals = rest.map((r) => (r - level) * looser);
  const mean = places.reduce((sum, i) => sum + at[i]!, 0) / n;
  const squares = places.reduce((sum, i) => sum + (at[i]! - mean) ** 2, 0);
  return {
    ...{ slope, level, at: end, rhythm, from: { n, middle: mean, squares } },
    ...{ low: quantileOf(residuals, 0.1), high: quantileOf(residuals, 0.9) },
  };
}

/** When a trend meets a level: as a moment, with the interval of the residuals; or that it is there, or does not come there in two years. */
export type Runway =
  | { readonly kind: 'over' }
  | { readonly kind: 'none' }
  | { readonly kind: 'meets'; readonly at: number; readonly from: number; readonly to: number | null };

/** When a trend meets a level above it. `to` is null where the later end of the interval is beyond two years. */
export function runwayOf(trend: Trend, limit: number): Runway {
  const { slope, level, at, low, high } = trend;
  if (level >= limit) return { kind: 'over' };
  if (slope <= 0) return { kind: 'none' };
  const meets = (off: number) => at + Math.max(0, (limit - level - off) / slope);
  const horizon = at + horizonMs;
  if (meets(0) > horizon) return { kind: 'none' };
  const wider = widening(trend, meets(0));
  const to = meets(low * wider);
  return { kind: 'meets', at: meets(0), from: meets(high * wider), to: to > horizon ? null : to };
}
