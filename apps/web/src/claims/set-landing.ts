import type { PlacementState } from '@moorage/contract/moorings';
import { fitOneByOne } from '@moorage/core/placement/batch';
import { sizeText } from '@moorage/core/sizes/display';
import { inputFor, prepare, type TriedClaim } from '../moorings/trial';

export interface SetLanding {
  /** Claims on each pool, by name. */
  readonly pools: readonly { readonly pool: string; readonly claims: number }[];
  readonly refused: number;
}

export interface AskedClaim {
  readonly className: string;
  readonly tried: TriedClaim;
}

/** The pool on which each of these claims would land, by its id, each after those before it; null where none has room, undefined where its class is not one of ours. */
export function landTogether(state: PlacementState, asked: readonly AskedClaim[]): (string | null | undefined)[] {
  const prepared = prepare(state);
  const classes = new Map(state.classes.map((c) => [c.name, c]));
  const claims = asked.flatMap(({ className, tried }, i) => {
    const storageClass = classes.get(className);
    if (!storageClass) return [];
    const { offers: _offers, pools: _pools, ...input } = inputFor(prepared, storageClass, tried);
    return [{ id: String(i), input }];
  });
  const { placed } = fitOneByOne(prepared.pools, claims);
  return asked.map(({ className }, i) => (classes.has(className) ? (placed.get(String(i)) ?? null) : undefined));
}

/** How many claims land on each pool, by name, and how many on none. */
export function landingCounts(state: PlacementState, landed: readonly (string | null | undefined)[]): SetLanding {
  const counts = new Map<string, number>();
  for (const id of landed) if (id) counts.set(id, (counts.get(id) ?? 0) + 1);
  const nameOf = (id: string) => state.pools.find((p) => p.id === id)?.name ?? id;
  return {
    pools: [...counts].map(([id, of]) => ({ pool: nameOf(id), claims: of })).sort((a, b) => (a.pool < b.pool ? -1 : 1)),
    refused: landed.filter((id) => id === null).length,
  };
}

/** Where the claims of a set would land, each after those before it. */
export function landSet(
  state: PlacementState,
  className: string,
  tried: TriedClaim,
  replicas: number,
): SetLanding | undefined {
  if (!state.classes.some((c) => c.name === className)) return undefined;
  return landingCounts(state, landTogether(state, Array<AskedClaim>(replicas).fill({ className, tried })));
}

/** The whole set in one sentence; bytes are those of one claim. */
export function setSentence({ pools, refused }: SetLanding, bytes: number, replicas: number): string {
  const landed = pools.map(({ pool, claims }) => `${claims} on ${pool}`).join(', ');
  const all = `${replicas} claims, ${sizeText(bytes * replicas)} asked in all`;
  if (refused === 0) return `${all}: ${landed}.`;
  return `${all}: ${landed ? `${landed}; ` : ''}${refused} would find no room and wait.`;
}
