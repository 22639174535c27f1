import { provisioner } from '@moorage/core/classes/manifest';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import type { PlatformObject } from '../platform/connector';
import {
  beginBuckets,
  beginEnds,
  beginKeys,
  beginLimits,
  beginRevoking,
  bucketsLeft,
  bucketsWaiting,
  forgottenBuckets,
  forgottenKeys,
  giveUpBuckets,
  giveUpKeys,
  keysLeft,
} from './buckets.sql';
import { bucketKeys, buckets } from './bucket-model';

const uidOf = (o: PlatformObject): string => o.metadata.uid!;
const idOf = (o: { readonly id: string }): string => o.id;

/** What the mirror saw of bucket claims, inside its transaction: gives the operations to look at once it is committed. */
export async function onBucketClaims(
  database: Database,
  changed: readonly PlatformObject[],
  gone: readonly PlatformObject[],
): Promise<string[]> {
  const begun = (changed.length > 0 ? await beginBuckets(database, changed.map(uidOf), provisioner) : []).map(idOf);
  if (changed.length > 0) begun.push(...(await beginLimits(database, changed.map(uidOf))).map(idOf));
  if (gone.length === 0) return begun;
  await giveUpBuckets(database, gone.map(uidOf));
  const held = await buckets
    .in(database)
    .findAll({ where: { claimUid: gone.map(uidOf), state: ['held', 'made', 'ready'] }, limit: 5000 });
  return [
    ...begun,
    ...(await letGo(
      database,
      held.map((b) => b.claimUid),
    )),
  ];
}

/** The same of accesses. */
export async function onAccesses(
  database: Database,
  changed: readonly PlatformObject[],
  gone: readonly PlatformObject[],
): Promise<string[]> {
  const begun = changed.length > 0 ? await beginKeys(database, changed.map(uidOf), provisioner) : [];
  if (gone.length === 0) return begun.map(idOf);
  await giveUpKeys(database, gone.map(uidOf));
  const held = await bucketKeys.in(database).findAll({ where: { accessUid: gone.map(uidOf) }, limit: 5000 });
  return [
    ...begun.map(idOf),
    ...(await revoke(
      database,
      held.map((k) => k.accessUid),
    )),
  ];
}

/** Begins to let go of buckets, by their claims. */
export const letGo = async (database: Database, claims: readonly string[], person?: string): Promise<string[]> =>
  claims.length === 0 ? [] : (await beginEnds(database, claims, person)).map(idOf);

const revoke = async (database: Database, accesses: readonly string[]): Promise<string[]> =>
  accesses.length === 0 ? [] : (await beginRevoking(database, accesses)).map(idOf);

/** Everything of buckets that should be moving and is not; the watching server asks now and then. Bounded. */
export async function findForgottenBuckets(database: Database): Promise<string[]> {
  const [claims, accesses] = [await forgottenBuckets(database, provisioner), await forgottenKeys(database)];
  const begun = [
    ...(claims.length > 0
      ? await beginBuckets(
          database,
          claims.map((c) => c.uid),
          provisioner,
        )
      : []),
    ...(accesses.length > 0
      ? await beginKeys(
          database,
          accesses.map((a) => a.uid),
          provisioner,
        )
      : []),
  ].map(idOf);
  const left = (await bucketsLeft(database)).map((b) => b.claim_uid);
  const lost = (await keysLeft(database)).map((k) => k.access_uid);
  const ended = [...(await letGo(database, left)), ...(await revoke(database, lost))];
  if (begun.length + ended.length > 0) await announce(database, [{ topic: 'buckets' }]);
  return [...begun, ...ended];
}

/** Some of the bucket claims that wait. */
export const someWaiting = async (database: Database): Promise<string[]> =>
  (await bucketsWaiting(database, undefined)).map(idOf);

/** Bucket claims that wait, for another decision, in pages: something changed that could help them. */
export async function* waitingBuckets(database: Database): AsyncGenerator<string[]> {
  let after: string | undefined;
  for (;;) {
    const page = (await bucketsWaiting(database, after)).map(idOf);
    if (page.length === 0) return;
    yield page;
    after = page[page.length - 1];
  }
}
