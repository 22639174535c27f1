import type { PlacementState } from './moorings';
import { toCorePool } from './pool-state';
import type { Tuned } from '@moorage/core/classes/tunable';
import type { AccessMode, StorageClass, VolumeMode } from '@moorage/core/classes/storage-class';
import { Offers } from '@moorage/core/placement/offer';
import type { CountLimit, ClaimRequest, Mooring, PlacementInput, Quota } from '@moorage/core/placement/request';
import type { Pool } from '@moorage/core/pools/pool-state';
import type { Bytes } from '@moorage/core/sizes/bytes';

/** A claim to be tried on the live state. */
export interface TriedClaim {
  readonly size: number;
  readonly mode: AccessMode;
  readonly volumeMode: VolumeMode;
  readonly namespace: string;
  readonly zone: string;
  readonly tuned?: Tuned;
  /** The class whose settings are tuned; left out, every one. */
  readonly tunedFor?: string;
}

/** The live state made ready for trying claims: worked out once for each state, not for each key. */
export interface Prepared {
  readonly state: PlacementState;
  readonly pools: ReadonlyMap<string, Pool>;
  /** The same, in the order of the state's. */
  readonly list: readonly Pool[];
  readonly moorings: ReadonlyMap<string, readonly Mooring[]>;
  readonly offers: Offers;
}

export function prepare(state: PlacementState): Prepared {
  const moorings = new Map<string, Mooring[]>();
  for (const m of state.moorings) moorings.set(m.className, [...(moorings.get(m.className) ?? []), m]);
  const list = state.pools.map(toCorePool);
  return { state, pools: new Map(list.map((p) => [p.id, p])), list, moorings, offers: new Offers() };
}

export function quotasOf(state: PlacementState, namespace: string, className: string): Quota[] {
  return state.limits
    .filter((l) => l.namespace === namespace && (l.className === null || l.className === className))
    .map((l) => ({
      scope: l.className === null ? 'namespace' : 'class',
      limit: l.bytes,
      used: state.usage
        .filter((u) => u.namespace === namespace && (l.className === null || u.className === className))
        .reduce((sum, u) => sum + u.provisioned, 0),
    }));
}

export const countsOf = (state: PlacementState, namespace: string, className: string): CountLimit[] =>
  state.counts
    .filter((c) => c.namespace === namespace && (c.className === null || c.className === className))
    .map(({ className: only, of, limit, used }) => ({ scope: only === null ? 'namespace' : 'class', of, limit, used }));

export function inputFor(prepared: Prepared, storageClass: StorageClass, tried: TriedClaim): PlacementInput {
  const { state, pools, moorings, offers } = prepared;
  const claim: ClaimRequest = {
    namespace: tried.namespace,
    size: tried.size as Bytes,
    modes: [tried.mode],
    volumeMode: tried.volumeMode,
    ...(tried.zone && { zone: tried.zone }),
    ...(tried.tuned &&
      Object.keys(tried.tuned).length > 0 &&
      (tried.tunedFor ?? storageClass.name) === storageClass.name && { tuned: tried.tuned }),
  };
  const kept = state.grants.find((g) => g.className === storageClass.name);
  return {
    claim,
    site: state.site,
    storageClass,
    moorings: moorings.get(storageClass.name) ?? [],
    pools,
    quotas: quotasOf(state, tried.namespace, storageClass.name),
    counts: countsOf(state, tried.namespace, storageClass.name),
    ...(kept && { granted: kept.namespaces.includes(tried.namespace) }),
    offers,
  };
}
