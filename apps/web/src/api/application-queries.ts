import type { ApplicationQuery } from '@moorage/contract/applications';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { ask } from './client';
import { keys } from './keys';

export const useApplications = (query: Readonly<Partial<Record<keyof ApplicationQuery, string | undefined>>>) =>
  useQuery({
    queryKey: keys.applications.page(query),
    queryFn: () => ask('listApplications', { query }),
    placeholderData: keepPreviousData,
  });

export const useApplication = (namespace: string, name: string) =>
  useQuery({
    queryKey: keys.applications.one(namespace, name),
    queryFn: () => ask('getApplication', { params: { namespace, name } }),
  });
