/** How long things take on the platform, milliseconds. At 0 they happen in the turn in which they may. */
export interface Pace {
  readonly attachMs: number;
  readonly detachMs: number;
  /** From all volumes attached to a pod that is ready. */
  readonly startMs: number;
  /** From being told to end to gone. */
  readonly stopMs: number;
  /** A node that was not heard of for so long is not ready. */
  readonly graceMs: number;
  /** Pods on a node that cannot be reached are given up after so long. */
  readonly evictMs: number;
  /** A volume is taken from a node that is not ready after so long, once nothing there uses it. */
  readonly forceMs: number;
  /** Between two writes of a pod that has volumes to itself; 0 where it writes only when it is told to. */
  readonly writeMs: number;
}

export const atOnce: Pace = {
  ...{ attachMs: 0, detachMs: 0, startMs: 0, stopMs: 0 },
  ...{ graceMs: 0, evictMs: 0, forceMs: 0, writeMs: 0 },
};
/** As a busy platform does it, with the waits for lost nodes a tenth of what they are. */
export const lively: Pace = {
  ...{ attachMs: 900, detachMs: 700, startMs: 1100, stopMs: 800 },
  ...{ graceMs: 4_000, evictMs: 30_000, forceMs: 36_000, writeMs: 4_000 },
};

/** What is to happen later, each thing once; forgotten when it is stopped. */
export class Later {
  private readonly armed = new Map<string, NodeJS.Timeout>();

  /** Does it after a while, unless that is under way already; at once where it takes no time. */
  after(key: string, ms: number, what: () => void): void {
    if (this.armed.has(key)) return;
    if (ms <= 0) return what();
    const timer = setTimeout(() => {
      this.armed.delete(key);
      what();
    }, ms);
    timer.unref();
    this.armed.set(key, timer);
  }

  forget(key: string): void {
    clearTimeout(this.armed.get(key));
    this.armed.delete(key);
  }

  stop(): void {
    for (const timer of this.armed.values()) clearTimeout(timer);
    this.armed.clear();
  }
}
