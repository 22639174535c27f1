import type { NewClass } from '@moorage/contract/classes';
import type { Applied, Conflict, DraftedChange } from '@moorage/contract/moorings';
import { changeClass, planChange } from '../classes/change';
import { createClass, filled, findDefaults, listClasses, makeDefault } from '../classes/classes';
import { carriedOver, quarrels } from '@moorage/core/classes/succession';
import { fromManifest, type ClassManifest } from '@moorage/core/classes/manifest';
import type { Database, Transaction } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import type { PlatformConnector } from '../platform/connector';
import { assertMayMoor, listMoorings } from './moorings';

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** Whoever changed a thing last, from the logbook. */
async function lastHand(
  database: Database,
  kind: string,
  subject: string,
  tx: Transaction,
): Promise<Pick<Conflict, 'person' | 'at'>> {
  const row = await database.one<{ person: string; at: Date }>(
    'SELECT person, at FROM logbook WHERE kind = $1 AND subject = $2 ORDER BY id DESC LIMIT 1',
    [kind, subject],
    tx,
  );
  return { person: row?.person ?? null, at: row?.at.toISOString() ?? null };
}

/** What stands against one change: what is there now, when it is not what the draft saw. */
async function conflictOf(
  database: Database,
  change: DraftedChange,
  tx: Transaction,
): Promise<Omit<Conflict, 'index'> | undefined> {
  switch (change.kind) {
    case 'mooring': {
      const now = (await listMoorings(database, change.className, tx)).find((m) => m.pool === change.pool);
      if ((now?.version ?? null) === change.seen) return undefined;
      // the other person did the very same: there is nothing to quarrel about
      if (now && now.enabled === change.enabled && now.weight === change.weight) return undefined;
      const hand = await lastHand(database, 'mooring', `${change.className}/${change.pool}`, tx);
      return { now: now ? { enabled: now.enabled, weight: now.weight, version: now.version } : null, ...hand };
    }
    case 'order': {
      const now = (await listMoorings(database, change.className, tx)).map((m) => m.pool);
      // pools that this very draft moors are not there yet
      if (same(now, change.seen) || same(now, change.pools)) return undefined;
      return { now, ...(await lastHand(database, 'mooring', change.className, tx)) };
    }
    case 'default': {
      const now = (await findDefaults(database))[0] ?? null;
      if (now === change.seen || now === change.className) return undefined;
      return { now, ...(await lastHand(database, 'class', now ?? '', tx)) };
    }
    case 'class': {
      const now = await database.one(
        `SELECT 1 FROM platform_objects WHERE plural = 'storageclasses' AND name = $1`,
        [change.storageClass.name],
        tx,
      );
      if (!now) return undefined;
      return { now: change.storageClass.name, ...(await lastHand(database, 'class', change.storageClass.name, tx)) };
    }
    case 'class-change': {
      const { name } = change.storageClass;
      const [now] = await listClasses(database, name);
      // what others changed in other settings is no quarrel: both are kept
      if (now && quarrels(filled(change.was), filled(change.storageClass), now.storageClass).length === 0)
        return undefined;
      const told = now ? { version: now.version, storageClass: now.storageClass } : null;
      return { now: told, ...(await lastHand(database, 'class', name, tx)) };
    }
  }
}

async function assertReachable(
  database: Database,
  site: string,
  changes: readonly DraftedChange[],
  made: ReadonlySet<string>,
): Promise<void> {
  const moorings = changes.filter((c) => c.kind === 'mooring');
  const [pools, classes] = await Promise.all([
    database.rows<{ id: string; sites: string[] }>(
      'SELECT p.id, b.sites FROM pools p JOIN backends b ON b.id = p.backend_id WHERE p.id = ANY($1)',
      [moorings.map((m) => m.pool)],
    ),
    database.rows<{ name: string; body: ClassManifest }>(
      `SELECT name, body FROM platform_objects WHERE plural = 'storageclasses' AND name = ANY($1)`,
      [changes.filter((c) => c.kind !== 'class').map(classOf)],
    ),
  ]);
  // a changed class that is gone is told as what somebody did to it, beside the change
  for (const change of changes)
    if (change.kind !== 'class' && change.kind !== 'class-change')
      if (!made.has(change.className) && !classes.some((c) => c.name === change.className))
        throw HttpProblem.notFound('class', change.className);
  const drafted = new Map(
    changes.flatMap((c) =>
      c.kind === 'class' || c.kind === 'class-change' ? [[c.storageClass.name, c.storageClass] as const] : [],
    ),
  );
  for (const { pool, className } of moorings) {
    const known = pools.find((p) => p.id === pool);
    if (!known) throw HttpProblem.notFound('pool', pool);
    const there = classes.find((c) => c.name === className);
    const cls = drafted.get(className) ?? (there && fromManifest(there.body).storageClass);
    if (cls) assertMayMoor(cls, { pool, sites: known.sites }, site);
  }
}

/**
 * Moorings, then the orders of them, then what the platform is asked for: that cannot be rolled back with the transaction, so
 * as little as possible comes after it. All in the order of the classes' names, so that locks never cross.
 */
const rank = { mooring: 0, order: 1, class: 2, 'class-change': 3, default: 4 } as const;
const classOf = (change: DraftedChange): string =>
  change.kind === 'class' || change.kind === 'class-change' ? change.storageClass.name : change.className;

/**
 * Applies a draft as a whole. When anything in it stands against what somebody else did since the draft was begun, nothing is
 * applied and every such place is told; what others changed elsewhere stays as they made it.
 */
export async function applyDraft(
  database: Database,
  platform: PlatformConnector,
  site: string,
  changes: readonly DraftedChange[],
  person: string,
): Promise<Applied> {
  const made = new Set(changes.flatMap((c) => (c.kind === 'class' ? [c.storageClass.name] : [])));
  await assertReachable(database, site, changes, made);
  const undos: { what: string; undo: () => Promise<void> }[] = [];
  const names = [...new Set(changes.map(classOf))].sort();
  try {
    return await database.transaction(async (tx) => {
      for (const name of names) await database.rows('SELECT pg_advisory_xact_lock(4414, hashtext($1))', [name], tx);
      const conflicts: Conflict[] = [];
      for (const [index, change] of changes.entries()) {
        const conflict = await conflictOf(database, change, tx);
        if (conflict) conflicts.push({ index, ...conflict });
      }
      if (conflicts.length > 0) return { applied: 0, conflicts };
      // what the platform would refuse anyway refuses the draft before it is asked
      for (const change of changes)
        if (change.kind === 'class-change')
          await planChange(database, change.storageClass.name, undefined, await meant(database, change));
      for (const change of [...changes].sort((a, b) => rank[a.kind] - rank[b.kind]))
        if (change.kind === 'mooring') await moor(database, change, person, tx);
        else if (change.kind === 'order') await order(database, change, person, tx);
        else {
          const undo = await onPlatform(database, platform, change, person);
          undos.unshift({ what: classOf(change), undo });
        }
      await announce(database, [{ topic: 'moorings' }, { topic: 'classes', subject: 'draft' }], tx);
      return { applied: changes.length, conflicts: [] };
    });
  } catch (error) {
    // all or nothing; what cannot be taken back is told, with what was wrong in the first place
    const stuck: string[] = [];
    for (const { what, undo } of undos) await undo().catch(() => stuck.push(what));
    if (stuck.length === 0) throw error;
    throw new HttpProblem(
      502,
      'half-applied',
      'Applied in part',
      `The draft failed (${(error as Error).message}), and what was done to ${stuck.join(', ')} on the platform could not be taken back. Look at ${stuck.length === 1 ? 'that class' : 'those classes'}; moorings are as they were.`,
    );
  }
}

/** The class as the draft means it, with what others changed in it meanwhile. */
async function meant(
  database: Database,
  { storageClass, was }: Extract<DraftedChange, { kind: 'class-change' }>,
): Promise<NewClass> {
  const [now] = await listClasses(database, storageClass.name);
  if (!now) throw HttpProblem.notFound('class', storageClass.name);
  // the default is a change of its own
  return { ...carriedOver(was, storageClass, now.storageClass), isDefault: now.isDefault };
}

/** Makes one change on the platform; gives the way back. */
async function onPlatform(
  database: Database,
  platform: PlatformConnector,
  change: Extract<DraftedChange, { kind: 'class' | 'class-change' | 'default' }>,
  person: string,
): Promise<() => Promise<void>> {
  if (change.kind === 'class-change') {
    const { name } = change.storageClass;
    return (await changeClass(database, platform, name, undefined, await meant(database, change), person)).undo;
  }
  if (change.kind === 'default') {
    const [before] = await findDefaults(database);
    await makeDefault(database, platform, change.className, person);
    return () =>
      before === undefined
        ? Promise.reject(new Error('there was no default class before'))
        : makeDefault(database, platform, before, person);
  }
  const { name } = change.storageClass;
  await createClass(database, platform, change.storageClass, person);
  return async () => {
    await platform.ensureDeleted('storage.k8s.io/v1', 'StorageClass', name);
    await database.rows(`DELETE FROM platform_objects WHERE plural = 'storageclasses' AND name = $1`, [name]);
  };
}

async function moor(
  database: Database,
  change: Extract<DraftedChange, { kind: 'mooring' }>,
  person: string,
  tx: Transaction,
): Promise<void> {
  const { className, pool, enabled, weight } = change;
  const before = (await listMoorings(database, className, tx)).find((m) => m.pool === pool);
  await database.rows(
    `INSERT INTO moorings (class_name, pool_id, enabled, rank, weight)
     VALUES ($1, $2, $3, (SELECT coalesce(max(rank), 0) + 1 FROM moorings WHERE class_name = $1), $4)
     ON CONFLICT (class_name, pool_id) DO UPDATE SET enabled = $3, weight = $4, version = moorings.version + 1`,
    [className, pool, enabled, weight],
    tx,
  );
  const subject = `${className}/${pool}`;
  const action = before ? 'change' : 'create';
  await record(database, { person, action, kind: 'mooring', subject, before, after: { enabled, weight } }, tx);
}

async function order(
  database: Database,
  { className, pools }: Extract<DraftedChange, { kind: 'order' }>,
  person: string,
  tx: Transaction,
): Promise<void> {
  const before = (await listMoorings(database, className, tx)).map((m) => m.pool);
  if (!same([...before].sort(), [...pools].sort()))
    throw HttpProblem.invalid(
      'pools',
      `The order of ${className} must name exactly its moored pools: ${before.join(', ')}.`,
    );
  await database.rows(
    `UPDATE moorings m SET rank = o.rank, version = version + 1 FROM unnest($2::text[]) WITH ORDINALITY AS o(pool, rank)
     WHERE m.class_name = $1 AND m.pool_id = o.pool AND m.rank <> o.rank`,
    [className, pools],
    tx,
  );
  await record(database, { person, action: 'reorder', kind: 'mooring', subject: className, before, after: pools }, tx);
}
