import type { MooringRow, PlacementState } from '@moorage/contract/moorings';
import { fromManifest, type ClassManifest } from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { listClasses } from '../classes/classes';
import type { Database } from '../database/database';
import { lockMoorings } from '../database/locks.sql';
import { first } from '../database/statement';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { limits } from '../namespaces/limit-model';
import type { Sight } from '../people/sight';
import { findMirrored, listMirrored } from '../platform/mirrored';
import { livePools } from '../pools/pools';
import { moorings, type Mooring } from './mooring-model';
import { closedClasses, heldOnPools, orderPools, sitesOf, usageOf } from './moorings.sql';

/** Moorings in order, of one class or of all. */
export async function listMoorings(database: Database, className?: string): Promise<MooringRow[]> {
  const rows = await moorings.in(database).findAll({
    ...(className !== undefined && { where: { className } }),
    order: ['className', 'rank', 'poolId'],
    limit: 100_000,
  });
  return rows.map(toRow);
}

const toRow = (m: Mooring): MooringRow => ({
  className: m.className,
  pool: m.poolId,
  enabled: m.enabled,
  order: m.rank,
  weight: m.weight,
  version: m.version,
});

/** Makes a mooring, the last in the order of its class, or changes the one that is there. The class's moorings must be locked. */
export async function keepMooring(
  database: Database,
  at: { className: string; pool: string },
  wanted: { enabled: boolean; weight: number },
): Promise<MooringRow> {
  const { className, pool: poolId } = at;
  const table = moorings.in(database);
  const before = await table.findOne({ where: { className, poolId } });
  if (before) return toRow(await before.update({ ...wanted, version: before.version + 1 }));
  const last = (await table.max<number | null, Mooring>('rank', { where: { className } })) ?? 0;
  return toRow(await table.create({ className, poolId, rank: last + 1, ...wanted }));
}

/** A pool of another site takes the off-site copies of a class that keeps them, and nothing else. */
export function assertMayMoor(
  cls: Pick<StorageClass, 'name' | 'offsite'>,
  at: { readonly pool: string; readonly sites: readonly string[] },
  site: string,
): void {
  if (at.sites.length === 0 || at.sites.includes(site) || cls.offsite) return;
  throw HttpProblem.invalid(
    'pool',
    `${at.pool} is reached from ${at.sites.join(', ')} and not from ${site}, and ${cls.name} keeps no copy at another site. Choose a pool that this site reaches.`,
  );
}

/** Makes a mooring, last in order, or changes one that nobody changed since `version`. */
export async function setMooring(
  database: Database,
  site: string,
  at: { className: string; pool: string },
  version: number | undefined,
  change: { enabled?: boolean; weight?: number },
  person: string,
): Promise<MooringRow> {
  const { className, pool } = at;
  return database.transaction(async () => {
    await lockMoorings(database, className);
    const known = await findMirrored(database, 'storageclasses', className);
    if (!known) throw HttpProblem.notFound('class', className);
    const owner = await first(sitesOf(database, [pool]));
    if (!owner) throw HttpProblem.notFound('pool', pool);
    assertMayMoor(
      fromManifest(known.body as unknown as ClassManifest).storageClass,
      { pool, sites: owner.sites },
      site,
    );
    const before = (await listMoorings(database, className)).find((m) => m.pool === pool);
    if (before && version !== undefined && version !== before.version)
      throw HttpProblem.changedMeanwhile('mooring', `${className} on ${pool}`);
    const after = await keepMooring(database, at, {
      enabled: change.enabled ?? before?.enabled ?? true,
      weight: change.weight ?? before?.weight ?? 1,
    });
    const subject = `${className}/${pool}`;
    await record(database, { person, action: before ? 'change' : 'create', kind: 'mooring', subject, before, after });
    await announce(database, [{ topic: 'moorings', subject }]);
    return after;
  });
}

/** Puts the pools of a class in order. The list must name exactly the pools that are moored now. */
export async function orderMoorings(
  database: Database,
  className: string,
  pools: readonly string[],
  person: string,
): Promise<MooringRow[]> {
  return database.transaction(async () => {
    await lockMoorings(database, className);
    const before = await listMoorings(database, className);
    const known = new Set(before.map((m) => m.pool));
    if (pools.length !== known.size || new Set(pools).size !== known.size || !pools.every((p) => known.has(p)))
      throw HttpProblem.changedMeanwhile('order of moorings for', className);
    await orderPools(database, className, pools);
    await record(database, {
      person,
      action: 'reorder',
      kind: 'mooring',
      subject: className,
      before: before.map((m) => m.pool),
      after: pools,
    });
    await announce(database, [{ topic: 'moorings', subject: className }]);
    return listMoorings(database, className);
  });
}

/** All that a decision looks at, in one answer, for the browser to try claims on. */
export async function placementState(database: Database, site: string, sight: Sight): Promise<PlacementState> {
  const [classes, pools, moored, limited, usage, namespaces, grants, held] = await Promise.all([
    listClasses(database),
    livePools(database, 'all'),
    listMoorings(database),
    limits.in(database).findAll({ where: sight.where('namespace'), limit: 100_000 }),
    usageOf(database, sight.namespaces),
    listMirrored(database, 'namespaces', sight.namespaces),
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
    namespaces: namespaces.map((n) => n.name),
  };
}
