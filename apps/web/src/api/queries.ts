import type { ClaimQuery } from '@moorage/contract/claims';
import { keepPreviousData, QueryClient, useQuery } from '@tanstack/react-query';
import { ApiProblem, ask } from './client';

/** Refusals are final; a server that does not answer is asked again. */
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      retry: (count, error) => !(error instanceof ApiProblem && error.status < 500) && count < 3,
    },
  },
});

export const usePerson = () =>
  useQuery({ queryKey: ['person'], queryFn: () => ask('whoAmI'), retry: false, staleTime: Infinity });
export const useDemoPeople = () =>
  useQuery({ queryKey: ['demo-people'], queryFn: () => ask('demoPeople'), staleTime: Infinity });
export const useBackends = () => useQuery({ queryKey: ['backends'], queryFn: () => ask('listBackends') });
/** Sites that are known: this one, and those that backends are reached from. */
export function useSites(): readonly string[] {
  const site = usePerson().data?.site;
  const backends = useBackends().data;
  return [...new Set([...(site ? [site] : []), ...(backends?.flatMap((b) => b.sites) ?? [])])].sort();
}
export const useClasses = () => useQuery({ queryKey: ['classes'], queryFn: () => ask('listClasses') });
export const useForeignClasses = () =>
  useQuery({ queryKey: ['classes', 'foreign'], queryFn: () => ask('listForeignClasses') });
export const useGrants = (name: string) =>
  useQuery({ queryKey: ['grants', name], queryFn: () => ask('getGrants', { params: { name } }) });
export const useSuccessions = (name: string) =>
  useQuery({
    queryKey: ['classes', 'successions', name],
    queryFn: () => ask('listSuccessions', { params: { name } }),
  });
export const placementQuery = {
  queryKey: ['placement'],
  queryFn: () => ask('placementState'),
};
export const usePlacement = () => useQuery(placementQuery);
export const usePlans = () => useQuery({ queryKey: ['plans'], queryFn: () => ask('listPlans') });
export const useNamespaces = () => useQuery({ queryKey: ['namespaces'], queryFn: () => ask('listNamespaces') });
export const useClaims = (query: Readonly<Partial<Record<keyof ClaimQuery, string | undefined>>>) =>
  useQuery({
    queryKey: ['claims', 'page', query],
    queryFn: () => ask('listClaims', { query }),
    placeholderData: keepPreviousData,
  });
export const useClaim = (namespace: string, name: string) =>
  useQuery({
    queryKey: ['claims', 'one', namespace, name],
    queryFn: () => ask('getClaim', { params: { namespace, name } }),
  });
export const useLine = (claim: string | null) =>
  useQuery({
    queryKey: ['line', claim],
    queryFn: () => ask('getLine', { query: { claim: claim! } }),
    enabled: !!claim,
    placeholderData: keepPreviousData,
  });
