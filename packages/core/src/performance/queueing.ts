/** A place where a request spends time: `queue` serves one at a time, `delay` never makes anyone wait. Demand in ms a visit. */
export interface Station {
  readonly name: string;
  readonly kind: 'queue' | 'delay';
  readonly demandMs: number;
}

export interface Population {
  readonly clients: number;
  /** Requests per second. */
  readonly throughput: number;
  /** Time from asking to answer, without thinking. */
  readonly responseMs: number;
  /** Of the busiest queueing station, 0 to 1. */
  readonly utilisation: number;
}

/**
 * Exact mean value analysis of a closed network (Reiser and Lavenberg 1980): for 1 to `clients` clients that think `thinkMs`
 * between requests. `R_k(n) = D_k · (1 + Q_k(n−1))` at queueing stations, `X(n) = n / (Z + Σ R_k(n))`, `Q_k(n) = X(n) · R_k(n)`.
 */
export function meanValues(stations: readonly Station[], clients: number, thinkMs: number): Population[] {
  const queued = new Float64Array(stations.length);
  const residence = new Float64Array(stations.length);
  const busiest = Math.max(0, ...stations.filter((s) => s.kind === 'queue').map((s) => s.demandMs));
  const populations: Population[] = [];
  for (let n = 1; n <= clients; n++) {
    let responseMs = 0;
    for (let k = 0; k < stations.length; k++) {
      const { kind, demandMs } = stations[k]!;
      residence[k] = kind === 'queue' ? demandMs * (1 + queued[k]!) : demandMs;
      responseMs += residence[k]!;
    }
    const perMs = n / (thinkMs + responseMs);
    for (let k = 0; k < stations.length; k++) queued[k] = perMs * residence[k]!;
    populations.push({ clients: n, throughput: perMs * 1000, responseMs, utilisation: Math.min(1, perMs * busiest) });
  }
  return populations;
}

/** What B loses against baseline A: `(A − B) / A` (docs/calculations.md, Rates). */
export const overhead = (baseline: number, other: number): number => (baseline - other) / baseline;
