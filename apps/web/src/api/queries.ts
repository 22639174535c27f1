import type { BackendRow } from '@moorage/contract/backends';
import type { ClaimDetail, ClaimPage, Line } from '@moorage/contract/claims';
import type { ClassRow, ForeignClass, Grants, Succession } from '@moorage/contract/classes';
import type { KeptPlan, PlacementState } from '@moorage/contract/moorings';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import type { DemoPeople, Session } from '@moorage/contract/people';
import { keepPreviousData, QueryClient, useQuery } from '@tanstack/react-query';
import { ApiProblem, call } from './client';

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
  useQuery({ queryKey: ['person'], queryFn: () => call<Session>('/api/session'), retry: false, staleTime: Infinity });
export const useDemoPeople = () =>
  useQuery({ queryKey: ['demo-people'], queryFn: () => call<DemoPeople>('/api/demo-people'), staleTime: Infinity });
export const useBackends = () =>
  useQuery({ queryKey: ['backends'], queryFn: () => call<BackendRow[]>('/api/backends') });
/** Sites that are known: this one, and those that backends are reached from. */
export function useSites(): readonly string[] {
  const site = usePerson().data?.site;
  const backends = useBackends().data;
  return [...new Set([...(site ? [site] : []), ...(backends?.flatMap((b) => b.sites) ?? [])])].sort();
}
export const useClasses = () => useQuery({ queryKey: ['classes'], queryFn: () => call<ClassRow[]>('/api/classes') });
export const useForeignClasses = () =>
  useQuery({ queryKey: ['classes', 'foreign'], queryFn: () => call<ForeignClass[]>('/api/foreign-classes') });
export const useGrants = (name: string) =>
  useQuery({ queryKey: ['grants', name], queryFn: () => call<Grants>(`/api/classes/${name}/grants`) });
export const useSuccessions = (name: string) =>
  useQuery({
    queryKey: ['classes', 'successions', name],
    queryFn: () => call<Succession[]>(`/api/classes/${name}/successions`),
  });
export const placementQuery = {
  queryKey: ['placement'],
  queryFn: () => call<PlacementState>('/api/placement'),
};
export const usePlacement = () => useQuery(placementQuery);
export const usePlans = () => useQuery({ queryKey: ['plans'], queryFn: () => call<KeptPlan[]>('/api/planned-places') });
export const useNamespaces = () =>
  useQuery({ queryKey: ['namespaces'], queryFn: () => call<NamespaceUsage[]>('/api/namespaces') });
export const useClaims = (parameters: Record<string, string | undefined>) => {
  const search = new URLSearchParams(Object.entries(parameters).filter((e): e is [string, string] => !!e[1]));
  return useQuery({
    queryKey: ['claims', search.toString()],
    queryFn: () => call<ClaimPage>(`/api/claims?${search.toString()}`),
    placeholderData: keepPreviousData,
  });
};
export const useClaim = (namespace: string, name: string) =>
  useQuery({
    queryKey: ['claims', 'one', namespace, name],
    queryFn: () => call<ClaimDetail>(`/api/claims/${encodeURIComponent(namespace)}/${encodeURIComponent(name)}`),
  });
export const useLine = (claim: string | null) =>
  useQuery({
    queryKey: ['line', claim],
    queryFn: () => call<Line>(`/api/line?claim=${encodeURIComponent(claim!)}`),
    enabled: !!claim,
    placeholderData: keepPreviousData,
  });
