import type { DriftRow } from '@moorage/contract/drift';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh } from '../api/queries';
import { useAct } from '../parts/useAct';

/** What differs, of one claim by its uid or of all; of one kind, or every one. */
export const useDrift = (claim: string, kind: string) =>
  useQuery({
    queryKey: keys.drift(claim, kind),
    queryFn: () =>
      ask('listDrifts', {
        query: { limit: 500, ...(claim && { claim }), ...(kind && { kind: kind as DriftRow['kind'] }) },
      }),
    placeholderData: keepPreviousData,
  });

/** Puts right what differs, of one volume or many. */
export const useMend = (done?: () => void) =>
  useAct(async (rows: readonly DriftRow[]) => {
    const drifts = rows.map(({ claimUid, kind }) => ({ claimUid, kind }));
    const { begun, left } = await ask('mendDrifts', { body: { drifts } });
    void refresh('drift', 'operations');
    done?.();
    const not = left > 0 ? ` ${left} ${left === 1 ? 'was' : 'were'} left: gone by now, or without a remedy here.` : '';
    return { text: `${begun} ${begun === 1 ? 'difference is' : 'differences are'} being put right.${not}` };
  });
