import { defaultMarks, subscriptionCeiling } from '../capacity/thin';
import { tuningProblem } from '../classes/allowance';
import type { Tunable } from '../classes/tunable';
import { copiesOffered, copiesOn, iopsLeft, thinState, throughputLeft } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { largestShare } from '../shares/instances';
import { largestMade, type RuleContext } from './rules';
import type { Check } from './rule';

import type { Change } from './change';

const roundDown = (size: number, granule: number): number => Math.floor(size / granule) * granule;

/** Changes that could make one failed check pass, or help to. */
export function changesFor(check: Check, context: RuleContext): Change[] {
  const { pool, input, added, mooring, storageClass: cls } = context;
  const { claim } = input;
  const lessOf = (room: number): Change[] => {
    const most = pool.instances && check.rule !== 'size-limit' ? largestShare(pool.instances, room) : room;
    const size = roundDown(Math.min(most, largestMade(pool)), pool.granule);
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
    case 'protocol':
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
      return lessOf(largestMade(pool));
    case 'fill': {
      const thin = thinState(pool, cls.copies);
      const wanted = Math.floor(thin.consumed / defaultMarks.hardMark) + 1;
      return [{ kind: 'add-capacity', pool: pool.id, by: Math.max(pool.granule, wanted - thin.usable) }];
    }
    case 'subscription': {
      const thin = thinState(pool, cls.copies);
      const wanted = thin.subscribed + added;
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
      const limit = pool.taken + Math.ceil(added * context.offer.footprintFactor);
      return [{ kind: 'raise-allotment', pool: pool.id, limit, by: limit - (pool.allotment ?? 0) }, ...lessOf(have)];
    }
    case 'backend-cap': {
      const { limit = 0, taken = 0 } = pool.backendCap ?? {};
      const wanted = taken + Math.ceil(added * context.offer.footprintFactor);
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
      const limit = quota.used + context.provisioned;
      return [{ kind: 'raise-quota', scope, limit, by: limit - quota.limit }, ...lessOf(have)];
    }
    case 'claims-limit':
    case 'iops-limit': {
      const of = check.rule === 'claims-limit' ? 'claims' : 'iops';
      const tightest = input
        .counts!.filter((c) => c.of === of)
        .sort((a, b) => a.limit - a.used - (b.limit - b.used))[0]!;
      const by = Number(check.need) - Number(check.have);
      const raise: Change = { kind: 'raise-count', of, scope: tightest.scope, limit: tightest.limit + by, by };
      const left = Math.max(0, Math.floor(Number(check.have)));
      return of === 'claims'
        ? [raise]
        : [raise, ...orTuned('iops-floor', left, { kind: 'lower-floor', iops: left, by: context.floor - left })];
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
