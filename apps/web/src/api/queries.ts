import type { ClaimQuery } from '@moorage/contract/claims';
import { keepPreviousData, QueryClient, useQuery } from '@tanstack/react-query';
import { ApiProblem, ask } from './client';
import { keys, refetch, type Concept } from './keys';

/** Refusals are final; a server that does not answer is asked again. */
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      retry: (count, error) => !(error instanceof ApiProblem && error.status < 500) && count < 3,
    },
  },
});

/** Fetches again what is shown of some concepts. */
export const refresh = (...concepts: readonly Concept[]): Promise<void> => refetch(queryClient, ...concepts);

export const usePerson = () =>
  useQuery({ queryKey: keys.person(), queryFn: () => ask('whoAmI'), retry: false, staleTime: Infinity });
export const useDemoPeople = () =>
  useQuery({ queryKey: keys['demo-people'](), queryFn: () => ask('demoPeople'), staleTime: Infinity });
export const useBackends = () => useQuery({ queryKey: keys.backends(), queryFn: () => ask('listBackends') });
/** Sites that are known: this one, and those that backends are reached from. */
export function useSites(): readonly string[] {
  const site = usePerson().data?.site;
  const backends = useBackends().data;
  return [...new Set([...(site ? [site] : []), ...(backends?.flatMap((b) => b.sites) ?? [])])].sort();
}
export const useClasses = () => useQuery({ queryKey: keys.classes.all(), queryFn: () => ask('listClasses') });
export const useForeignClasses = () =>
  useQuery({ queryKey: keys.classes.foreign(), queryFn: () => ask('listForeignClasses') });
export const useGrants = (name: string) =>
  useQuery({ queryKey: keys.grants(name), queryFn: () => ask('getGrants', { params: { name } }) });
export const useSuccessions = (name: string) =>
  useQuery({
    queryKey: keys.classes.successions(name),
    queryFn: () => ask('listSuccessions', { params: { name } }),
  });
export const placementQuery = {
  queryKey: keys.placement(),
  queryFn: () => ask('placementState'),
};
export const usePlacement = (enabled = true) => useQuery({ ...placementQuery, enabled });
export const usePlans = () => useQuery({ queryKey: keys.plans(), queryFn: () => ask('listPlans') });
export const useNamespaces = () => useQuery({ queryKey: keys.namespaces(), queryFn: () => ask('listNamespaces') });
export const useClaims = (query: Readonly<Partial<Record<keyof ClaimQuery, string | undefined>>>) =>
  useQuery({
    queryKey: keys.claims.page(query),
    queryFn: () => ask('listClaims', { query }),
    placeholderData: keepPreviousData,
  });
export const useClaim = (namespace: string, name: string) =>
  useQuery({
    queryKey: keys.claims.one(namespace, name),
    queryFn: () => ask('getClaim', { params: { namespace, name } }),
  });
/** What would become of a claim that asked for this size; not asked without one. */
export const useGrowth = (namespace: string, name: string, size: string) =>
  useQuery({
    queryKey: keys.growth(namespace, name, size),
    queryFn: () => ask('getGrowth', { params: { namespace, name }, query: { size } }),
    enabled: size !== '',
    placeholderData: keepPreviousData,
  });
export const useLine = (claim: string | null) =>
  useQuery({
    queryKey: keys.line(claim),
    queryFn: () => ask('getLine', { query: { claim: claim! } }),
    enabled: !!claim,
    placeholderData: keepPreviousData,
  });
