import { parseQuantity } from '@moorage/core/sizes/quantity';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import type { PlatformObject } from '../platform/connector';
import { beginGrowths, giveUpGrowths, noteGrown } from './growth.sql';

const bytesOf = (text: unknown): number => {
  const size = typeof text === 'string' ? parseQuantity(text) : undefined;
  return size?.ok ? size.bytes : 0;
};

/** What a claim has, as the platform tells it. */
export const capacityOf = ({ status }: PlatformObject): number =>
  bytesOf((status?.capacity as { storage?: string } | undefined)?.storage);

/** What the mirror saw of claims, inside its transaction: gives the growths that should be looked at once it is committed. */
export async function onClaims(
  database: Database,
  changed: readonly PlatformObject[],
  gone: readonly PlatformObject[],
): Promise<string[]> {
  if (gone.length > 0)
    await giveUpGrowths(
      database,
      gone.map((c) => c.metadata.uid!),
    );
  const bound = changed.filter((c) => c.status?.phase === 'Bound' && !c.metadata.deletionTimestamp);
  if (bound.length === 0) return [];
  const grown = await noteGrown(
    database,
    bound.map((c) => c.metadata.uid!),
    bound.map(capacityOf),
  );
  if (grown.length > 0) await announce(database, [{ topic: 'operations' }]);
  const asking = bound.filter((c) => bytesOf(c.spec?.resources?.requests?.storage) > capacityOf(c));
  return asking.length === 0
    ? []
    : beginGrowth(
        database,
        asking.map((c) => c.metadata.uid!),
      );
}

/** Begins the growth of those claims that ask for more than is reserved for them; gives the operations to look at. */
export async function beginGrowth(database: Database, claims: readonly string[]): Promise<string[]> {
  return (await beginGrowths(database, claims)).map((o) => o.id);
}
