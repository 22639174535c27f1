import { readTuned } from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { bestMatch } from '@moorage/core/claims/static';
import type { ClaimRequest, PlacementInput, Quota } from '@moorage/core/placement/request';
import type { Bytes } from '@moorage/core/sizes/bytes';
import type { Database } from '../database/database';
import { lockNamespace } from '../database/locks.sql';
import { corePools, livePools } from '../pools/pools';
import { staticVolumeOf } from '../static-volumes/static-volume';
import { usedInNamespaces, type StoredClaim } from './choose.sql';

async function readQuotas(database: Database, { namespace, limits }: StoredClaim): Promise<Quota[]> {
  if (limits.length === 0) return [];
  await lockNamespace(database, namespace);
  return quotasOf(limits, await usedInNamespaces(database, [namespace]));
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
  const quotas = await readQuotas(database, claim);
  const live = await livePools(
    database,
    moorings.map((m) => m.pool),
    'lock',
  );
  return {
    claim: requestOf(claim),
    site,
    storageClass,
    moorings,
    pools: corePools(live),
    quotas,
    ...(!claim.open && { granted: claim.granted }),
    ...(claim.planned !== null && { planned: claim.planned.pool }),
  };
}
