import { mostFilters, type ClaimFilter, type KeptFilter } from '@moorage/contract/filters';
import type { Database } from '../database/database';
import { Refusal } from '../refusals/refusal';
import { people } from './person-model';

/** The filters of claims that a person keeps, by their names. */
export async function keptFilters(database: Database, person: string): Promise<KeptFilter[]> {
  return (await people.in(database).findByPk(person, { attributes: ['filters'], raw: true }))?.filters ?? [];
}

/** Changes them under the person's lock: two windows lose nothing of each other. */
function changeFilters(
  database: Database,
  person: string,
  change: (before: readonly KeptFilter[]) => KeptFilter[],
): Promise<KeptFilter[]> {
  return database.transaction(async () => {
    const row = await people.in(database).findByPk(person, { lock: true });
    if (!row) throw Refusal.notFound('person', person);
    const filters = change(row.filters).sort((a, b) => a.name.localeCompare(b.name));
    await row.update({ filters });
    return filters;
  });
}

/** Keeps a filter under a name; one of that name is taken the place of. */
export const keepFilter = (database: Database, person: string, name: string, filter: ClaimFilter) =>
  changeFilters(database, person, (before) => {
    const others = before.filter((f) => f.name !== name);
    if (others.length >= mostFilters)
      throw new Refusal(
        'conflict',
        'too-many-filters',
        'Too many filters',
        `${mostFilters} filters are kept already. Drop one first. Nothing was changed.`,
      );
    return [...others, { name, filter }];
  });

/** Already gone is fine. */
export const dropFilter = (database: Database, person: string, name: string) =>
  changeFilters(database, person, (before) => before.filter((f) => f.name !== name));
