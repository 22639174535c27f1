import { tunedClass } from '../classes/allowance';
import { rateFor } from '../performance/term';
import { contextOf, type GrowthInput, type Held } from './growth';
import type { Check, RuleName } from './rule';
import { checkPool } from './rules';

/** Settings that a bound claim may tune at once: nothing of its data has to move. */
export const tunableRates = ['iops-floor', 'iops-ceiling', 'throughput-floor', 'throughput-ceiling'] as const;
export type TunableRate = (typeof tunableRates)[number];

/** IOPS, and MB/s; null where the class sets no ceiling. */
export interface Rates {
  readonly iopsFloor: number;
  readonly iopsCeiling: number | null;
  readonly throughputFloor: number;
  readonly throughputCeiling: number | null;
}

/** What tuning takes of one pool: what is added is asked of the rules, what is given back is only counted. */
export interface PoolTuning {
  readonly pool: string;
  readonly further?: Held['further'];
  /** Back-end operations and bytes per second that are reserved afterwards. */
  readonly backendIops: number;
  readonly backendThroughput: number;
  readonly checks: readonly Check[];
}

export type Tuning =
  | { readonly kind: 'pool-gone'; readonly pool: string }
  /** It would reserve more than it lets through. */
  | {
      readonly kind: 'floor-above-ceiling';
      readonly of: 'IOPS' | 'throughput';
      readonly floor: number;
      readonly ceiling: number;
    }
  | { readonly kind: 'reckoned'; readonly fits: boolean; readonly rates: Rates; readonly on: readonly PoolTuning[] };

const tuningRules: readonly RuleName[] = ['allowance', 'backend', 'iops', 'throughput'];

/** What becomes of a bound claim that tunes its rates (docs/calculations.md, Tuning); `claim.tuned` is what it asks now, its size stays. */
export function tune(input: GrowthInput): Tuning {
  const [main] = input.held;
  const cls = tunedClass(input.storageClass, input.claim.tuned);
  const rates: Rates = {
    iopsFloor: rateFor(cls.iopsFloor, main.provisioned),
    iopsCeiling: cls.iopsCeiling ? rateFor(cls.iopsCeiling, main.provisioned) : null,
    throughputFloor: rateFor(cls.throughputFloor, main.provisioned),
    throughputCeiling: cls.throughputCeiling ? rateFor(cls.throughputCeiling, main.provisioned) : null,
  };
  for (const [of, floor, ceiling] of [
    ['IOPS', rates.iopsFloor, rates.iopsCeiling],
    ['throughput', rates.throughputFloor, rates.throughputCeiling],
  ] as const)
    if (ceiling !== null && floor > ceiling) return { kind: 'floor-above-ceiling', of, floor, ceiling };
  const asItIs: GrowthInput = { ...input, claim: { ...input.claim, size: main.provisioned } };
  const on: PoolTuning[] = [];
  for (const held of input.held) {
    const pool = input.pools.get(held.pool);
    if (!pool) return { kind: 'pool-gone', pool: held.pool };
    const { whole, added } = contextOf(asItIs, held, pool);
    on.push({
      pool: pool.id,
      ...(held.further && { further: held.further }),
      ...{ backendIops: whole.backendIops, backendThroughput: whole.backendThroughput },
      checks: checkPool(added).filter((c) => tuningRules.includes(c.rule)),
    });
  }
  return { kind: 'reckoned', fits: on.every((t) => t.checks.every((c) => c.passed)), rates, on };
}

/** Many claims that are tuned, in turn: each is reckoned with what those before it took. What one gives back helps no other: they are tuned side by side. All know the same pools. */
export function tuneInTurn(inputs: readonly GrowthInput[]): Tuning[] {
  const pools = new Map(inputs[0]?.pools);
  return inputs.map((input) => {
    const answer = tune({ ...input, pools });
    if (answer.kind !== 'reckoned' || !answer.fits) return answer;
    answer.on.forEach(({ pool: id, backendIops, backendThroughput }, i) => {
      const [held, pool] = [input.held[i]!, pools.get(id)!];
      pools.set(id, {
        ...pool,
        promisedIops: pool.promisedIops + Math.max(0, backendIops - held.backendIops),
        promisedThroughput: pool.promisedThroughput + Math.max(0, backendThroughput - held.backendThroughput),
      });
    });
    return answer;
  });
}
