import type { FindingRow } from '@moorage/contract/findings';
import {
  disksOf,
  type BackendEvents,
  type BackendVolumeRow,
  type Inventory,
  type Load,
} from '@moorage/contract/inventory';
import type { Readiness } from '@moorage/contract/readiness';
import type { PoolShapeRow, Reshape } from '@moorage/contract/reshapes';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { call } from './client';
import { queryClient } from './queries';

const at = (id: string): string => `/api/backends/${encodeURIComponent(id)}`;

const inventoryOf = (id: string) => ({
  queryKey: ['inventory', id],
  queryFn: () => call<Inventory>(`${at(id)}/inventory`),
  // comparing tens of thousands of disks with those before costs more than drawing them
  structuralSharing: false,
});
export const useInventory = (id: string) => useQuery(inventoryOf(id));
/** Begins to fetch what a pointer on its way to a link is likely to ask for. */
export const fetchInventoryAhead = (id: string): void => void queryClient.prefetchQuery(inventoryOf(id));

/** Disks of an inventory, as the core knows them; the same array as long as the inventory is the same. */
export const useDisks = (inventory: Inventory | undefined) =>
  useMemo(() => (inventory ? disksOf(inventory) : []), [inventory]);

export const useReshapes = (id: string) =>
  useQuery({
    queryKey: ['reshapes', id],
    queryFn: () => call<Reshape[]>(`${at(id)}/reshapes`),
    // moving data tells of itself only when asked
    refetchInterval: ({ state }) => (state.data?.some((r) => r.endedAt === null) ? 1000 : false),
  });
export const usePoolShape = (id: string, pool: string | undefined) =>
  useQuery({
    queryKey: ['inventory', id, 'shape', pool],
    queryFn: () => call<PoolShapeRow>(`${at(id)}/pools/${encodeURIComponent(pool!)}/shape`),
    enabled: pool !== undefined,
  });
export const useBackendVolumes = (id: string, q: string, offset: number) =>
  useQuery({
    queryKey: ['inventory', id, 'volumes', q, offset],
    queryFn: () =>
      call<{ volumes: BackendVolumeRow[]; total: number }>(
        `${at(id)}/volumes?limit=100&offset=${offset}${q ? `&q=${encodeURIComponent(q)}` : ''}`,
      ),
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) => (state.data?.volumes.some((v) => v.degraded) ? 2000 : false),
  });
export const useLoad = (id: string) =>
  useQuery({ queryKey: ['load', id], queryFn: () => call<Load>(`${at(id)}/load`), refetchInterval: 60_000 });
export const useBackendEvents = (id: string) =>
  useQuery({
    queryKey: ['inventory', id, 'events'],
    queryFn: () => call<BackendEvents>(`${at(id)}/events`),
    refetchInterval: 15_000,
  });
export const useReadiness = () =>
  useQuery({ queryKey: ['readiness'], queryFn: () => call<Readiness>('/api/readiness'), refetchInterval: 15_000 });
export const useFindings = () =>
  useQuery({ queryKey: ['findings'], queryFn: () => call<FindingRow[]>('/api/findings') });
