import type { MooringRow, PlacementState } from '@moorage/contract/moorings';
import { fromManifest, type ClassManifest } from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { listClasses } from '../classes/classes';
import { announce } from '../live/announce';
import type { Sight } from '../people/sight';
import { record } from '../logbook/logbook';
import { livePools } from '../pools/pools';

const fields = 'class_name AS "className", pool_id AS pool, enabled, rank AS "order", weight, version';

export const listMoorings = (database: Database, className?: string): Promise<MooringRow[]> =>
  database.rows<MooringRow>(
    `SELECT ${fields} FROM moorings WHERE ($1::text IS NULL OR class_name = $1) ORDER BY class_name, rank, pool_id LIMIT 100000`,
    [className],
  );

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
    // moorings of one class change one after the other, so that orders stay whole
    await database.rows('SELECT pg_advisory_xact_lock(4414, hashtext($1))', [className]);
    const known = await database.one<{ body: ClassManifest }>(
      `SELECT body FROM platform_objects WHERE plural = 'storageclasses' AND name = $1`,
      [className],
    );
    if (!known) throw HttpProblem.notFound('class', className);
    const owner = await database.one<{ id: string; sites: string[] }>(
      'SELECT b.id, b.sites FROM pools p JOIN backends b ON b.id = p.backend_id WHERE p.id = $1',
      [pool],
    );
    if (!owner) throw HttpProblem.notFound('pool', pool);
    assertMayMoor(fromManifest(known.body).storageClass, { pool, sites: owner.sites }, site);
    const before = (await listMoorings(database, className)).find((m) => m.pool === pool);
    if (before && version !== undefined && version !== before.version)
      throw HttpProblem.changedMeanwhile('mooring', `${className} on ${pool}`);
    const after = await database.one<MooringRow>(
      `INSERT INTO moorings (class_name, pool_id, enabled, rank, weight)
       VALUES ($1, $2, $3, (SELECT coalesce(max(rank), 0) + 1 FROM moorings WHERE class_name = $1), $4)
       ON CONFLICT (class_name, pool_id) DO UPDATE SET enabled = $3, weight = $4, version = moorings.version + 1 RETURNING ${fields}`,
      [className, pool, change.enabled ?? before?.enabled ?? true, change.weight ?? before?.weight ?? 1],
    );
    const subject = `${className}/${pool}`;
    await record(database, { person, action: before ? 'change' : 'create', kind: 'mooring', subject, before, after });
    await announce(database, [{ topic: 'moorings', subject }]);
    return after!;
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
    await database.rows('SELECT pg_advisory_xact_lock(4414, hashtext($1))', [className]);
    const before = await listMoorings(database, className);
    const known = new Set(before.map((m) => m.pool));
    if (pools.length !== known.size || new Set(pools).size !== known.size || !pools.every((p) => known.has(p)))
      throw HttpProblem.changedMeanwhile('order of moorings for', className);
    await database.rows(
      `UPDATE moorings m SET rank = o.rank, version = version + 1 FROM unnest($2::text[]) WITH ORDINALITY AS o(pool, rank)
       WHERE m.class_name = $1 AND m.pool_id = o.pool AND m.rank <> o.rank`,
      [className, pools],
    );
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
  const [classes, pools, moorings, limits, usage, namespaces, grants, held] = await Promise.all([
    listClasses(database),
    livePools(database, 'all'),
    listMoorings(database),
    database.rows<{ namespace: string; className: string; bytes: number }>(
      'SELECT namespace, class_name AS "className", bytes FROM limits WHERE $1::text[] IS NULL OR namespace = ANY($1) LIMIT 100000',
      [sight.namespaces],
    ),
    database.rows<PlacementState['usage'][number]>(
      'SELECT namespace, class_name AS "className", sum(bytes)::bigint AS provisioned FROM reservations WHERE $1::text[] IS NULL OR namespace = ANY($1) GROUP BY 1, 2 LIMIT 100000',
      [sight.namespaces],
    ),
    database.rows<{ name: string }>(
      `SELECT name FROM platform_objects WHERE plural = 'namespaces' AND ($1::text[] IS NULL OR name = ANY($1)) ORDER BY name LIMIT 10000`,
      [sight.namespaces],
    ),
    database.rows<PlacementState['grants'][number]>(
      `SELECT a.class_name AS "className", coalesce(array_agg(g.namespace ORDER BY g.namespace) FILTER (WHERE g.namespace IS NOT NULL), '{}') AS namespaces
       FROM class_access a LEFT JOIN grants g ON g.class_name = a.class_name AND ($1::text[] IS NULL OR g.namespace = ANY($1))
       WHERE NOT a.open GROUP BY 1 LIMIT 2000`,
      [sight.namespaces],
    ),
    database.rows<PlacementState['held'][number]>(
      `SELECT class_name AS "className", pool_id AS pool, bytes, count(*) AS count, sum(iops_floor) AS floor
       FROM reservations WHERE state <> 'adrift' AND ($1::text[] IS NULL OR namespace = ANY($1)) GROUP BY 1, 2, 3 ORDER BY 1, 2, 3 LIMIT 100000`,
      [sight.namespaces],
    ),
  ]);
  return {
    site,
    classes: classes.map((c) => c.storageClass),
    classVersions: Object.fromEntries(classes.map((c) => [c.storageClass.name, c.version])),
    grants,
    held,
    defaultClass: classes.find((c) => c.isDefault)?.storageClass.name ?? null,
    pools: pools.map(({ path: _path, ...pool }) => pool),
    moorings,
    limits: limits.map((l) => ({ ...l, className: l.className === '' ? null : l.className })),
    usage,
    namespaces: namespaces.map((n) => n.name),
  };
}
