import type { StorageClass } from '../classes/storage-class';
import { withVolume, type Taking } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { decide } from './decide';
import { Harbour, kindsOf, makeRoom, mostTries, quotaKey, type QuotaUse } from './harbour';
import { Offers } from './offer';
import type { BatchClaim } from './request';
import { offsiteClass } from '../classes/elsewhere';

export interface Fitted {
  /** Pool of each claim that fits, by the claim's id. */
  readonly placed: ReadonlyMap<string, string>;
  readonly refused: readonly string[];
  /** Provisioned bytes that were placed, and those placed before the first refusal. */
  readonly bytes: number;
  readonly bytesBeforeRefusal: number;
  /** Times that a claim gave its place to a later one and went elsewhere. */
  readonly moves: number;
}

/** Tells how far a plan has come, and may be told to stop. */
export interface Watching {
  progress(done: number, of: number): void;
  readonly stopped: boolean;
}

function place(state: Map<string, Pool>, id: string, taking: Taking, cls: StorageClass): void {
  const pool = withVolume(state.get(id)!, taking, cls);
  state.set(id, pool);
  // a cap over the backend is felt by its other pools
  if (pool.backendCap)
    for (const [other, of] of state)
      if (other !== id && of.backend === pool.backend) state.set(other, { ...of, backendCap: pool.backendCap });
}

/** Places claims one after the other, each as it would be decided by itself, or with its place in a plan: what will happen. */
export function fitOneByOne(
  pools: ReadonlyMap<string, Pool>,
  claims: readonly BatchClaim[],
  plan: ReadonlyMap<string, string> = new Map(),
): Fitted & { readonly sizes: ReadonlyMap<string, number> } {
  const state = new Map(pools);
  const offers = new Offers();
  const used: QuotaUse = new Map();
  const placed = new Map<string, string>();
  const sizes = new Map<string, number>();
  const refused: string[] = [];
  let [bytes, before] = [0, 0];
  for (const claim of claims) {
    const quotas = claim.input.quotas.map((q) => ({ ...q, used: q.used + (used.get(quotaKey(q.scope, claim)) ?? 0) }));
    const decision = decide({ ...claim.input, quotas, pools: state, offers, planned: plan.get(claim.id) });
    const { winner, provisioned, backendIops, backendThroughput } = decision;
    if (winner === undefined) {
      refused.push(claim.id);
      continue;
    }
    const taking = {
      provisioned: provisioned!,
      backendIops: backendIops!,
      backendThroughput: backendThroughput!,
    };
    place(state, winner, taking, claim.input.storageClass);
    const { second, offsite } = decision;
    if (second) place(state, second.pool, second, claim.input.storageClass);
    if (offsite) place(state, offsite.pool, offsite, offsiteClass(claim.input.storageClass));
    for (const scope of ['namespace', 'class'] as const) {
      const key = quotaKey(scope, claim);
      used.set(key, (used.get(key) ?? 0) + provisioned!);
    }
    placed.set(claim.id, winner);
    sizes.set(claim.id, provisioned!);
    bytes += provisioned!;
    if (refused.length === 0) before += provisioned!;
  }
  return { placed, refused, bytes, bytesBeforeRefusal: before, moves: 0, sizes };
}

/**
 * Fits a batch as a whole: each claim is placed where most is left for those that come after, whatever its class's strategy;
 * when one does not fit, others of the batch make room along chains of moves. What is placed before the first refusal is never
 * less than one by one.
 */
export function fitBatch(pools: ReadonlyMap<string, Pool>, claims: readonly BatchClaim[], watching?: Watching): Fitted {
  // a copy elsewhere ties two pools together, which chains of moves do not follow
  if (claims.some(({ input: { storageClass: c } }) => c.secondCopy || c.offsite)) return fitOneByOne(pools, claims);
  const list = [...pools.values()];
  const harbour = new Harbour(list);
  const kinds = kindsOf(list, claims);
  const refused: string[] = [];
  let moves = 0;
  for (const [i, claim] of claims.entries()) {
    if (watching?.stopped) break;
    if (i % 50 === 0) watching?.progress(i, claims.length);
    const tries = { left: refused.length === 0 ? mostTries.before : mostTries.after };
    const made = makeRoom(harbour, claim.id, kinds[i]!, 3, tries, []);
    if (made === undefined) refused.push(claim.id);
    else moves += made;
  }
  const placed = new Map<string, string>();
  const bytesOf = new Map<string, number>();
  harbour.lying.forEach((there, pool) => {
    for (const [kind, ids] of there)
      for (const { id } of ids) {
        placed.set(id, harbour.names[pool]!);
        bytesOf.set(id, kind.berths.find((b) => b.pool === pool)!.provisioned);
      }
  });
  const firstRefused = claims.findIndex((c) => !placed.has(c.id));
  const sum = (some: readonly BatchClaim[]) => some.reduce((total, c) => total + (bytesOf.get(c.id) ?? 0), 0);
  const planned: Fitted = {
    placed,
    refused,
    bytes: sum(claims),
    bytesBeforeRefusal: sum(firstRefused < 0 ? claims : claims.slice(0, firstRefused)),
    moves,
  };
  const alone = fitOneByOne(pools, claims);
  const kept = asItWillCome(pools, claims, planned);
  return alone.bytesBeforeRefusal > kept.bytesBeforeRefusal ? alone : kept;
}

/**
 * The plan as it will be carried out: claims come one after the other, and each is decided with its place in the plan. Where
 * copies lie on disks, the order in which they come makes a difference, and a place that is not had then is not promised.
 */
function asItWillCome(pools: ReadonlyMap<string, Pool>, claims: readonly BatchClaim[], planned: Fitted): Fitted {
  if (![...pools.values()].some((p) => p.redundancy.kind === 'spread' && p.redundancy.disks)) return planned;
  const come = fitOneByOne(
    pools,
    claims.filter((c) => planned.placed.has(c.id)),
    planned.placed,
  );
  if (come.refused.length === 0 && come.bytes >= planned.bytes)
    return { ...come, refused: planned.refused, moves: planned.moves, bytesBeforeRefusal: planned.bytesBeforeRefusal };
  const firstRefused = claims.findIndex((c) => !come.placed.has(c.id));
  const bytesOf = (c: BatchClaim) => come.sizes.get(c.id) ?? 0;
  const early = firstRefused < 0 ? claims : claims.slice(0, firstRefused);
  return {
    ...come,
    refused: claims.filter((c) => !come.placed.has(c.id)).map((c) => c.id),
    bytesBeforeRefusal: early.reduce((sum, c) => sum + bytesOf(c), 0),
    moves: planned.moves,
  };
}
