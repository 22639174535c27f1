/** A class as it would have served a claim of a size. */
export interface Candidate {
  readonly className: string;
  /** Operations per second that it lets through at that size; Infinity without a ceiling. */
  readonly lets: number;
  /** Operations per second that are left for it on the best of its pools. */
  readonly left: number;
  /** What a month of it costs at that size, its reserved operations counted, in any unit that all share. */
  readonly cost: number;
}

/**
 * The cheapest class that would have served a claim whose 95th percentile of operations per second is `p95`, where it costs less
 * than now; the measured figure counts `margin` times, since what is measured is within an error. Undefined where there is none.
 */
export function cheaperFit(
  p95: number,
  costNow: number,
  candidates: readonly Candidate[],
  margin = 1.2,
): Candidate | undefined {
  const serves = candidates.filter((c) => c.cost < costNow && c.lets >= margin * p95 && c.left >= margin * p95);
  return serves.reduce<Candidate | undefined>(
    (best, c) =>
      best === undefined || c.cost < best.cost || (c.cost === best.cost && c.className < best.className) ? c : best,
    undefined,
  );
}
