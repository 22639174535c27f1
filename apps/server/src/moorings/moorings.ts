import type { MooringRow } from '@moorage/contract/moorings';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import type { Database } from '../database/database';
import { lockMoorings } from '../database/locks.sql';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { findMirrored, storageClassOf } from '../mirror/mirrored';
import { Refusal } from '../refusals/refusal';
import { moorings, type Mooring } from './mooring-model';
import { orderPools, sitesOf } from './moorings.sql';

/** Moorings in order, of one class or of all. */
export async function listMoorings(database: Database, className?: string): Promise<MooringRow[]> {
  const rows = await moorings.in(database).findAll({
    raw: true,
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
  throw Refusal.invalid(
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
    if (!known) throw Refusal.notFound('class', className);
    const owner = await first(sitesOf(database, [pool]));
    if (!owner) throw Refusal.notFound('pool', pool);
    assertMayMoor(storageClassOf(known.body), { pool, sites: owner.sites }, site);
    const before = (await listMoorings(database, className)).find((m) => m.pool === pool);
    if (before && version !== undefined && version !== before.version)
      throw Refusal.changedMeanwhile('mooring', `${className} on ${pool}`);
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
      throw Refusal.changedMeanwhile('order of moorings for', className);
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
