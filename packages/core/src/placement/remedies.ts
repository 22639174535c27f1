import type { AccessMode, StorageClass, VolumeMode } from '../classes/storage-class';
import { defaultMarks, subscriptionCeiling } from '../capacity/thin';
import { tuningProblem } from '../classes/allowance';
import type { Tunable } from '../classes/tunable';
import { copiesOffered, copiesOn, iopsLeft, thinState, throughputLeft } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { bytes, totalBytes } from '../sizes/bytes';
import type { Mooring, PlacementInput, Quota } from './request';
import { checkPool, passesAll, ruleContext, type RuleContext } from './rules';
import type { Check } from './rule';

/** One change that someone could make, as data. Sizes in bytes. */
export type Change =
  | { readonly kind: 'moor'; readonly pool: string }
  | { readonly kind: 'enable-mooring'; readonly pool: string }
  | { readonly kind: 'ask-mode'; readonly mode: AccessMode }
  | { readonly kind: 'ask-volume-mode'; readonly volumeMode: VolumeMode }
  | { readonly kind: 'ask-less'; readonly size: number; readonly by: number }
  | { readonly kind: 'raise-quota'; readonly scope: Quota['scope']; readonly limit: number; readonly by: number }
  | { readonly kind: 'raise-allotment'; readonly pool: string; readonly limit: number; readonly by: number }
  | { readonly kind: 'raise-overcommit'; readonly pool: string; readonly overcommit: number }
  | { readonly kind: 'add-capacity'; readonly pool: string; readonly by: number }
  | { readonly kind: 'lower-copies'; readonly copies: number }
  | { readonly kind: 'drop-encryption' }
  | { readonly kind: 'drop-expansion' }
  | { readonly kind: 'drop-demand'; readonly demand: Demand }
  | { readonly kind: 'grant'; readonly namespace: string }
  | { readonly kind: 'tune-within'; readonly setting: Tunable; readonly value: number }
  | { readonly kind: 'tune-not'; readonly setting: Tunable }
  | { readonly kind: 'lower-throughput-floor'; readonly megabytes: number; readonly by: number }
  | { readonly kind: 'widen-zones' }
  | { readonly kind: 'lower-floor'; readonly iops: number; readonly by: number }
  | { readonly kind: 'raise-cap'; readonly backend: string; readonly limit: number; readonly by: number }
  | { readonly kind: 'free-pool'; readonly pool: string }
  | { readonly kind: 'mend-backend'; readonly backend: string };

/** What a class demands beside encryption and growth, and could do without. */
export type Demand =
  'reduction' | 'snapshots' | 'offsite' | 'domain-level' | 'witness' | 'pinned-nodes' | 'volume-mode' | 'second-copy';

const without: Record<Demand, Partial<StorageClass>> = {
  reduction: { compression: false, deduplication: false },
  snapshots: { safeguard: undefined },
  offsite: { offsite: false },
  'domain-level': { level: 'node' },
  witness: { witness: false },
  'pinned-nodes': { pinnedNodes: [] },
  'volume-mode': { volumeMode: 'any' },
  'second-copy': { secondCopy: false },
};

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

interface Trial {
  readonly input: PlacementInput;
  readonly pool: Pool;
  readonly mooring: Mooring | undefined;
}

/** The world after a change; every remedy is tried out on it, none is hoped for. */
function apply(trial: Trial, change: Change): Trial {
  const { input, pool, mooring } = trial;
  const withClass = (part: Partial<StorageClass>): Trial => ({
    ...trial,
    input: { ...input, storageClass: { ...input.storageClass, ...part } },
  });
  const withClaim = (part: Partial<PlacementInput['claim']>): Trial => ({
    ...trial,
    input: { ...input, claim: { ...input.claim, ...part } },
  });
  switch (change.kind) {
    case 'moor':
    case 'enable-mooring': {
      if (change.pool === pool.id)
        return {
          ...trial,
          mooring: { pool: pool.id, order: mooring?.order ?? 1, weight: mooring?.weight ?? 1, enabled: true },
        };
      // a pool for another copy of the volume
      const further: Mooring = { pool: change.pool, order: 1000, weight: 1, enabled: true };
      return { ...trial, input: { ...input, moorings: [...input.moorings, further] } };
    }
    case 'ask-mode':
      return withClaim({ modes: [change.mode] });
    case 'ask-volume-mode':
      return withClaim({ volumeMode: change.volumeMode });
    case 'ask-less':
      return withClaim({ size: bytes(change.size) });
    case 'raise-quota':
      return {
        ...trial,
        input: {
          ...input,
          quotas: input.quotas.map((q) => (q.scope === change.scope ? { ...q, limit: change.limit } : q)),
        },
      };
    case 'raise-allotment':
      return { ...trial, pool: { ...pool, allotment: change.limit } };
    case 'raise-overcommit':
      return { ...trial, pool: { ...pool, overcommit: change.overcommit } };
    case 'add-capacity':
      return { ...trial, pool: withMore(pool, change.by, input.storageClass.copies) };
    case 'lower-copies':
      return withClass({ copies: change.copies });
    case 'drop-encryption':
      return withClass({ encrypted: false });
    case 'drop-expansion':
      return withClass({ expansion: false });
    case 'drop-demand':
      return withClass(without[change.demand]);
    case 'grant':
      return { ...trial, input: { ...input, granted: true } };
    case 'tune-within':
      return withClaim({ tuned: { ...input.claim.tuned, [change.setting]: change.value } });
    case 'tune-not':
      return withClaim({ tuned: { ...input.claim.tuned, [change.setting]: undefined } });
    case 'lower-throughput-floor':
      return withClass({ throughputFloor: { kind: 'fixed', value: change.megabytes } });
    case 'widen-zones':
      return { ...withClass({ zones: [] }), pool: { ...pool, zones: [] } };
    case 'lower-floor':
      return withClass({ iopsFloor: { kind: 'fixed', value: change.iops } });
    case 'raise-cap':
      return pool.backendCap
        ? { ...trial, pool: { ...pool, backendCap: { ...pool.backendCap, limit: change.limit } } }
        : trial;
    case 'free-pool':
      return { ...trial, pool: { ...pool, takes: 'volumes' } };
    case 'mend-backend':
      return { ...trial, pool: { ...pool, reachable: true, healthy: true } };
  }
}

/** The pool with `usableBytes` more, spread evenly over its domains. */
function withMore(pool: Pool, usableBytes: number, copies: number): Pool {
  if (pool.redundancy.kind === 'inner')
    return { ...pool, redundancy: { ...pool.redundancy, usable: totalBytes(pool.redundancy.usable + usableBytes) } };
  const { scheme, domains } = pool.redundancy;
  const factor = scheme.kind === 'copies' ? copies : (scheme.data + scheme.parity) / scheme.data;
  const each = Math.ceil((usableBytes * factor) / domains.length) + 1;
  return {
    ...pool,
    redundancy: {
      ...pool.redundancy,
      domains: domains.map((d) => ({ ...d, capacity: totalBytes(d.capacity + each) })),
    },
  };
}

const roundDown = (size: number, granule: number): number => Math.floor(size / granule) * granule;

/** Changes that could make one failed check pass, or help to. */
function changesFor(check: Check, context: RuleContext): Change[] {
  const { pool, input, provisioned, mooring, storageClass: cls } = context;
  const { claim } = input;
  const lessOf = (room: number): Change[] => {
    const size = roundDown(Math.min(room, pool.maximum), pool.granule);
    return size >= pool.minimum && size < claim.size ? [{ kind: 'ask-less', size, by: claim.size - size }] : [];
  };
  // where the claim tunes a setting, its class is not what stands in the way
  const orTuned = (setting: Tunable, value: number, otherwise: Change): Change[] =>
    claim.tuned?.[setting] === undefined
      ? [otherwise]
      : [
          { kind: 'tune-within', setting, value },
          { kind: 'tune-not', setting },
        ];
  const fewer = (copies: number): Change[] => orTuned('copies', copies, { kind: 'lower-copies', copies });
  const have = typeof check.have === 'number' ? check.have : 0;
  switch (check.rule) {
    case 'mooring':
      return [{ kind: mooring ? 'enable-mooring' : 'moor', pool: pool.id }];
    case 'grant':
      return [{ kind: 'grant', namespace: claim.namespace }];
    case 'allowance': {
      const problem = claim.tuned && tuningProblem(input.storageClass, claim.tuned, claim.namespace);
      if (!problem) return [];
      const { setting, allowance } = problem;
      const changes: Change[] = [{ kind: 'tune-not', setting }];
      if (allowance && (problem.problem === 'below' || problem.problem === 'above'))
        changes.push({
          kind: 'tune-within',
          setting,
          value: problem.problem === 'below' ? allowance.minimum : allowance.maximum,
        });
      return changes;
    }
    case 'backend':
      return [{ kind: 'mend-backend', backend: pool.backend }];
    case 'writable':
      // a pool that is gone cannot be set free
      return pool.takes === 'nothing' ? [{ kind: 'free-pool', pool: pool.id }] : [];
    case 'access-mode': {
      const changes: Change[] = pool.access.includes('block') ? [{ kind: 'ask-mode', mode: 'ReadWriteOnce' }] : [];
      if (pool.sharedBlock && claim.volumeMode === 'Filesystem')
        changes.push({ kind: 'ask-volume-mode', volumeMode: 'Block' });
      if (pool.access.includes('file') && claim.volumeMode === 'Block')
        changes.push({ kind: 'ask-volume-mode', volumeMode: 'Filesystem' });
      return changes;
    }
    case 'reduction':
    case 'snapshots':
    case 'offsite':
    case 'domain-level':
    case 'witness':
    case 'pinned-nodes':
      return [{ kind: 'drop-demand', demand: check.rule }];
    case 'second-copy':
      return [...mooringsFor((p) => p.backend !== pool.backend, context), { kind: 'drop-demand', demand: check.rule }];
    case 'offsite-copy':
      return [
        ...mooringsFor((p) => p.sites !== undefined && !p.sites.includes(input.site ?? ''), context),
        { kind: 'drop-demand', demand: 'offsite' },
      ];
    case 'site':
      // where a backend stands is no setting
      return [];
    case 'volume-mode':
      if (cls.volumeMode !== 'any' && cls.volumeMode !== claim.volumeMode)
        return [
          { kind: 'ask-volume-mode', volumeMode: cls.volumeMode },
          { kind: 'drop-demand', demand: 'volume-mode' },
        ];
      return [{ kind: 'ask-volume-mode', volumeMode: 'Filesystem' }];
    case 'encryption':
      return [{ kind: 'drop-encryption' }];
    case 'expansion':
      return [{ kind: 'drop-expansion' }];
    case 'copies': {
      const { most } = copiesOffered(pool);
      // shards are the pool's to have or not
      if (cls.shards) return [];
      return most >= 1 ? fewer(most) : [];
    }
    case 'topology':
      return [{ kind: 'widen-zones' }];
    case 'size-limit':
      return lessOf(pool.maximum);
    case 'fill': {
      const thin = thinState(pool, cls.copies);
      const wanted = Math.floor(thin.consumed / defaultMarks.hardMark) + 1;
      return [{ kind: 'add-capacity', pool: pool.id, by: Math.max(pool.granule, wanted - thin.usable) }];
    }
    case 'subscription': {
      const thin = thinState(pool, cls.copies);
      const wanted = thin.subscribed + provisioned;
      const changes: Change[] = lessOf(have);
      if (cls.copies > 1 && copiesOn(pool, cls.copies) > 1) changes.push(...fewer(cls.copies - 1));
      if (thin.usable > 0) {
        const overcommit = Math.ceil((wanted / thin.usable) * 100) / 100;
        // beyond three times the space a ceiling protects nobody
        if (overcommit <= 3) changes.push({ kind: 'raise-overcommit', pool: pool.id, overcommit });
      }
      const short = Math.ceil((wanted - subscriptionCeiling(thin)) / Math.max(1, pool.overcommit));
      changes.push({ kind: 'add-capacity', pool: pool.id, by: Math.max(pool.granule, short) });
      return changes;
    }
    case 'disk-room': {
      const changes: Change[] = lessOf(have);
      if (cls.copies > 1) changes.push(...fewer(cls.copies - 1));
      return changes;
    }
    case 'allotment': {
      const limit = pool.taken + Math.ceil(provisioned * context.offer.footprintFactor);
      return [{ kind: 'raise-allotment', pool: pool.id, limit, by: limit - (pool.allotment ?? 0) }, ...lessOf(have)];
    }
    case 'backend-cap': {
      const { limit = 0, taken = 0 } = pool.backendCap ?? {};
      const wanted = taken + Math.ceil(provisioned * context.offer.footprintFactor);
      return [{ kind: 'raise-cap', backend: pool.backend, limit: wanted, by: wanted - limit }, ...lessOf(have)];
    }
    case 'iops': {
      const left = iopsLeft(pool);
      const perFloor = context.floor > 0 ? context.backendIops / context.floor : 1;
      const iops = Math.max(0, Math.floor(left / perFloor));
      return orTuned('iops-floor', iops, { kind: 'lower-floor', iops, by: context.floor - iops });
    }
    case 'throughput': {
      const perFloor = context.throughputFloor > 0 ? context.backendThroughput / context.throughputFloor : 1;
      const megabytes = Math.max(0, Math.floor(throughputLeft(pool) / perFloor));
      return orTuned('throughput-floor', megabytes, {
        kind: 'lower-throughput-floor',
        megabytes,
        by: context.throughputFloor - megabytes,
      });
    }
    case 'namespace-quota':
    case 'class-quota': {
      const scope = check.rule === 'namespace-quota' ? 'namespace' : 'class';
      const quota = input.quotas.find((q) => q.scope === scope)!;
      const limit = quota.used + provisioned;
      return [{ kind: 'raise-quota', scope, limit, by: limit - quota.limit }, ...lessOf(have)];
    }
  }
}

/** Moorings, not there yet, to pools where another copy could go. Bounded: each is tried out. */
function mooringsFor(may: (pool: Pool) => boolean, { input }: RuleContext): Change[] {
  const known = new Set(input.moorings.map((m) => m.pool));
  return [...input.pools.values()]
    .filter((p) => may(p) && !known.has(p.id))
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .slice(0, 8)
    .map((p) => ({ kind: 'moor', pool: p.id }));
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

function remediesOn(trial: Trial): Remedy[] {
  const context = ruleContext(trial.input, trial.pool, trial.mooring);
  const failed = checkPool(context).filter((check) => !check.passed);
  const changes = new Map<string, Change>();
  for (const check of failed) for (const change of changesFor(check, context)) changes.set(keyOf([change]), change);
  const all = [...changes.values()];
  const remedy = (...set: Change[]): Remedy => ({
    changes: set,
    pool: trial.pool.id,
    cost: set.reduce((sum, change) => sum + costOf(change), 0) + (set.length - 1) * 10,
  });
  const singles = all.filter((change) => works(trial, [change]));
  if (singles.length > 0) return singles.map((change) => remedy(change));
  const pairs: Remedy[] = [];
  all.forEach((a, i) => {
    for (const b of all.slice(i + 1)) if (a.kind !== b.kind && works(trial, [a, b])) pairs.push(remedy(a, b));
  });
  return pairs;
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
