import { runwayOf, type Runway, type Trend } from '../usage/trend';

/** A claim that has no volume yet, with what it would take. */
export interface WaitingClaim {
  readonly namespace: string;
  readonly name: string;
  readonly takes: number;
}

export interface LimitEffect {
  readonly used: number;
  /** How far what is used is above the limit already; 0: not. */
  readonly over: number;
  /** What is left below it. */
  readonly left: number;
  /** When what is used comes there, as it went so far; null where too little is known. */
  readonly runway: Runway | null;
  /** Claims that wait, oldest first, as far as the limit goes; and those that it keeps waiting. */
  readonly frees: readonly WaitingClaim[];
  readonly keeps: readonly WaitingClaim[];
}

/** What a limit would do: null is none. Waiting claims come in the order they were made; a smaller one is not let past a larger one. */
export function effectOf(
  limit: number | null,
  used: number,
  trend: Trend | undefined,
  waiting: readonly WaitingClaim[],
): LimitEffect {
  const left = limit === null ? Infinity : limit - used;
  let room = left;
  const frees: WaitingClaim[] = [];
  const keeps: WaitingClaim[] = [];
  for (const claim of waiting) {
    room -= claim.takes;
    (room >= 0 ? frees : keeps).push(claim);
  }
  return {
    ...{ used, over: Math.max(0, -left), left: Math.max(0, left), frees, keeps },
    runway: limit === null ? { kind: 'none' } : trend === undefined ? null : runwayOf(trend, limit),
  };
}
