import { provisioner } from '@moorage/core/classes/manifest';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import type { PlatformObject } from '../platform/connector';
import {
  beginBindings,
  beginReleases,
  giveUpBindings,
  leaveToPlatform,
  noteBoundClaims,
  waitingForVolumes,
} from './binder.sql';

/**
 * Ends the bindings of claims that the platform has bound: to what we made, which it gives, or to volumes made beforehand. Whoever
 * saw it tells of it.
 */
async function hearBound(database: Database, claims: readonly string[]): Promise<string[]> {
  const moved = (await noteBoundClaims(database, claims)).map((b) => b.subject);
  const others = claims.filter((uid) => !moved.includes(uid));
  if (others.length > 0) await leaveToPlatform(database, others);
  return moved;
}

/** The same, told of: nobody else saw it. */
export async function noteBound(database: Database, claims: readonly string[]): Promise<string[]> {
  const moved = await hearBound(database, claims);
  if (moved.length > 0) await announce(database, [{ topic: 'claims' }, { topic: 'namespaces' }]);
  return moved;
}

/** What the mirror saw of claims, inside its transaction: gives the operations that should be looked at once it is committed. */
export async function onClaims(
  database: Database,
  changed: readonly PlatformObject[],
  gone: readonly PlatformObject[],
): Promise<string[]> {
  const bound = changed.filter((c) => c.status?.phase === 'Bound').map((c) => c.metadata.uid!);
  // the mirror itself tells of changed claims
  if (bound.length > 0) await hearBound(database, bound);
  const pending = changed
    .filter((c) => c.status?.phase === 'Pending' && !c.metadata.deletionTimestamp)
    .map((c) => c.metadata.uid!);
  const woken = pending.length > 0 ? await beginBinding(database, pending) : [];
  const released =
    gone.length > 0
      ? await beginRelease(
          database,
          gone.map((c) => c.metadata.uid!),
        )
      : [];
  return [...woken, ...released];
}

/** What the mirror saw of persistent volumes: claims that waited for one which is not to be had any more are decided anew. */
export async function onVolumes(
  database: Database,
  changed: readonly PlatformObject[],
  gone: readonly PlatformObject[],
): Promise<string[]> {
  const taken = [...changed.filter((v) => v.status?.phase !== 'Available'), ...gone];
  const classes = [...new Set(taken.map((v) => String(v.spec?.storageClassName ?? '')))];
  return classes.length === 0 ? [] : (await waitingForVolumes(database, classes)).map((o) => o.id);
}

/** Begins the binding of claims of our classes that are pending; gives the operations to look at. */
export async function beginBinding(database: Database, claims: readonly string[]): Promise<string[]> {
  const rows = await beginBindings(database, claims, provisioner);
  return rows.map((r) => r.id);
}

/** A claim that is gone: its unfinished binding ends, and what was reserved for it is let go. */
export async function beginRelease(database: Database, claims: readonly string[]): Promise<string[]> {
  await giveUpBindings(database, claims);
  const begun = await beginReleases(database, claims);
  return begun.map((b) => b.id);
}
