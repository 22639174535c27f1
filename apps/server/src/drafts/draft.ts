import type { Applied, Conflict, DraftedChange } from '@moorage/contract/moorings';
import { filled, planClassDrafts, type StandingClass } from '@moorage/core/classes/class-steps';
import { carriedOver, quarrels } from '@moorage/core/classes/succession';
import type { Acts, ActRoom, PlannedAct } from '../acts/acts';
import { actKind } from '../acts/kind';
import { ActStopped } from '../acts/problem';
import { classTurn, defaultTurn, standing } from '../classes/acts';
import { findDefaults, listClasses } from '../classes/listing';
import { planChange } from '../classes/plan';
import { assertClass } from '../classes/settings';
import type { Database } from '../database/database';
import { lockMoorings } from '../database/locks.sql';
import type { Change } from '../logbook/change';
import { record } from '../logbook/logbook';
import { logbook } from '../logbook/logbook-model';
import { isMirrored, listMirrored, storageClassOf } from '../mirror/mirrored';
import { assertMayMoor, keepMooring, listMoorings } from '../moorings/moorings';
import { orderPools, sitesOf } from '../moorings/moorings.sql';
import { Refusal } from '../refusals/refusal';

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** Whoever changed a thing last, from the logbook. */
async function lastHand(
  database: Database,
  kind: Change['kind'],
  subject: string,
): Promise<Pick<Conflict, 'person' | 'at'>> {
  const row = await logbook.in(database).findOne({ where: { kind, subject }, order: [['id', 'DESC']] });
  return { person: row?.person ?? null, at: row?.at.toISOString() ?? null };
}

/** What stands against one change: what is there now, when it is not what the draft saw. */
async function conflictOf(database: Database, change: DraftedChange): Promise<Omit<Conflict, 'index'> | undefined> {
  switch (change.kind) {
    case 'mooring': {
      const now = (await listMoorings(database, change.className)).find((m) => m.pool === change.pool);
      if ((now?.version ?? null) === change.seen) return undefined;
      // the other person did the very same: there is nothing to quarrel about
      if (now && now.enabled === change.enabled && now.weight === change.weight) return undefined;
      const hand = await lastHand(database, 'mooring', `${change.className}/${change.pool}`);
      return { now: now ? { enabled: now.enabled, weight: now.weight, version: now.version } : null, ...hand };
    }
    case 'order': {
      const now = (await listMoorings(database, change.className)).map((m) => m.pool);
      // pools that this very draft moors are not there yet
      if (same(now, change.seen) || same(now, change.pools)) return undefined;
      return { now, ...(await lastHand(database, 'mooring', change.className)) };
    }
    case 'default': {
      const now = (await findDefaults(database))[0] ?? null;
      if (now === change.seen || now === change.className) return undefined;
      return { now, ...(await lastHand(database, 'class', now ?? '')) };
    }
    case 'class': {
      if (!(await isMirrored(database, 'storageclasses', change.storageClass.name))) return undefined;
      return { now: change.storageClass.name, ...(await lastHand(database, 'class', change.storageClass.name)) };
    }
    case 'class-change': {
      const { name } = change.storageClass;
      const [now] = await listClasses(database, name);
      // what others changed in other settings is no quarrel: both are kept
      if (now && quarrels(filled(change.was), filled(change.storageClass), now.storageClass).length === 0)
        return undefined;
      const told = now ? { version: now.version, storageClass: now.storageClass } : null;
      return { now: told, ...(await lastHand(database, 'class', name)) };
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
    sitesOf(
      database,
      moorings.map((m) => m.pool),
    ),
    listMirrored(database, 'storageclasses', changes.filter((c) => c.kind !== 'class').map(classOf)),
  ]);
  // a changed class that is gone is told as what somebody did to it, beside the change
  for (const change of changes)
    if (change.kind !== 'class' && change.kind !== 'class-change')
      if (!made.has(change.className) && !classes.some((c) => c.name === change.className))
        throw Refusal.notFound('class', change.className);
  const drafted = new Map(
    changes.flatMap((c) =>
      c.kind === 'class' || c.kind === 'class-change' ? [[c.storageClass.name, c.storageClass] as const] : [],
    ),
  );
  for (const { pool, className } of moorings) {
    const known = pools.find((p) => p.id === pool);
    if (!known) throw Refusal.notFound('pool', pool);
    const there = classes.find((c) => c.name === className);
    const cls = drafted.get(className) ?? (there && storageClassOf(there.body));
    if (cls) assertMayMoor(cls, { pool, sites: known.sites }, site);
  }
}

const classOf = (change: DraftedChange): string =>
  change.kind === 'class' || change.kind === 'class-change' ? change.storageClass.name : change.className;
type OfClass = Extract<DraftedChange, { kind: 'class' | 'class-change' | 'default' }>;
type OfMooring = Extract<DraftedChange, { kind: 'mooring' | 'order' }>;
const isOfMooring = (change: DraftedChange): change is OfMooring =>
  change.kind === 'mooring' || change.kind === 'order';
const isOfClass = (change: DraftedChange): change is OfClass => !isOfMooring(change);

async function conflictsOf(database: Database, changes: readonly DraftedChange[]): Promise<Conflict[]> {
  const conflicts: Conflict[] = [];
  for (const [index, change] of changes.entries()) {
    const conflict = await conflictOf(database, change);
    if (conflict) conflicts.push({ index, ...conflict });
  }
  return conflicts;
}

interface Inside {
  readonly changes: readonly DraftedChange[];
}

/** Drafts as acts: the classes on the platform first, then all moorings and the logbook at once. */
export const applying = (database: Database): ActRoom<Inside, Applied> => ({
  kind: actKind('draft', 'Applying a draft'),
  write: async ({ person, inside: { changes } }) => {
    for (const name of [...new Set(changes.map(classOf))].sort()) await lockMoorings(database, name);
    const late: Conflict[] = [];
    for (const [index, change] of changes.entries()) {
      const conflict = isOfMooring(change) ? await conflictOf(database, change) : undefined;
      if (conflict) late.push({ index, ...conflict });
    }
    // somebody's change came between looking and writing
    if (late.length > 0) throw new ActStopped(late);
    // an order names pools that this very draft moors
    for (const change of changes) if (change.kind === 'mooring') await moor(database, change, person);
    for (const change of changes) if (change.kind === 'order') await order(database, change, person);
    return { applied: changes.length, conflicts: [] };
  },
  tells: ({ changes }) =>
    changes.map(classOf).flatMap((subject) => [
      { topic: 'moorings' as const, subject },
      { topic: 'classes' as const, subject },
    ]),
});

/**
 * Applies a draft as a whole. When anything in it stands against what somebody else did since the draft was begun, nothing is
 * applied and every such place is told; what others changed elsewhere stays as they made it.
 *
 * What stands against it is looked for first; then the platform is asked for what the draft wants of it, without a lock or a
 * transaction held; last, everything of ours and the whole logbook is written in one transaction. When that fails, or somebody
 * came between, what the platform did is taken back.
 */
export async function applyDraft(
  database: Database,
  acts: Acts,
  site: string,
  changes: readonly DraftedChange[],
  person: string,
): Promise<Applied> {
  const made = new Set(changes.flatMap((c) => (c.kind === 'class' ? [c.storageClass.name] : [])));
  await assertReachable(database, site, changes, made);
  const names = [...new Set(changes.map(classOf))].sort();
  const marks = changes.some((c) => c.kind === 'default' || (c.kind === 'class' && c.storageClass.isDefault));
  const things = [...names.map(classTurn), ...(marks ? [defaultTurn] : [])];
  let conflicts: Conflict[] = [];
  try {
    const applied = await acts.inTurn(applying(database), things, person, async () => {
      conflicts = await database.transaction(() => conflictsOf(database, changes));
      if (conflicts.length > 0) return undefined;
      await assertOrders(database, changes);
      return planDraft(database, changes, names);
    });
    return applied ?? { applied: 0, conflicts };
  } catch (error) {
    if (error instanceof ActStopped) return { applied: 0, conflicts: error.data as Conflict[] };
    throw error;
  }
}

/** What the draft asks of the platform. What the platform would refuse anyway refuses the draft before it is asked. */
async function planDraft(
  database: Database,
  changes: readonly DraftedChange[],
  names: readonly string[],
): Promise<PlannedAct<Inside>> {
  const ofClasses = changes.filter(isOfClass);
  const classes = new Map<string, StandingClass>();
  for (const change of ofClasses) {
    if (change.kind === 'class') assertClass(filled(change.storageClass));
    if (change.kind !== 'class-change') continue;
    const { name } = change.storageClass;
    const [now] = await listClasses(database, name);
    if (!now) throw Refusal.notFound('class', name);
    // the default is a change of its own
    const meant = { ...carriedOver(change.was, change.storageClass, now.storageClass), isDefault: now.isDefault };
    const { row } = await planChange(database, name, undefined, meant);
    classes.set(name, standing(row));
  }
  const { steps, entries } = planClassDrafts(ofClasses, classes, await findDefaults(database));
  return {
    about: names.length > 3 ? `${names.slice(0, 2).join(', ')} and ${names.length - 2} more classes` : names.join(', '),
    steps: steps.map((step) => ({ step })),
    inside: { changes },
    entries,
  };
}

/** An order must name the pools that will be moored when the draft is applied; refused before the platform is asked. */
async function assertOrders(database: Database, changes: readonly DraftedChange[]): Promise<void> {
  for (const { className, pools } of changes.filter((c) => c.kind === 'order')) {
    const now = (await listMoorings(database, className)).map((m) => m.pool);
    const drafted = changes.flatMap((c) => (c.kind === 'mooring' && c.className === className ? [c.pool] : []));
    assertNamesAll(className, pools, [...new Set([...now, ...drafted])]);
  }
}

function assertNamesAll(className: string, pools: readonly string[], moored: readonly string[]): void {
  if (!same([...moored].sort(), [...pools].sort()))
    throw Refusal.invalid(
      'pools',
      `The order of ${className} must name exactly its moored pools: ${moored.join(', ')}.`,
    );
}

async function moor(
  database: Database,
  change: Extract<DraftedChange, { kind: 'mooring' }>,
  person: string,
): Promise<void> {
  const { className, pool, enabled, weight } = change;
  const before = (await listMoorings(database, className)).find((m) => m.pool === pool);
  await keepMooring(database, change, { enabled, weight });
  const subject = `${className}/${pool}`;
  const action = before ? 'change' : 'create';
  await record(database, { person, action, kind: 'mooring', subject, before, after: { enabled, weight } });
}

async function order(
  database: Database,
  { className, pools }: Extract<DraftedChange, { kind: 'order' }>,
  person: string,
): Promise<void> {
  const before = (await listMoorings(database, className)).map((m) => m.pool);
  assertNamesAll(className, pools, before);
  await orderPools(database, className, pools);
  await record(database, { person, action: 'reorder', kind: 'mooring', subject: className, before, after: pools });
}
