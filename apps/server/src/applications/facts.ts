import {
  groundOf,
  type Application,
  type CopyState,
  type Ground,
  type StandingCopy,
  type UsedClaim,
  type VolumePart,
} from '@moorage/core/applications/application';
import type { Database } from '../database/database';
import { asRecords } from '../database/statement';
import {
  claimsOfOwners,
  nodesNamed,
  podsOfOwners,
  setsOf,
  type AppClaimRow,
  type NodeRow,
  type OwnerRow,
  type PartRow,
  type PodRow,
} from './facts.sql';

/** An application as both worlds have it at this moment. */
export interface ApplicationFacts {
  readonly uid: string;
  readonly kind: string;
  readonly namespace: string;
  readonly name: string;
  /** Undefined where the owner of the pods is not one that we follow. */
  readonly set?: OwnerRow;
  readonly pods: readonly PodRow[];
  /** Those that pods mount, and those of a set that none does just now. */
  readonly claims: readonly AppClaimRow[];
  readonly application: Application;
}

const copyStateOf: Readonly<Record<string, CopyState>> = {
  Synchronized: 'in-sync',
  Synchronizing: 'resyncing',
  Resynchronizing: 'resyncing',
  Failed: 'lost',
  Broken: 'lost',
};
/** What a backend says of a copy, as ours; what nobody knows is not taken for whole. */
export const copyState = (said: string): CopyState => copyStateOf[said] ?? 'stale';

const toPart = ({ pool, backend, needs, copies, witness }: PartRow): VolumePart => ({
  ...{ pool, backend },
  ...(needs !== null && { needs }),
  copies: [
    ...copies.map(({ disk, node, state }): StandingCopy => ({ disk, node, state: copyState(state), role: 'data' })),
    ...(witness ? [{ ...witness, state: 'in-sync', role: 'witness' } as const] : []),
  ],
});

const toUsed = (claim: AppClaimRow): UsedClaim => ({
  name: claim.name,
  bytes: claim.provisioned ?? claim.size_bytes,
  parts: (claim.parts ?? []).map(toPart),
});

const groupedBy = <T>(rows: readonly T[], key: (row: T) => string): Map<string, T[]> => {
  const groups = new Map<string, T[]>();
  for (const row of rows) {
    const of = key(row);
    const group = groups.get(of);
    if (group) group.push(row);
    else groups.set(of, [row]);
  }
  return groups;
};

/** Every application among the owners of these uids: owners without any claim are none. */
export async function factsOf(database: Database, uids: readonly string[]): Promise<ApplicationFacts[]> {
  const sets = await setsOf(database, uids);
  const pods = await podsOfOwners(database, uids);
  const podsOf = groupedBy(pods, (p) => p.owner);
  const setOf = new Map(sets.map((s) => [s.uid, s]));
  const named = pods.flatMap(({ owner, namespace, claims }) =>
    (claims ?? []).map((name) => ({ owner, namespace, name })),
  );
  // names that go on from "data-gauge-store-": up to, and without, the first that begins otherwise
  const stems = sets.flatMap(({ uid: owner, namespace, name, templates }) =>
    (templates ?? []).map((t) => ({ owner, namespace, from: `${t}-${name}-`, until: `${t}-${name}.` })),
  );
  const claimsOf = groupedBy(await claimsOfOwners(database, asRecords(named), asRecords(stems)), (c) => c.owner);
  return uids.flatMap((uid): ApplicationFacts[] => {
    const set = setOf.get(uid);
    const own = podsOf.get(uid) ?? [];
    const claims = claimsOf.get(uid) ?? [];
    const [first] = own;
    if ((!set && !first) || (claims.length === 0 && !set?.templates?.length)) return [];
    const byName = new Map(claims.map((c) => [c.name, toUsed(c)]));
    return [
      {
        uid,
        kind: set ? 'StatefulSet' : (first!.kind ?? 'Pod'),
        namespace: set?.namespace ?? first!.namespace,
        name: set?.name ?? first!.owner_name ?? first!.name,
        ...(set && { set }),
        pods: own,
        claims,
        application: {
          replicas: own.map(({ name, node, claims: mounted }) => ({
            pod: name,
            ...(node !== null && { node }),
            claims: (mounted ?? []).flatMap((c) => byName.get(c) ?? []),
          })),
        },
      },
    ];
  });
}

/** The nodes that pods and copies of these applications are on, and `others`, with where they stand. */
export function nodesUnder(
  database: Database,
  applications: readonly ApplicationFacts[],
  others: readonly string[] = [],
): Promise<NodeRow[]> {
  const names = new Set(others);
  for (const { application } of applications)
    for (const { node, claims } of application.replicas) {
      if (node !== undefined) names.add(node);
      for (const { parts } of claims) for (const { copies } of parts) for (const c of copies) names.add(c.node);
    }
  return nodesNamed(database, [...names].sort());
}

export const groundOfNodes = (nodes: readonly NodeRow[]): Ground =>
  groundOf(
    nodes.map(({ name, zone, rack }) => ({
      name,
      ...(zone !== null && { zone }),
      ...(rack !== null && { rack }),
    })),
  );
