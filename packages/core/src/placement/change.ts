import type { AccessMode, StorageClass, VolumeMode } from '../classes/storage-class';
import type { Tunable } from '../classes/tunable';
import type { Pool } from '../pools/pool-state';
import { bytes, totalBytes } from '../sizes/bytes';
import type { CountLimit, Mooring, PlacementInput, Quota } from './request';

/** One change that someone could make, as data. Sizes in bytes. */
export type Change =
  | { readonly kind: 'moor'; readonly pool: string }
  | { readonly kind: 'enable-mooring'; readonly pool: string }
  | { readonly kind: 'ask-mode'; readonly mode: AccessMode }
  | { readonly kind: 'ask-volume-mode'; readonly volumeMode: VolumeMode }
  | { readonly kind: 'ask-less'; readonly size: number; readonly by: number }
  | { readonly kind: 'raise-quota'; readonly scope: Quota['scope']; readonly limit: number; readonly by: number }
  | {
      readonly kind: 'raise-count';
      readonly of: CountLimit['of'];
      readonly scope: Quota['scope'];
      readonly limit: number;
      readonly by: number;
    }
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
  | 'protocol'
  | 'reduction'
  | 'snapshots'
  | 'offsite'
  | 'domain-level'
  | 'witness'
  | 'pinned-nodes'
  | 'volume-mode'
  | 'second-copy';

const without: Record<Demand, Partial<StorageClass>> = {
  protocol: { protocols: [] },
  reduction: { compression: false, deduplication: false },
  snapshots: { safeguard: undefined },
  offsite: { offsite: false },
  'domain-level': { level: 'node' },
  witness: { witness: false },
  'pinned-nodes': { pinnedNodes: [] },
  'volume-mode': { volumeMode: 'any' },
  'second-copy': { secondCopy: false },
};

export interface Trial {
  readonly input: PlacementInput;
  readonly pool: Pool;
  readonly mooring: Mooring | undefined;
}

/** The world after a change; every remedy is tried out on it, none is hoped for. */
export function apply(trial: Trial, change: Change): Trial {
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
    case 'raise-count':
      return {
        ...trial,
        input: {
          ...input,
          counts: input.counts?.map((c) =>
            c.of === change.of && c.scope === change.scope ? { ...c, limit: c.limit + change.by } : c,
          ),
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
