import { aboveSoftMark, subscriptionCeiling } from '../capacity/thin';
import { promisableShare } from '../performance/term';
import { footprintFactor, thinState, type Pool } from '../pools/pool';
import type { Bytes } from '../sizes/bytes';
import type { Mooring, PlacementInput } from './request';
import { checkPool, ruleContext, type Check, type RuleContext } from './rules';

/** Fractions left after placement, and what they come to under the class's strategy. Larger is better. */
export interface Score {
  readonly bytesLeft: number;
  readonly iopsLeft: number;
  /** The dominant headroom: the smaller of the two. */
  readonly headroom: number;
  readonly weight: number;
  readonly total: number;
  /** Above its soft mark: still used, ranked last (domain §5). */
  readonly aboveSoftMark: boolean;
}

export interface Candidate {
  readonly pool: string;
  readonly order: number;
  readonly checks: readonly Check[];
  /** Present when every check passed. */
  readonly score?: Score;
}

/** A decision and its trace, as data. */
export interface Decision {
  readonly candidates: readonly Candidate[];
  /** The pool chosen; undefined when nothing fits. */
  readonly winner?: string;
  readonly runnerUp?: string;
  readonly provisioned?: Bytes;
  readonly iopsFloor?: number;
  readonly backendIops?: number;
  /** Raw bytes per provisioned byte that the winner counts. */
  readonly footprintFactor?: number;
}

function scoreOf(context: RuleContext, mooring: Mooring): Score {
  const { input, pool, provisioned, backendIops } = context;
  const { strategy, copies } = input.storageClass;
  const thin = thinState(pool, copies);
  const ceiling = subscriptionCeiling(thin);
  const bytesLeft = Math.min(
    ceiling > 0 ? (ceiling - thin.subscribed - provisioned) / ceiling : 0,
    pool.allotment ? (pool.allotment - pool.taken - provisioned) / pool.allotment : 1,
  );
  const promisable = promisableShare * pool.iops;
  const iopsLeft = promisable > 0 ? Math.max(0, promisable - pool.promisedIops - backendIops) / promisable : 1;
  const headroom = Math.min(bytesLeft, iopsLeft);
  const base = strategy === 'in-order' ? 1 / mooring.order : strategy === 'spread' ? headroom : 1 - headroom;
  // a weight of two makes the second in order worth as much as the first: that is the weight's purpose
  return {
    bytesLeft,
    iopsLeft,
    headroom,
    weight: mooring.weight,
    total: base * mooring.weight,
    aboveSoftMark: aboveSoftMark(thin),
  };
}

function better(
  a: Candidate & { score: Score },
  b: Candidate & { score: Score },
  name: (pool: string) => string,
): number {
  return (
    Number(a.score.aboveSoftMark) - Number(b.score.aboveSoftMark) ||
    b.score.total - a.score.total ||
    (name(a.pool) < name(b.pool) ? -1 : name(a.pool) > name(b.pool) ? 1 : 0)
  );
}

/**
 * Chooses a pool for a claim (domain §7). Every moored pool is tried against every rule; passing ones are scored. The same
 * input always gives the same answer. Moorings to pools that are not known are left out.
 */
export function decide(input: PlacementInput): Decision {
  const candidates: Candidate[] = [];
  const contexts = new Map<string, RuleContext>();
  const moorings = [...input.moorings].sort((a, b) => a.order - b.order || (a.pool < b.pool ? -1 : 1));
  for (const mooring of moorings) {
    const pool = input.pools.get(mooring.pool);
    if (!pool) continue;
    const context = ruleContext(input, pool, mooring);
    const checks = checkPool(context);
    const passed = checks.every((check) => check.passed);
    contexts.set(pool.id, context);
    candidates.push({
      pool: pool.id,
      order: mooring.order,
      checks,
      ...(passed && { score: scoreOf(context, mooring) }),
    });
  }
  const nameOf = (pool: string) => input.pools.get(pool)?.name ?? pool;
  const ranked = candidates
    .filter((c): c is Candidate & { score: Score } => c.score !== undefined)
    .sort((a, b) => better(a, b, nameOf));
  const [first, second] = ranked;
  if (!first) return { candidates };
  const { pool, provisioned, floor, backendIops } = contexts.get(first.pool)!;
  return {
    candidates,
    winner: first.pool,
    runnerUp: second?.pool,
    provisioned,
    iopsFloor: floor,
    backendIops,
    footprintFactor: footprintFactor(pool, input.storageClass.copies),
  };
}

/** How many more volumes of the claim's size one pool takes before its first refusal, and the rule that refuses. */
export function roomFor(
  input: PlacementInput,
  pool: Pool,
  carry: (pool: Pool, context: RuleContext) => Pool,
  most = 100_000,
): { readonly claims: number; readonly stoppedBy?: Check } {
  const mooring: Mooring = { pool: pool.id, enabled: true, order: 1, weight: 1 };
  const failing = (count: number): Check | undefined => {
    let state = pool;
    const context = ruleContext(input, pool, mooring);
    if (count > 0) {
      const scaled: RuleContext = {
        ...context,
        provisioned: (context.provisioned * count) as Bytes,
        backendIops: context.backendIops * count,
      };
      state = carry(pool, scaled);
    }
    return checkPool({ ...context, pool: state }).find((check) => !check.passed);
  };
  // the room shrinks with every volume, so the last count that still fits is found by halving
  let low = 0;
  let high = most;
  const first = failing(0);
  if (first) return { claims: 0, stoppedBy: first };
  if (!failing(most)) return { claims: most };
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2);
    if (failing(middle)) high = middle;
    else low = middle;
  }
  return { claims: high, stoppedBy: failing(high)! };
}
