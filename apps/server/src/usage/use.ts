import { mostColumns, type UseGrid, type useQuerySchema } from '@moorage/contract/usage';
import type { z } from 'zod';
import type { Database } from '../database/database';
import { lockUseDays } from '../database/locks.sql';
import { asRecords, first } from '../database/statement';
import { namesOf } from '../mirror/mirrored';
import type { Sight } from '../people/sight';
import { listPools } from '../pools/pools';
import { Refusal } from '../refusals/refusal';
import { keepSums, limitsAt, nameApplications, noteClock, podsAt, siteMoments, useAt, type UseCell } from './use.sql';

/** Cells read for one grid: what is more is refused, never left out. */
const mostCells = 400_000;
/** How long a day is over before its sums are kept. */
const dayOverMs = 60_000;

/** Keeps the sums at the beginning of each day that is over. */
export async function keepDays(database: Database, isOver: () => boolean = () => false): Promise<void> {
  for (let more = true; more && !isOver();)
    more = await database.transaction(async () => {
      await lockUseDays(database);
      return (await keepSums(database, dayOverMs)).length > 0;
    });
}

/** Lets what was be dated by the platform's own clock; gives whether that was news. */
export const followClock = async (database: Database, told: Date): Promise<boolean> =>
  (await noteClock(database, told)).length > 0;

/** Notes which application each claim is of, and which pod uses it (null: none now; `*`: several). */
export async function noteApplications(
  database: Database,
  claims: readonly { readonly claim_uid: string; readonly application: string; readonly pod: string | null }[],
): Promise<void> {
  if (claims.length > 0) await nameApplications(database, asRecords(claims));
}

const hourMs = 3_600_000;
/** How long each is kept, with some room: what is written is told by the finest of them. */
export const ageOf = (agoMs: number): keyof typeof useAt =>
  agoMs < 46 * hourMs ? 'recent' : agoMs < 13 * 24 * hourMs ? 'days' : agoMs < 115 * 24 * hourMs ? 'weeks' : 'long';

/** Places of the names in one list: where there are more than are told apart, those that use least share the last. */
function placesOf(
  cells: readonly UseCell[],
  more: readonly string[],
): { columns: string[]; place: ReadonlyMap<string, number>; merged: number } {
  const size = new Map<string, number>(more.map((name) => [name, 0]));
  for (const c of cells) size.set(c.column, (size.get(c.column) ?? 0) + c.footprint);
  const names = [...size.keys()].sort((a, b) => size.get(b)! - size.get(a)! || (a < b ? -1 : 1));
  const merged = names.length > mostColumns ? names.length - mostColumns + 1 : 0;
  const shown = names.slice(0, names.length - merged).sort();
  const place = new Map(shown.map((name, i) => [name, i]));
  for (const name of names.slice(names.length - merged)) place.set(name, shown.length);
  return { columns: merged > 0 ? [...shown, ''] : shown, place, merged };
}

const figures = ['claims', 'unbound', 'requested', 'provisioned', 'footprint', 'milli_iops'] as const;

/** The cells by the places of their columns: those that share one are added up. */
function together(cells: readonly UseCell[], place: ReadonlyMap<string, number>): (UseCell & { at: number })[] {
  const found = new Map<string, UseCell & { at: number }>();
  for (const cell of cells) {
    const at = place.get(cell.column)!;
    const known = found.get(`${at}/${cell.row}`);
    if (known) {
      for (const f of figures) known[f] += cell[f];
      for (const f of ['written', 'micros'] as const)
        known[f] = known[f] === null || cell[f] === null ? null : known[f] + cell[f];
    } else found.set(`${at}/${cell.row}`, { ...cell, at });
  }
  return [...found.values()];
}

/** The moment that is asked for, beside the site's time now and the first moment that anything is known of. */
export async function momentOf(
  database: Database,
  asked: string | undefined,
): Promise<{ at: Date; now: Date; since: Date | null }> {
  const { now, first: since } = (await first(siteMoments(database)))!;
  const at = asked === undefined ? now : new Date(asked);
  if (at > now)
    throw Refusal.invalid(
      'at',
      `${at.toISOString()} is yet to come: what is used can be told up to ${now.toISOString()}.`,
    );
  return { at, now, since };
}

/** What is used by rows and columns at a moment, as far as a person sees it. */
export async function getUse(
  database: Database,
  sight: Sight,
  { rows: by, columns: of, at: asked, namespace }: z.infer<typeof useQuerySchema>,
  currency: string,
): Promise<UseGrid> {
  const { at, now, since } = await momentOf(database, asked);
  const isPast = asked !== undefined;
  const tiers = of === 'tier' ? Object.fromEntries((await listPools(database)).map((p) => [p.id, p.tier])) : {};
  const age = ageOf(now.getTime() - at.getTime());
  // of all namespaces there may be as many pods as claims
  if (of === 'pod' && (by !== 'namespace' || namespace === undefined))
    throw Refusal.invalid('namespace', 'What pods use is told of one namespace at a time: name it.');
  const names = namespace === undefined ? sight.namespaces : sight.sees(namespace) ? [namespace] : [];
  const cells =
    of === 'pod'
      ? await podsAt[age](database, at, names!, mostCells + 1)
      : await useAt[age](database, at, names, by, of, JSON.stringify(tiers), mostCells + 1);
  if (cells.length > mostCells)
    throw Refusal.invalid('columns', `More than ${mostCells} cells by ${of}: ask by class or pool, or for a team.`);
  const known = isPast || by === 'team' ? [] : await namesOf(database, 'namespaces', names);
  const limits = by === 'namespace' ? await limitsAt(database, at, names) : [];
  const rows = [...new Set([...known, ...cells.map((c) => c.row), ...limits.map((l) => l.namespace)])].sort();
  const rowAt = new Map(rows.map((name, i) => [name, i]));
  const classes = of === 'class' ? limits.flatMap((l) => l.class_name || []) : [];
  const { columns, place, merged } = placesOf(cells, classes);
  const shown = merged > 0 ? together(cells, place) : cells.map((c) => ({ ...c, at: place.get(c.column)! }));
  return {
    at: at.toISOString(),
    isPast,
    since: since?.toISOString() ?? null,
    currency,
    rows,
    columns,
    merged,
    cells: {
      row: shown.map((c) => rowAt.get(c.row)!),
      column: shown.map((c) => c.at),
      claims: shown.map((c) => c.claims),
      unbound: shown.map((c) => c.unbound),
      requested: shown.map((c) => c.requested),
      provisioned: shown.map((c) => c.provisioned),
      footprint: shown.map((c) => c.footprint),
      written: shown.map((c) => c.written),
      iops: shown.map((c) => c.milli_iops / 1000),
      price: shown.map((c) => c.micros),
    },
    limits: limits.flatMap((l) => {
      const column = l.class_name === '' ? null : place.get(l.class_name);
      if (column === undefined || (column !== null && of !== 'class')) return [];
      return [{ row: rowAt.get(l.namespace)!, column, bytes: l.bytes }];
    }),
  };
}
