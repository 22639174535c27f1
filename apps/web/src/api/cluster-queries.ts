import { disksOf, type Inventory } from '@moorage/contract/inventory';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { ask } from './client';
import { keys } from './keys';
import { queryClient } from './queries';

const inventoryOf = (id: string) => ({
  queryKey: keys.inventory.of(id),
  queryFn: () => ask('getInventory', { params: { id } }),
  // comparing tens of thousands of disks with those before costs more than drawing them
  structuralSharing: false,
});
export const useInventory = (id: string) => useQuery(inventoryOf(id));
/** Begins to fetch what a pointer on its way to a link is likely to ask for. */
export const fetchInventoryAhead = (id: string): void => void queryClient.prefetchQuery(inventoryOf(id));

/** Disks of an inventory, as the core knows them; the same array as long as the inventory is the same. */
export const useDisks = (inventory: Inventory | undefined) =>
  useMemo(() => (inventory ? disksOf(inventory) : []), [inventory]);

export const useCarving = (pool: string) =>
  useQuery({
    queryKey: keys.instances(pool),
    queryFn: () => ask('getCarving', { params: { pool } }),
    // data that moves tells of itself only when asked
    refetchInterval: ({ state }) => (state.data?.instances.some((i) => i.leaving) ? 2000 : false),
  });
export const useReshapes = (id: string) =>
  useQuery({
    queryKey: keys.reshapes(id),
    queryFn: () => ask('listReshapes', { params: { id } }),
    // moving data tells of itself only when asked
    refetchInterval: ({ state }) => (state.data?.some((r) => r.endedAt === null) ? 1000 : false),
  });
export const usePoolShape = (id: string, pool: string | undefined) =>
  useQuery({
    queryKey: keys.inventory.shape(id, pool),
    queryFn: () => ask('getPoolShape', { params: { id, pool: pool! } }),
    enabled: pool !== undefined,
  });
export const useBackendVolumes = (id: string, q: string, offset: number) =>
  useQuery({
    queryKey: keys.inventory.volumes(id, q, offset),
    queryFn: () => ask('listBackendVolumes', { params: { id }, query: { limit: 100, offset, q } }),
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) => (state.data?.volumes.some((v) => v.degraded) ? 2000 : false),
  });
export const useLoad = (id: string) =>
  useQuery({ queryKey: keys.load(id), queryFn: () => ask('getLoad', { params: { id } }), refetchInterval: 60_000 });
export const useBackendEvents = (id: string) =>
  useQuery({
    queryKey: keys.inventory.events(id),
    queryFn: () => ask('listBackendEvents', { params: { id } }),
    refetchInterval: 15_000,
  });
export const useReadiness = () =>
  useQuery({ queryKey: keys.readiness(), queryFn: () => ask('readiness'), refetchInterval: 15_000 });
export const useFindings = () => useQuery({ queryKey: keys.findings(), queryFn: () => ask('listFindings') });
