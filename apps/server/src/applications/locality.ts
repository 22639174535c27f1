import type { ApplicationSeen } from '@moorage/contract/applications';
import { localityOf, type LocalReplica } from '@moorage/core/applications/locality';
import { promisableDisks } from '@moorage/core/replicas/on-pool';
import type { Database } from '../database/database';
import { storageClassOf } from '../mirror/mirrored';
import { platformObjects } from '../mirror/mirror-model';
import { corePools, livePools } from '../pools/pools';
import { copyState } from './facts';
import type { AppClaimRow, PodRow } from './facts.sql';

/** Replicas and classes looked at. */
const most = { replicas: 500, classes: 100 };

/** Of replicas whose class wants a copy on their node: whether it is there, and what would bring it there. */
export async function localityIn(
  database: Database,
  { pods, claims }: { readonly pods: readonly PodRow[]; readonly claims: readonly AppClaimRow[] },
  takesPods: ReadonlySet<string>,
): Promise<ApplicationSeen['locality']> {
  const names = [...new Set(claims.flatMap((c) => c.class_name ?? []))].slice(0, most.classes);
  const classes = await platformObjects
    .in(database)
    .findAll({ raw: true, where: { plural: 'storageclasses', name: names }, limit: most.classes });
  const local = new Set(classes.filter((c) => storageClassOf(c.body)?.locality).map((c) => c.name));
  const wanting = claims.filter((c) => local.has(c.class_name ?? '') && c.parts?.[0]);
  if (wanting.length === 0) return [];
  const pools = corePools(await livePools(database, [...new Set(wanting.map((c) => c.parts![0]!.pool))]));
  const toLocal = (c: AppClaimRow) => {
    const part = c.parts![0]!;
    const pool = pools.get(part.pool);
    return {
      ...{ name: c.name, provisioned: c.provisioned ?? c.size_bytes, written: part.written },
      copies: part.copies.map(({ disk, node, state }) => ({ disk, node, state: copyState(state) })),
      disks: (pool && promisableDisks(pool)) ?? [],
    };
  };
  const byName = new Map(wanting.map((c) => [c.name, c]));
  const replicas = pods.slice(0, most.replicas).flatMap(({ name: pod, node, claims: mounted }): LocalReplica[] => {
    const own = (mounted ?? []).flatMap((n) => byName.get(n) ?? []);
    return node === null || own.length === 0 ? [] : [{ pod, node, claims: own.map(toLocal) }];
  });
  return localityOf(replicas, takesPods).map(({ pod, node, podTo, claims: of }) => ({
    ...{ pod, node, podTo: podTo ?? null },
    claims: of.map(({ claim, isLocal, copyTo }) => ({ claim, isLocal, copyTo: copyTo ?? null })),
  }));
}
