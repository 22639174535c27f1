/** What a volume has counted since it was made, or since it began anew: operations, bytes moved, and milliseconds spent on them. */
export interface Counted {
  readonly operations: number;
  readonly bytes: number;
  readonly busyMs: number;
}

/** Operations and bytes per second, and milliseconds for an operation; null: not known of this time. */
export interface Rates {
  readonly iops: number | null;
  readonly throughput: number | null;
  readonly latency: number | null;
}
/** Of a volume, or of several together. */
export interface Sampled extends Rates {
  /** Bytes. */
  readonly written: number;
}

const unknown: Rates = { iops: null, throughput: null, latency: null };
const [leastMs, mostMs] = [1000, 600_000];

/**
 * Rates from what was counted at two moments (§12). A count that fell began anew, and one that is older than ten minutes says
 * nothing of this time: no rate then, rather than a false one.
 */
export function ratesBetween(before: Counted | undefined, now: Counted | undefined, ms: number): Rates {
  if (!before || !now || !(ms >= leastMs && ms <= mostMs)) return unknown;
  const operations = now.operations - before.operations;
  const bytes = now.bytes - before.bytes;
  const busyMs = now.busyMs - before.busyMs;
  // what is no number is no count either
  if (!(operations >= 0 && bytes >= 0 && busyMs >= 0)) return unknown;
  const seconds = ms / 1000;
  return {
    iops: operations / seconds,
    throughput: bytes / seconds,
    latency: operations > 0 ? busyMs / operations : null,
  };
}

/** Several volumes as one: a rate of them is known where that of each is; the latency is that of an operation of any of them. */
export class Together {
  private parts = 0;
  private told = 0;
  private written = 0;
  private readonly sums = { iops: 0, throughput: 0 };
  private readonly known = { iops: 0, throughput: 0 };
  private readonly busy = { ms: 0, operations: 0 };

  add(part: Sampled | undefined): void {
    this.parts++;
    if (!part) return;
    this.told++;
    this.written += part.written;
    for (const rate of ['iops', 'throughput'] as const) {
      const value = part[rate];
      if (value === null) continue;
      this.sums[rate] += value;
      this.known[rate]++;
    }
    if (part.latency === null || part.iops === null) return;
    this.busy.ms += part.latency * part.iops;
    this.busy.operations += part.iops;
  }

  /** Whether each of them was told of. */
  get isWhole(): boolean {
    return this.told === this.parts;
  }

  get value(): Sampled {
    const rate = (of: 'iops' | 'throughput') => (this.known[of] === this.parts ? this.sums[of] : null);
    return {
      written: this.written,
      iops: rate('iops'),
      throughput: rate('throughput'),
      latency: this.busy.operations > 0 ? this.busy.ms / this.busy.operations : null,
    };
  }
}
