import { readTuned } from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { bestMatch } from '@moorage/core/claims/static';
import type { ClaimRequest, CountLimit, PlacementInput, Quota } from '@moorage/core/placement/request';
import type { Bytes } from '@moorage/core/sizes/bytes';
import type { Database } from '../database/database';
import { lockNamespace } from '../database/locks.sql';
import { heldFor } from '../moorings/planned';
import { countsUsed } from '../namespaces/limits.sql';
import { corePools, livePools, type LivePool } from '../pools/pools';
import { staticVolumeOf } from '../static-volumes/static-volume';
import { usedInNamespaces, type StoredClaim } from './choose.sql';

/** The limits of a claim with what is used of them, under the lock of its namespace where there are any. */
async function readLimits(
  database: Database,
  { namespace, limits, counts }: StoredClaim,
): Promise<{ quotas: Quota[]; counts: CountLimit[] }> {
  if (limits.length + counts.length > 0) await lockNamespace(database, namespace);
  return {
    quotas: limits.length === 0 ? [] : quotasOf(limits, await usedInNamespaces(database, [namespace])),
    counts: counts.length === 0 ? [] : countsOf(counts, await countsUsed(database, [namespace])),
  };
}

/** The facts as they are for the claim that something is held for: what is its own is not in its way. */
function withoutOwn(
  live: readonly LivePool[],
  quotas: readonly Quota[],
  held: Awaited<ReturnType<typeof heldFor>>,
): { live: readonly LivePool[]; quotas: readonly Quota[] } {
  if (!held) return { live, quotas };
  const disks = new Set(held.disks.slice(0, held.copies));
  return {
    live: live.map((p) =>
      p.id === held.poolId
        ? {
            ...p,
            reservedRaw: p.reservedRaw - held.rawBytes,
            reservedBytes: p.reservedBytes - held.bytes,
            promisedIops: p.promisedIops - held.backendIops,
            promisedThroughput: p.promisedThroughput - held.backendThroughput,
            backendCap: p.backendCap && { ...p.backendCap, taken: p.backendCap.taken - held.rawBytes },
            diskUse: Object.fromEntries(
              Object.entries(p.diskUse).map(([disk, used]) => [disk, disks.has(disk) ? used - held.bytes : used]),
            ),
          }
        : p,
    ),
    quotas: quotas.map((q) => ({ ...q, used: q.used - held.bytes })),
  };
}

/** The limits of a claim with what its namespace uses of them. */
export const quotasOf = (
  limits: StoredClaim['limits'],
  used: readonly { readonly class_name: string; readonly bytes: number }[],
): Quota[] =>
  limits.map(({ class_name, bytes }) => ({
    scope: class_name === '' ? ('namespace' as const) : ('class' as const),
    limit: bytes,
    used: used.filter((u) => class_name === '' || u.class_name === class_name).reduce((sum, u) => sum + u.bytes, 0),
  }));

/** The same of limits of claims and of reserved IOPS. */
export const countsOf = (
  counts: StoredClaim['counts'],
  used: readonly { readonly class_name: string; readonly claims: number; readonly iops: number }[],
): CountLimit[] =>
  counts.map(({ class_name, measure, amount }) => ({
    scope: class_name === '' ? ('namespace' as const) : ('class' as const),
    of: measure,
    limit: amount,
    used: used.filter((u) => class_name === '' || u.class_name === class_name).reduce((sum, u) => sum + u[measure], 0),
  }));

/** What a claim asks for, as the core knows it. */
export const requestOf = (claim: StoredClaim): ClaimRequest => ({
  namespace: claim.namespace,
  size: claim.size_bytes as Bytes,
  modes: claim.body.spec.accessModes ?? [],
  volumeMode: claim.body.spec.volumeMode ?? 'Filesystem',
  zone: claim.zone ?? undefined,
  tuned: readTuned(claim.body.metadata.annotations),
});

/** What a claim asks for that is not carried out yet: an empty volume must never stand in the place of data. */
export function notYet({ body: { spec } }: StoredClaim): 'source' | 'named-volume' | 'selector' | undefined {
  if (spec.dataSource || spec.dataSourceRef) return 'source';
  if (spec.volumeName) return 'named-volume';
  return spec.selector ? 'selector' : undefined;
}

/** Whether the platform has a volume made beforehand for a claim: it binds the two by itself, and another one would be too many. */
export const isForeseen = (claim: StoredClaim): boolean =>
  claim.beforehand.length > 0 &&
  bestMatch(claim.beforehand.map(staticVolumeOf), {
    ...{ namespace: claim.namespace, name: claim.name, uid: claim.uid, className: claim.class?.metadata.name ?? '' },
    ...{ modes: claim.body.spec.accessModes ?? [], volumeMode: claim.body.spec.volumeMode ?? 'Filesystem' },
    size: claim.size_bytes,
  }) !== undefined;

/** All that a decision rests on, under the locks of the namespace and of the moored pools. */
export async function factsFor(
  database: Database,
  site: string,
  claim: StoredClaim,
  storageClass: StorageClass,
): Promise<PlacementInput> {
  const { moorings } = claim;
  const read = await readLimits(database, claim);
  const locked = await livePools(
    database,
    // also where something is held for it, which is let go of with the decision
    [...new Set([...moorings.map((m) => m.pool), ...(claim.planned ? [claim.planned.pool] : [])])],
    'lock',
  );
  const held = claim.planned && (await heldFor(database, claim.namespace, claim.name));
  const { live, quotas } = withoutOwn(locked, read.quotas, held ?? undefined);
  return {
    claim: requestOf(claim),
    site,
    storageClass,
    moorings,
    pools: corePools(live),
    quotas,
    counts: read.counts,
    ...(!claim.open && { granted: claim.granted }),
    ...(claim.planned !== null && { planned: claim.planned.pool }),
  };
}
