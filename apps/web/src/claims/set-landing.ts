import type { PlacementState } from '@moorage/contract/moorings';
import { fitOneByOne, type RefusedBy } from '@moorage/core/placement/batch';
import { sizeText } from '@moorage/core/sizes/display';
import { inputFor, prepare, type TriedClaim } from '@moorage/contract/placement-input';

export interface SetLanding {
  /** Claims on each pool, by name. */
  readonly pools: readonly { readonly pool: string; readonly claims: number }[];
  readonly refused: number;
}

export interface AskedClaim {
  readonly className: string;
  readonly tried: TriedClaim;
}

/** The pool on which a claim would land, by its id; null where none takes it, with what refuses it first on a pool that it may use. */
export interface Landed {
  readonly pool: string | null;
  readonly refusedBy?: RefusedBy;
}

/** Where each of these claims would land, each after those before it; undefined where its class is not one of ours. */
export function landTogether(state: PlacementState, asked: readonly AskedClaim[]): (Landed | undefined)[] {
  const prepared = prepare(state);
  const classes = new Map(state.classes.map((c) => [c.name, c]));
  const claims = asked.flatMap(({ className, tried }, i) => {
    const storageClass = classes.get(className);
    if (!storageClass) return [];
    const { offers: _offers, pools: _pools, ...input } = inputFor(prepared, storageClass, tried);
    return [{ id: String(i), input }];
  });
  const { placed, refusedBy } = fitOneByOne(prepared.pools, claims);
  return asked.map(({ className }, i): Landed | undefined => {
    if (!classes.has(className)) return undefined;
    const [pool, why] = [placed.get(String(i)) ?? null, refusedBy.get(String(i))];
    return { pool, ...(why && { refusedBy: why }) };
  });
}

/** How many claims land on each pool, by name, and how many on none. */
function landingCounts(state: PlacementState, landed: readonly (Landed | undefined)[]): SetLanding {
  const counts = new Map<string, number>();
  for (const at of landed) if (at?.pool) counts.set(at.pool, (counts.get(at.pool) ?? 0) + 1);
  const nameOf = (id: string) => state.pools.find((p) => p.id === id)?.name ?? id;
  return {
    pools: [...counts].map(([id, of]) => ({ pool: nameOf(id), claims: of })).sort((a, b) => (a.pool < b.pool ? -1 : 1)),
    refused: landed.filter((at) => at?.pool === null).length,
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
