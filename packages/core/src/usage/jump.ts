import { median, type Course } from './theil-sen';

/** A daily change that is unlike those before it. */
export interface Jump {
  /** The last day's change, and the median of those before it. */
  readonly change: number;
  readonly usual: number;
  /** Median absolute deviation of those before it. */
  readonly deviation: number;
}

/** Days before the last that tell what is usual. */
const fewestBefore = 7;
/** As many deviations are no accident. */
const deviations = 6;

/** A change that stands out of a course, and its place in it. */
export interface Step {
  readonly at: number;
  readonly change: number;
}
/** Of how far a course reaches from its least to its most: what is less is no step. */
const leastOfRange = 0.15;

/**
 * Steps of a course of daily values: what came or went at once, by more than six deviations of the daily change, and by a good part
 * of how far the course reaches. Growth that is reckoned across one is not how it goes on. The last one comes last.
 */
export function stepsIn({ at, value }: Course): Step[] {
  const values = Array.from(value);
  if (values.length < fewestBefore + 2) return [];
  const changes = values.slice(1).map((v, i) => v - values[i]!);
  const usual = median(Float64Array.from(changes));
  const deviation = median(Float64Array.from(changes, (c) => Math.abs(c - usual)));
  const range = values.reduce((m, v) => Math.max(m, v), -Infinity) - values.reduce((m, v) => Math.min(m, v), Infinity);
  return changes.flatMap((change, i) =>
    Math.abs(change - usual) > Math.max(deviations * deviation, leastOfRange * range)
      ? [{ at: at[i + 1]!, change }]
      : [],
  );
}

/**
 * Whether the last of daily values changed unlike the days before: by more than six median absolute deviations of the daily change
 * (Hampel 1974), and by more than `least`, below which nobody minds. Values are one a day, the earliest first; null where a day was not told of: what
 * came over several days is no day's change.
 */
export function jumpOf(values: readonly (number | null)[], least: number): Jump | undefined {
  const all = values.slice(1).map((v, i) => (v === null || values[i] === null ? null : v - values[i]!));
  const change = all.pop() ?? undefined;
  const changes = all.filter((c) => c !== null);
  if (change === undefined || changes.length < fewestBefore) return undefined;
  const usual = median(Float64Array.from(changes));
  const deviation = median(Float64Array.from(changes, (c) => Math.abs(c - usual)));
  const apart = Math.abs(change - usual);
  return apart > least && apart > deviations * deviation ? { change, usual, deviation } : undefined;
}
