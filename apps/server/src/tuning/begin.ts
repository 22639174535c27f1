import { readTuned } from '@moorage/core/classes/manifest';
import { claimNamed } from '../claims/claims.sql';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import type { PlatformObject } from '../platform/connector';
import type { Reserved } from '../reservations/reservation.sql';
import { ownRates, ratesIn } from './tuning';
import { beginTunings } from './tuning.sql';

/** What the mirror saw of claims, inside its transaction: gives the tunings of those that say other rates than they have. */
export async function onClaims(database: Database, changed: readonly PlatformObject[]): Promise<string[]> {
  const bound = changed.filter((c) => c.status?.phase === 'Bound' && !c.metadata.deletionTimestamp);
  if (bound.length === 0) return [];
  const begun = await beginTunings(
    database,
    bound.map((c) => c.metadata.uid!),
    bound.map((c) => JSON.stringify(ratesIn(readTuned(c.metadata.annotations)))),
  );
  if (begun.length > 0) await announce(database, [{ topic: 'operations' }]);
  return begun.map((o) => o.id);
}

/** The same of a claim that was held until now: what was said of its rates meanwhile is looked at once that has ended. */
export async function onceFree(
  database: Database,
  { namespace, claim_name, claim_uid }: Pick<Reserved, 'namespace' | 'claim_name' | 'claim_uid'>,
): Promise<string[]> {
  const row = await first(claimNamed(database, namespace, claim_name));
  if (row?.uid !== claim_uid) return [];
  return (await beginTunings(database, [claim_uid], [JSON.stringify(ownRates(row))])).map((o) => o.id);
}
