import type { ApplicationPlan } from '@moorage/contract/applications';
import type { PlacementState } from '@moorage/contract/moorings';
import { inputFor, prepare } from '@moorage/contract/placement-input';
import { podShape, amountOf, milliCores, type SetShape } from '@moorage/core/applications/set-shape';
import { claimNamesOf } from '@moorage/core/applications/set-manifest';
import { planStart, type StartingReplica } from '@moorage/core/applications/start';
import type { PodNode, PodThere } from '@moorage/core/applications/pods';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import type { Database } from '../database/database';
import type { HeldPlace } from '../moorings/planned';
import { Sight } from '../people/sight';
import { placementState } from '../placement/placement';
import { claimsThere, nodesForPods, podsOnNodes } from './nodes.sql';
import { zonesOfVolumes } from './pages.sql';

/** Nodes with what is on them, and the pods there; as if those of one owner were not. */
export async function nodesAndPods(
  database: Database,
  without?: string,
): Promise<{ nodes: PodNode[]; there: PodThere[] }> {
  const nodes = await nodesForPods(database);
  const all = await podsOnNodes(database);
  const pods = without === undefined ? all : all.filter((p) => p.owner !== without);
  const on = new Map<string, { pods: number; cpu: number; memory: number; volumes: Set<string> }>();
  for (const { node, namespace, spec, claims } of pods) {
    let sum = on.get(node);
    if (!sum) on.set(node, (sum = { pods: 0, cpu: 0, memory: 0, volumes: new Set() }));
    const { cpu, memory } = podShape({}, spec);
    sum.pods += 1;
    sum.cpu += cpu;
    sum.memory += memory;
    for (const claim of claims ?? []) sum.volumes.add(`${namespace}/${claim}`);
  }
  return {
    nodes: nodes.map(({ name, labels, cordoned, ready, taints, allocatable, most_volumes }): PodNode => {
      const here = on.get(name);
      return {
        ...{ name, cordoned, ready, labels: labels ?? {}, taints: taints ?? [], pods: here?.pods ?? 0 },
        volumes: [...(here?.volumes ?? [])],
        ...(most_volumes !== null && { mostVolumes: most_volumes }),
        ...(allocatable?.pods !== undefined && { mostPods: amountOf(allocatable.pods) }),
        ...(allocatable?.cpu !== undefined && { freeCpu: milliCores(allocatable.cpu) - (here?.cpu ?? 0) }),
        ...(allocatable?.memory !== undefined && { freeMemory: amountOf(allocatable.memory) - (here?.memory ?? 0) }),
      };
    }),
    there: pods.map(({ namespace, node, owner, labels }) => ({
      ...{ namespace, node, owner: owner ?? '', labels: labels ?? {} },
    })),
  };
}

/** Zones of the claims that are there already, by name; null where their volumes are reached from all. */
async function zonesThere(database: Database, namespace: string, names: readonly string[]) {
  const there = await claimsThere(database, namespace, names);
  const zones = new Map(
    (
      await zonesOfVolumes(
        database,
        there.flatMap((c) => c.volume ?? []),
      )
    ).map((v) => [v.name, v.zones]),
  );
  return new Map(there.map((c) => [c.name, (c.volume !== null && zones.get(c.volume)) || null]));
}

export interface PlannedStart {
  readonly plan: ApplicationPlan;
  /** Where claims that are to come go: kept with what is begun. */
  readonly places: readonly HeldPlace[];
}

/**
 * What becomes of these replicas of a set when they start, as things stand; `owner`: the uid of the set, when it is there. Pods of
 * it that are there stay, or all of them start anew.
 */
export async function planReplicas(
  database: Database,
  site: string,
  shape: SetShape,
  ordinals: readonly number[],
  owner = 'new',
  others: 'stay' | 'anew' = 'stay',
): Promise<PlannedStart> {
  const state = await placementState(database, site, Sight.everything);
  const { nodes, there } = await nodesAndPods(database, others === 'anew' ? owner : undefined);
  const names = ordinals.flatMap((i) => claimNamesOf(shape, i));
  const standing = await zonesThere(database, shape.namespace, names);
  const prepared = prepare(state);
  const missing = missingClasses(shape, state);
  const classOf = new Map<string, StorageClass>();
  const replicas = ordinals.map((ordinal): StartingReplica => ({
    pod: { ...shape.pod, owner, namespace: shape.namespace, name: `${shape.name}-${ordinal}` },
    claims: shape.templates.flatMap((template) => {
      const name = `${template.name}-${shape.name}-${ordinal}`;
      const zones = standing.get(name);
      if (zones !== undefined) return [{ name, ...(zones && { zones }) }];
      const cls = state.classes.find((c) => c.name === (template.className ?? state.defaultClass));
      // what has no class here is told once for all
      if (!cls) return [];
      const tried = {
        ...{ size: template.size, mode: template.modes[0] ?? 'ReadWriteOnce', volumeMode: template.volumeMode },
        ...{ namespace: shape.namespace, zone: '' },
      } as const;
      classOf.set(name, cls);
      const { offers: _offers, pools: _pools, ...input } = inputFor(prepared, cls, tried);
      return [{ name, batch: { id: name, input } }];
    }),
  }));
  const { claims, pods, fits } = planStart(replicas, prepared.pools, nodes, there);
  const priceOf = new Map(state.pools.map((p) => [p.id, p.price]));
  const sizeOf = new Map(
    ordinals.flatMap((i) => shape.templates.map((t): [string, number] => [`${t.name}-${shape.name}-${i}`, t.size])),
  );
  const zoneOf = new Map(nodes.map((n) => [n.name, n.labels['topology.kubernetes.io/zone'] ?? null]));
  return {
    plan: {
      fits: fits && missing.length === 0,
      missing,
      claims: claims.map(({ name, pool, isThere, refusedBy }) => ({
        ...{ name, pool: pool ?? null, isThere, bytes: sizeOf.get(name) ?? 0 },
        failed: refusedBy ?? null,
      })),
      pods: pods.map((p) =>
        'node' in p
          ? { pod: p.pod, node: p.node, zone: zoneOf.get(p.node) ?? null, against: [] }
          : { pod: p.pod, node: null, zone: null, against: [...p.against] },
      ),
      bytes: claims.reduce((sum, c) => sum + (c.isThere ? 0 : (sizeOf.get(c.name) ?? 0)), 0),
      monthly: claims.reduce(
        (sum, c) => sum + (((c.pool && priceOf.get(c.pool)) || 0) * (sizeOf.get(c.name) ?? 0)) / 2 ** 30,
        0,
      ),
    },
    places: claims.flatMap(({ name, pool, disks, taking }) => {
      if (pool === undefined || !taking) return [];
      const cls = classOf.get(name)!;
      return [
        {
          ...{ namespace: shape.namespace, claim: name, class_name: cls.name, pool, disks: [...disks] },
          copies: Math.min(cls.copies, disks.length),
          ...{ bytes: taking.provisioned, raw_bytes: taking.raw },
          ...{ backend_iops: taking.backendIops, backend_throughput: taking.backendThroughput },
        },
      ];
    }),
  };
}

/** Classes that templates name and that are not there, or not of ours. */
function missingClasses({ templates }: SetShape, state: PlacementState): string[] {
  const known = new Set(state.classes.map((c) => c.name));
  const wanted = templates.map((t) => t.className ?? state.defaultClass ?? '(no default class)');
  return [...new Set(wanted.filter((name) => !known.has(name)))];
}
