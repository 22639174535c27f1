import type { PlacementState } from '@moorage/contract/moorings';
import { fitOneByOne } from '@moorage/core/placement/batch';
import { sizeText } from '@moorage/core/sizes/display';
import { inputFor, prepare, type TriedClaim } from '../moorings/trial';

export interface SetLanding {
  /** Claims on each pool, by name. */
  readonly pools: readonly { readonly pool: string; readonly claims: number }[];
  readonly refused: number;
}

/** Where the claims of a set would land, each after those before it. */
export function landSet(
  state: PlacementState,
  className: string,
  tried: TriedClaim,
  replicas: number,
): SetLanding | undefined {
  const storageClass = state.classes.find((c) => c.name === className);
  if (!storageClass) return undefined;
  const prepared = prepare(state);
  const { offers: _offers, pools: _pools, ...input } = inputFor(prepared, storageClass, tried);
  const claims = Array.from({ length: replicas }, (_, i) => ({ id: String(i), input }));
  const { placed, refused } = fitOneByOne(prepared.pools, claims);
  const counts = new Map<string, number>();
  for (const id of placed.values()) counts.set(id, (counts.get(id) ?? 0) + 1);
  const nameOf = (id: string) => state.pools.find((p) => p.id === id)?.name ?? id;
  return {
    pools: [...counts].map(([id, of]) => ({ pool: nameOf(id), claims: of })).sort((a, b) => (a.pool < b.pool ? -1 : 1)),
    refused: refused.length,
  };
}

/** The whole set in one sentence; bytes are those of one claim. */
export function setSentence({ pools, refused }: SetLanding, bytes: number, replicas: number): string {
  const landed = pools.map(({ pool, claims }) => `${claims} on ${pool}`).join(', ');
  const all = `${replicas} claims, ${sizeText(bytes * replicas)} asked in all`;
  if (refused === 0) return `${all}: ${landed}.`;
  return `${all}: ${landed ? `${landed}; ` : ''}${refused} would find no room and wait.`;
}
