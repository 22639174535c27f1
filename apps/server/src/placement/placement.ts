import type { PlacementState } from '@moorage/contract/moorings';
import { listClasses } from '../classes/listing';
import type { Database } from '../database/database';
import { namesOf } from '../mirror/mirrored';
import { listMoorings } from '../moorings/moorings';
import { limits } from '../namespaces/limit-model';
import type { Sight } from '../people/sight';
import { livePools } from '../pools/pools';
import { closedClasses, countedOf, heldOnPools, usageOf } from './placement.sql';

/** All that a decision looks at, in one answer, for the browser to try claims on. */
export async function placementState(database: Database, site: string, sight: Sight): Promise<PlacementState> {
  // one after the other: it may be asked inside a transaction, which has one connection
  const classes = await listClasses(database);
  const pools = await livePools(database, 'all');
  const moored = await listMoorings(database);
  const where = sight.where('namespace');
  const limited = await limits.in(database).findAll({ raw: true, where, limit: 100_000 });
  const counts = await countedOf(database, sight.namespaces);
  const usage = await usageOf(database, sight.namespaces);
  const namespaces = await namesOf(database, 'namespaces', sight.namespaces);
  const grants = await closedClasses(database, sight.namespaces);
  const held = await heldOnPools(database, sight.namespaces);
  return {
    site,
    classes: classes.map((c) => c.storageClass),
    classVersions: Object.fromEntries(classes.map((c) => [c.storageClass.name, c.version])),
    grants,
    held,
    defaultClass: classes.find((c) => c.isDefault)?.storageClass.name ?? null,
    pools: pools.map(({ path: _path, ...pool }) => pool),
    moorings: moored,
    limits: limited.map(({ namespace, className, bytes }) => ({ namespace, className: className || null, bytes })),
    counts,
    usage,
    namespaces,
  };
}
