/** A copy that is behind: bytes that it should hold, how much of them it has, and how fast it came on. */
export interface Behind {
  readonly bytes: number;
  /** Of the bytes, 0 to 100. */
  readonly percent: number;
  /** Bytes per second, between the last two times at which it had come further; null until then. */
  readonly rate: number | null;
  /** Seconds since it had come so far. */
  readonly stoodFor: number;
}

export interface ResyncSeen {
  /** Bytes. */
  readonly left: number;
  /** Bytes per second; null as long as nobody can say. */
  readonly rate: number | null;
  /** Seconds; null as long as nobody can say. */
  readonly ready: number | null;
}

/** Backends tell how far a copy has come in whole percents. */
const step = 1;

/**
 * How much is left of a resync, and for how long at the rate it has now. Where it has stood longer than its next percent should have
 * taken, it has slowed: it cannot be faster than one percent in that time (docs/calculations.md, How long a resync takes).
 */
export function resyncSeen({ bytes, percent, rate, stoodFor }: Behind): ResyncSeen {
  const left = Math.max(0, Math.round(bytes * (1 - percent / 100)));
  if (rate === null || rate <= 0) return { left, rate: null, ready: null };
  const most = stoodFor > 0 ? (bytes * step) / 100 / stoodFor : Infinity;
  const now = Math.min(rate, most);
  return { left, rate: now, ready: left / now };
}
