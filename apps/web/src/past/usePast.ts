import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useMoment } from '../frame/Moment';

/** Pools and moorings at the moment that is looked at. */
export function usePast() {
  const at = useMoment()!;
  return useQuery({
    queryKey: keys.past.all(at),
    queryFn: () => ask('getPast', { query: { at } }),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
}
