import type { PlacementState } from '@moorage/contract/moorings';
import { listClasses } from '../classes/listing';
import type { Database } from '../database/database';
import { namesOf } from '../mirror/mirrored';
import { listMoorings } from '../moorings/moorings';
import { limits } from '../namespaces/limit-model';
import type { Sight } from '../people/sight';
import { livePools } from '../pools/pools';
import { closedClasses, heldOnPools, usageOf } from './placement.sql';

/** All that a decision looks at, in one answer, for the browser to try claims on. */
export async function placementState(database: Database, site: string, sight: Sight): Promise<PlacementState> {
  const [classes, pools, moored, limited, usage, namespaces, grants, held] = await Promise.all([
    listClasses(database),
    livePools(database, 'all'),
    listMoorings(database),
    limits.in(database).findAll({ raw: true, where: sight.where('namespace'), limit: 100_000 }),
    usageOf(database, sight.namespaces),
    namesOf(database, 'namespaces', sight.namespaces),
    closedClasses(database, sight.namespaces),
    heldOnPools(database, sight.namespaces),
  ]);
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
    usage,
    namespaces,
  };
}
