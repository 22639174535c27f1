/** Settings of a class that a claim can be let tune. */
export const tunables = ['copies', 'iops-floor', 'iops-ceiling', 'throughput-floor', 'throughput-ceiling'] as const;

export type Tunable = (typeof tunables)[number];

/** A setting that a claim may tune, its bounds (both included), and the namespaces that may; none named means every one. */
export interface Allowance {
  readonly setting: Tunable;
  readonly minimum: number;
  readonly maximum: number;
  readonly namespaces: readonly string[];
}

/** What a claim tunes: a whole number for each setting, or the text that was none. */
export type Tuned = Readonly<Partial<Record<Tunable, number | string>>>;
