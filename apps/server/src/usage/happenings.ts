import type { History } from '@moorage/contract/history';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { pools } from '../pools/pool-model';
import { changesBetween, failuresBetween, touchedBy, type ChangedRow } from './happenings.sql';

type Event = History['events'][number];
type Setting = Event['changes'][number];

/** What an event does not say. */
export const blank = {
  namespace: '',
  from: null,
  to: null,
  fromPool: null,
  toPool: null,
  backend: null,
  until: null,
  changes: [],
};

const textOf = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value));

/** Settings by name, those of parts by the part's name before a dot. */
function settings(of: Record<string, unknown>): Map<string, string> {
  const found = new Map<string, string>();
  for (const [name, value] of Object.entries(of))
    if (value !== null && typeof value === 'object' && !Array.isArray(value))
      for (const [part, inner] of settings(value as Record<string, unknown>)) found.set(`${name}.${part}`, inner);
    else found.set(name, textOf(value));
  return found;
}

/** What differs between two of them, by name. */
export function differences(was: Record<string, unknown>, is: Record<string, unknown>): Setting[] {
  const [before, after] = [settings(was), settings(is)];
  return [...new Set([...before.keys(), ...after.keys()])]
    .filter((name) => before.get(name) !== after.get(name))
    .sort()
    .map((name) => ({ name, from: before.get(name) ?? null, to: after.get(name) ?? null }));
}

function changeOf({ kind, name, at, was, is }: ChangedRow): Event {
  const changes = was && is ? differences(was, is) : [];
  const told = { ...blank, at: at.getTime(), changes };
  if (kind === 'class') return { ...told, kind: 'class', subject: name };
  const slash = name.indexOf('/');
  const pool = name.slice(slash + 1);
  return {
    ...{ ...told, kind: 'mooring', subject: name.slice(0, slash) },
    ...{ fromPool: was ? pool : null, toPool: is ? pool : null },
  };
}

/** Pools and classes that the subject of a history has to do with; nothing: all there are. */
async function touched(database: Database, kind: string, name: string, claim: string | null) {
  if (kind === 'site') return [null, null] as const;
  if (kind === 'pool') return [[name], null] as const;
  if (kind === 'backend') {
    const known = await pools.in(database).findAll({ attributes: ['id'], where: { backendId: name }, limit: 10_000 });
    return [known.map((p) => p.id), null] as const;
  }
  const found = (await first(touchedBy(database, kind, name, claim)))!;
  // a class that nobody uses has been changed all the same
  return [found.pools, kind === 'class' ? [name] : found.classes] as const;
}

/** What failed and what was changed of classes between two moments, as far as it concerns the subject of a history: the first of each, and how many are left out. */
export async function happenedTo(
  database: Database,
  { kind, name, claim }: { readonly kind: string; readonly name: string; readonly claim: string | null },
  [from, to]: readonly [Date, Date],
  most: number,
): Promise<{ events: Event[]; more: number }> {
  const [ofPools, ofClasses] = await touched(database, kind, name, claim);
  const [failed, changed] = await Promise.all([
    failuresBetween(database, from, to, ofPools, most),
    changesBetween(database, from, to, ofPools, ofClasses, most),
  ]);
  const more = [failed, changed].reduce((sum, rows) => sum + (rows[0]?.total ?? 0) - rows.length, 0);
  const events = [
    ...failed.map(({ fact, from_at, until_at }): Event => ({
      ...{ ...blank, at: from_at.getTime(), kind: fact.of, subject: fact.subject, until: until_at?.getTime() ?? null },
      backend: fact.backend,
    })),
    ...changed.map(changeOf),
  ];
  return { events, more };
}
