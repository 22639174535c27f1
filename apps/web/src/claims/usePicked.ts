import type { GridRowSelectionModel } from '@mui/x-data-grid';
import type { ClaimPage, ClaimQuery, ClaimRow } from '@moorage/contract/claims';
import { mostInRound } from '@moorage/contract/rounds';
import { useMemo, useState } from 'react';
import { ask } from '../api/client';
import type { Picked } from './Round';

export const mostPicked = mostInRound;
const pageSize = 500;

export interface Picking {
  readonly picked: readonly Picked[];
  readonly model: GridRowSelectionModel;
  readonly onModel: (model: GridRowSelectionModel) => void;
  /** Picks all that the filter lets through, as many as one round takes. */
  readonly pickAll: () => Promise<void>;
  readonly clear: () => void;
}

/** The claims that were picked in the list, over all its pages; another filter begins anew. */
export function usePicked(
  filter: Readonly<Partial<Record<keyof ClaimQuery, string | undefined>>>,
  shown: readonly ClaimRow[],
): Picking {
  const walk = JSON.stringify(filter);
  const [kept, setKept] = useState<{ walk: string; rows: ReadonlyMap<string, Picked> }>({ walk, rows: new Map() });
  const rows = useMemo(() => (kept.walk === walk ? kept.rows : new Map<string, Picked>()), [kept, walk]);
  const keep = (next: Iterable<readonly [string, Picked]>) => setKept({ walk, rows: new Map(next) });
  const onModel = ({ ids }: GridRowSelectionModel) => {
    const known = new Map<string, Picked>([...rows, ...shown.map((c) => [c.uid, c] as const)]);
    keep(
      [...ids]
        .slice(0, mostPicked)
        .flatMap((id) => (known.has(String(id)) ? [[String(id), known.get(String(id))!]] : [])),
    );
  };
  const pickAll = async () => {
    const found: ClaimRow[] = [];
    let cursor: string | undefined;
    do {
      const page: ClaimPage = await ask('listClaims', {
        query: { ...filter, sort: 'name', direction: 'asc', limit: pageSize, cursor },
      });
      found.push(...page.claims);
      cursor = page.next ?? undefined;
    } while (cursor && found.length < mostPicked);
    keep(found.slice(0, mostPicked).map((c) => [c.uid, c] as const));
  };
  const model = useMemo(() => ({ type: 'include' as const, ids: new Set(rows.keys()) }), [rows]);
  return { picked: [...rows.values()], model, onModel, pickAll, clear: () => keep([]) };
}
