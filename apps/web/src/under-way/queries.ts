import type { OperationQuery } from '@moorage/contract/operations';
import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { ask } from '../api/client';
import { keys } from '../api/keys';

/** Operations of a kind, or of all, newest first, a page after the other. */
export const useOperations = (show: OperationQuery['show'], kind: string) =>
  useInfiniteQuery({
    queryKey: keys.operations.list(show, kind),
    queryFn: ({ pageParam }) => ask('listOperations', { query: { show, kind, cursor: pageParam, limit: 100 } }),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    // what moves tells of its progress only when asked
    refetchInterval: ({ state }) => (show === 'under-way' && state.data?.pages[0]?.rows.length ? 2000 : false),
  });

/** How many are under way and how many have stopped. */
export const useOperationCounts = () =>
  useQuery({
    queryKey: keys.operations.counts(),
    queryFn: () => ask('listOperations', { query: { limit: 1 } }),
    select: ({ underWay, stopped }) => ({ underWay, stopped }),
    refetchInterval: ({ state }) => ((state.data?.underWay ?? 0) > 0 ? 5000 : 60_000),
  });
