import { median } from './theil-sen';

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

/**
 * Whether the last of daily values changed unlike the days before: by more than six median absolute deviations of the daily change
 * (Hampel 1974), and by more than `least`, below which nobody minds. Values are one a day, the earliest first.
 */
export function jumpOf(values: readonly number[], least: number): Jump | undefined {
  const changes = values.slice(1).map((v, i) => v - values[i]!);
  const change = changes.pop();
  if (change === undefined || changes.length < fewestBefore) return undefined;
  const usual = median(Float64Array.from(changes));
  const deviation = median(Float64Array.from(changes, (c) => Math.abs(c - usual)));
  const apart = Math.abs(change - usual);
  return apart > least && apart > deviations * deviation ? { change, usual, deviation } : undefined;
}
