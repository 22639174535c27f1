import { filterParts, type ClaimFilter } from '@moorage/contract/filters';
import { useQuery } from '@tanstack/react-query';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh } from '../api/queries';
import { useAct } from '../parts/useAct';

/** The filters that the person keeps, whichever browser they use; kept and dropped with a way back. */
export function useKeptFilters() {
  const { data = [] } = useQuery({ queryKey: keys.filters(), queryFn: () => ask('listFilters') });
  const put = (name: string, filter: ClaimFilter) => ask('keepFilter', { params: { name }, body: filter });
  const remove = (name: string) => ask('dropFilter', { params: { name } });
  const keep = useAct(async ({ name, filter }: { name: string; filter: ClaimFilter }) => {
    const before = data.find((f) => f.name === name);
    await put(name, filter);
    await refresh('filters');
    const undo = () => (before ? put(name, before.filter) : remove(name)).then(() => refresh('filters'));
    return { text: `Kept as "${name}".`, undo };
  });
  const drop = useAct(async ({ name, filter }: { name: string; filter: ClaimFilter }) => {
    await remove(name);
    await refresh('filters');
    return { text: `"${name}" is dropped.`, undo: () => put(name, filter).then(() => refresh('filters')) };
  });
  return { filters: data, keep, drop };
}

/** The filter that an address holds. */
export const filterIn = (search: URLSearchParams): ClaimFilter =>
  Object.fromEntries(filterParts.flatMap((part) => (search.get(part) ? [[part, search.get(part)!]] : [])));

export const sameFilter = (a: ClaimFilter, b: ClaimFilter): boolean =>
  filterParts.every((part) => (a[part] ?? '') === (b[part] ?? ''));
