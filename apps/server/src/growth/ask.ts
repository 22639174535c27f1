import type { ClaimRow } from '@moorage/contract/claims';
import { sizeText } from '@moorage/core/sizes/display';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { getClaim } from '../claims/claims';
import { claimNamed } from '../claims/claims.sql';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { knownVersion, noteChanged } from '../mirror/mirror';
import { Sight } from '../people/sight';
import type { PlatformConnector } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { beginGrowth } from './begin';

/** Lets a claim ask for more on the platform. Its growth begins at once, without waiting to be told of it by the platform's watch. */
export async function growClaim(
  database: Database,
  platform: PlatformConnector,
  { namespace, name }: { readonly namespace: string; readonly name: string },
  size: string,
  person: string,
  carry: (operations: readonly string[]) => void,
): Promise<ClaimRow> {
  const row = await first(claimNamed(database, namespace, name));
  if (!row) throw Refusal.notFound('claim', `${namespace}/${name}`);
  const wanted = parseQuantity(size);
  if (!wanted.ok) throw Refusal.invalid('size', 'This is no size.');
  if (wanted.bytes < row.size_bytes)
    throw Refusal.invalid(
      'size',
      `${namespace}/${name} asks for ${sizeText(row.size_bytes)} already, and a volume never shrinks. Make a smaller claim and copy the data there. Nothing was changed.`,
    );
  const subject = `${namespace}/${name}`;
  const before = await knownVersion(database, 'persistentvolumeclaims', name, namespace);
  const changed = await platform.mergePatch({
    ...{ apiVersion: 'v1', kind: 'PersistentVolumeClaim', metadata: { name, namespace } },
    spec: { resources: { requests: { storage: size.trim() } } },
  });
  const operations = await database.transaction(async () => {
    await noteChanged(database, 'persistentvolumeclaims', changed, before);
    await record(database, {
      ...{ person, action: 'change', kind: 'claim', subject },
      before: { size: row.body.spec.resources?.requests?.storage ?? String(row.size_bytes) },
      after: { size: size.trim() },
    });
    await announce(database, [{ topic: 'claims', subject }]);
    return beginGrowth(database, [row.uid]);
  });
  carry(operations);
  return (await getClaim(database, Sight.everything, namespace, name)).claim;
}
