import { prefix } from '@moorage/core/classes/manifest';
import { claimNamed, type StoredClaim } from '../claims/claims.sql';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { knownVersion, noteChanged } from '../mirror/mirror';
import { operations } from '../operations/operation-model';
import type { Sight } from '../people/sight';
import type { PlatformConnector } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { reservations } from '../reservations/reservation-model';
import type { Reserved } from '../reservations/reservation.sql';
import { factsToGrow, type GrowthFacts } from './facts';

/** A change of a bound claim that is refused: what it is called, and how it is told. */
export interface ChangeRefused {
  readonly code: string;
  /** "It cannot be tuned": what follows is when. */
  readonly title: string;
}

/** A bound claim with what its volume holds, for somebody who wants to change it; refused where it has no volume of ours, or no class. */
export async function boundClaim(
  database: Database,
  site: string,
  sight: Sight,
  { namespace, name }: { readonly namespace: string; readonly name: string },
  { code, title }: ChangeRefused,
): Promise<{ readonly row: StoredClaim; readonly facts: GrowthFacts }> {
  const about = `${namespace}/${name}`;
  const row = sight.sees(namespace) ? await first(claimNamed(database, namespace, name)) : undefined;
  if (!row) throw Refusal.notFound('claim', about);
  const facts = await factsToGrow(database, site, row.uid);
  if (typeof facts !== 'string') return { row, facts };
  throw new Refusal(
    'conflict',
    code,
    `${title} now`,
    facts === 'claim-gone'
      ? `${about} has no volume of ours: it is not bound, or was bound to a volume made beforehand. Nothing was changed.`
      : `The class of ${about} is not there any more, so nobody can say what it may have. Nothing was changed.`,
  );
}

/**
 * Whether an operation that holds this of a claim is under way. Asked inside the transaction that begins a change: until its end
 * nobody else begins one, because what is reserved for the claim is held.
 */
export async function isHeld(database: Database, claimUid: string, holds: string): Promise<boolean> {
  await reservations.in(database).findOne({ attributes: ['claimUid'], where: { claimUid }, lock: true });
  const held = await operations
    .in(database)
    .scope('open')
    .count({ where: { holds, subject: claimUid } });
  return held > 0;
}

const plural = 'persistentvolumeclaims';

/** The very claim that something is reserved for, as the platform has it; undefined when it is gone. */
export async function claimOf(platform: PlatformConnector, { namespace, claim_name, claim_uid }: Reserved) {
  const there = await platform.find('v1', 'PersistentVolumeClaim', claim_name, namespace);
  return there?.metadata.uid === claim_uid ? there : undefined;
}

/** Says in a claim what it tunes: settings by their name, null where one goes. */
export async function sayInClaim(
  database: Database,
  platform: PlatformConnector,
  { namespace, claim_name: name, claim_uid: uid }: Reserved,
  settings: Readonly<Record<string, string | null>>,
): Promise<void> {
  const annotations = Object.fromEntries(Object.entries(settings).map(([s, value]) => [prefix + s, value]));
  const before = await knownVersion(database, plural, name, namespace);
  const changed = await platform.mergePatch({
    ...{ apiVersion: 'v1', kind: 'PersistentVolumeClaim' },
    // a merge patch takes null for what goes
    metadata: { name, namespace, uid, annotations: annotations as Record<string, string> },
  });
  await noteChanged(database, plural, changed, before);
}
