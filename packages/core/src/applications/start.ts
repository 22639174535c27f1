import { fitBatch, fitOneByOne, type RefusedBy, type Taken } from '../placement/batch';
import type { BatchClaim } from '../placement/request';
import type { Pool } from '../pools/pool-state';
import { placePods, type PodAsked, type PodNode, type PodPlace, type PodThere } from './pods';

/** A claim that a replica will ask for; claims that are there already keep their volumes. */
export interface StartingClaim {
  readonly name: string;
  /** What is decided about it; undefined for one that is there. */
  readonly batch?: BatchClaim;
  /** Zones from which the volume that it has can be reached; left out where from all, or where it has none. */
  readonly zones?: readonly string[];
}

export interface StartingReplica {
  readonly pod: Omit<PodAsked, 'zones' | 'volumes'>;
  readonly claims: readonly StartingClaim[];
}

export interface StartPlan {
  readonly claims: readonly {
    readonly name: string;
    /** Undefined where it is there already, or where nothing takes it. */
    readonly pool?: string;
    readonly disks: readonly string[];
    /** What it takes of its pool, where it goes to one. */
    readonly taking?: Taken;
    readonly isThere: boolean;
    /** What refuses it first, on the pool that comes first; undefined where its class is moored nowhere. */
    readonly refusedBy?: RefusedBy;
  }[];
  readonly pods: readonly PodPlace[];
  /** All claims have a place and all pods a node. */
  readonly fits: boolean;
}

/** Zones in which all of these are; undefined where anywhere. */
function common(all: readonly (readonly string[] | undefined)[]): readonly string[] | undefined {
  let zones: readonly string[] | undefined;
  for (const some of all) if (some) zones = zones ? zones.filter((z) => some.includes(z)) : some;
  return zones;
}

/**
 * What becomes of replicas that are to be started: all their claims placed together, then each pod beside its volumes, in
 * their order (docs/calculations.md, Starting an application).
 */
export function planStart(
  replicas: readonly StartingReplica[],
  pools: ReadonlyMap<string, Pool>,
  nodes: readonly PodNode[],
  there: readonly PodThere[],
): StartPlan {
  const claims = replicas.flatMap((r) => r.claims);
  const asked = claims.flatMap((c) => c.batch ?? []);
  // as their classes would have it, where all of them fit so; else as one batch, where that is better
  const alone = fitOneByOne(pools, asked);
  const fitted = alone.refused.length === 0 ? alone : fitOneByOne(pools, asked, fitBatch(pools, asked));
  const planned = claims.map(({ name, batch }) => {
    const pool = batch && fitted.placed.get(batch.id);
    const why = batch && fitted.refusedBy.get(batch.id);
    const taking = batch && fitted.takings.get(batch.id);
    return {
      ...{ name, isThere: batch === undefined },
      disks: (batch && fitted.disks.get(batch.id)) ?? [],
      ...(pool !== undefined && { pool }),
      ...(taking && { taking }),
      ...(pool === undefined && why && { refusedBy: why }),
    };
  });
  const zonesOf = ({ batch, zones }: StartingClaim): readonly string[] | undefined => {
    if (!batch) return zones;
    const pool = pools.get(fitted.placed.get(batch.id) ?? '');
    return pool && pool.zones.length > 0 ? pool.zones : undefined;
  };
  const pods = placePods(
    replicas.map(({ pod, claims: own }) => {
      const zones = common(own.map(zonesOf));
      return { ...pod, ...(zones && { zones }), volumes: own.map((c) => `${pod.namespace}/${c.name}`) };
    }),
    nodes,
    there,
  );
  const fits = planned.every((c) => c.isThere || c.pool !== undefined) && pods.every((p) => 'node' in p);
  return { claims: planned, pods, fits };
}
