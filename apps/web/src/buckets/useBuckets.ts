import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { ask } from '../api/client';
import { keys } from '../api/keys';

/** Bucket claims and kept buckets of one namespace, or of all that are seen; page after page. */
export const useBuckets = (namespace: string) =>
  useInfiniteQuery({
    queryKey: keys.buckets.page(namespace),
    initialPageParam: '',
    queryFn: ({ pageParam }) =>
      ask('listBuckets', {
        query: { limit: 500, ...(namespace && { namespace }), ...(pageParam && { cursor: pageParam }) },
      }),
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  });

export const useBucket = (namespace: string, name: string) =>
  useQuery({
    queryKey: keys.buckets.one(namespace, name),
    queryFn: () => ask('getBucket', { params: { namespace, name } }),
    placeholderData: keepPreviousData,
  });

export const useBucketClasses = () =>
  useQuery({ queryKey: keys.buckets.classes(), queryFn: () => ask('listBucketClasses') });
