import type { Pool } from '../pools/pool-state';
import type { PlacementInput } from './request';
import { checkPool, passesAll, ruleContext } from './rules';

import { apply, type Change, type Trial } from './change';
import { changesFor } from './propose';

export interface Remedy {
  /** One change, or two that are needed together. */
  readonly changes: readonly Change[];
  /** The pool that would then take the claim. */
  readonly pool: string;
  /** Rank of the remedy: what it costs people, smaller first. Only the order means anything. */
  readonly cost: number;
}

/** What a change costs people, by kind: settings first, then what the team gives up, then promises broken, then money. */
const baseCost: Record<Change['kind'], number> = {
  'enable-mooring': 1,
  moor: 2,
  grant: 2.5,
  'tune-within': 2.7,
  'tune-not': 2.8,
  'raise-quota': 3,
  'raise-count': 3,
  'raise-allotment': 4,
  'raise-cap': 4.5,
  'ask-less': 5,
  'ask-mode': 6,
  'ask-volume-mode': 7,
  'raise-overcommit': 8,
  'lower-floor': 9,
  'lower-throughput-floor': 9.5,
  'drop-demand': 10.5,
  'widen-zones': 10,
  'drop-expansion': 11,
  'lower-copies': 13,
  'drop-encryption': 14,
  'free-pool': 12,
  'mend-backend': 15,
  'add-capacity': 16,
};

/** Kind first; among equals the larger step costs more. The fraction stays below one. */
function costOf(change: Change): number {
  const step = 'by' in change ? 1 - 1 / (1 + change.by / 2 ** 40) : 0;
  return baseCost[change.kind] + step;
}

const keyOf = (changes: readonly Change[]): string =>
  changes
    .map((c) => JSON.stringify(c))
    .sort()
    .join('+');

function works(trial: Trial, changes: readonly Change[]): boolean {
  const after = changes.reduce(apply, trial);
  return passesAll(ruleContext(after.input, after.pool, after.mooring));
}

/** Single changes that are enough, or pairs where none is; of changes that are all tried out. */
export function remediesBy(
  candidates: readonly Change[],
  isEnough: (changes: readonly Change[]) => boolean,
  pool: string,
): Remedy[] {
  const all = [...new Map(candidates.map((change) => [keyOf([change]), change])).values()];
  const remedy = (...set: Change[]): Remedy => ({
    changes: set,
    pool,
    cost: set.reduce((sum, change) => sum + costOf(change), 0) + (set.length - 1) * 10,
  });
  const singles = all.filter((change) => isEnough([change]));
  if (singles.length > 0) return singles.map((change) => remedy(change)).sort((a, b) => a.cost - b.cost);
  const pairs: Remedy[] = [];
  all.forEach((a, i) => {
    for (const b of all.slice(i + 1)) if (a.kind !== b.kind && isEnough([a, b])) pairs.push(remedy(a, b));
  });
  return pairs.sort((a, b) => a.cost - b.cost);
}

function remediesOn(trial: Trial): Remedy[] {
  const context = ruleContext(trial.input, trial.pool, trial.mooring);
  const failed = checkPool(context).filter((check) => !check.passed);
  const changes = failed.flatMap((check) => changesFor(check, context));
  return remediesBy(changes, (set) => works(trial, set), trial.pool.id);
}

/**
 * What would bind a claim that fits nowhere: the smallest single changes, then pairs, to claim, class, mooring, quota or
 * pool that make some pool pass, cheapest first (docs/calculations.md, Choosing a pool). Pools without a mooring are looked at too. Empty when no two
 * changes are enough. Pairs are given only for pools that no single change helps, and where they cost less than every single one.
 */
export function whatWouldBind(input: PlacementInput, most = 6): Remedy[] {
  const moored = new Map(input.moorings.map((m) => [m.pool, m]));
  const orderOf = (pool: Pool) => moored.get(pool.id)?.order ?? Infinity;
  const pools = [...input.pools.values()].sort((a, b) => orderOf(a) - orderOf(b) || (a.name < b.name ? -1 : 1));
  // the same change may help several pools: the one tried first would take the claim
  const found = new Map<string, Remedy>();
  for (const pool of pools)
    for (const remedy of remediesOn({ input, pool, mooring: moored.get(pool.id) })) {
      const key = keyOf(remedy.changes);
      if (!found.has(key)) found.set(key, remedy);
    }
  const all = [...found.values()].sort((a, b) => a.changes.length - b.changes.length || a.cost - b.cost);
  // two changes where one that costs less is enough are noise
  const cheapest = all.find((r) => r.changes.length === 1)?.cost ?? Infinity;
  return all.filter((r) => r.changes.length === 1 || r.cost < cheapest).slice(0, most);
}
