import type { GiveBack } from '@moorage/contract/salvage';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh } from '../api/queries';
import { useAct } from '../parts/useAct';

export const useSalvage = (q: string, origin: string) =>
  useQuery({
    queryKey: keys.salvage(q, origin),
    queryFn: () =>
      ask('listSalvage', { query: { limit: 500, ...(q && { q }), ...(origin && { origin: origin as 'kept' }) } }),
    placeholderData: keepPreviousData,
  });

/** Gives volumes to claims; what could not be begun is told. */
export const useGiveBack = (done: () => void) =>
  useAct(async (volumes: GiveBack['volumes']) => {
    const { begun, refused } = await ask('giveBack', { body: { volumes } });
    void refresh('salvage', 'claims', 'operations');
    if (begun.length > 0) done();
    const [first] = volumes;
    const what =
      volumes.length === 1
        ? `The volume goes to ${first!.namespace}/${first!.name}`
        : `${begun.length} volumes go back`;
    const not = refused.map((r) => r.detail).join(' ');
    return { text: begun.length === 0 ? not : `${what}.${not && ` Not begun: ${not}`}` };
  });
