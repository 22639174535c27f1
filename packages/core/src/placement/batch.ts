import { tunedClass } from '../classes/allowance';
import type { StorageClass } from '../classes/storage-class';
import { offsiteClass } from '../classes/elsewhere';
import { rateFor } from '../performance/term';
import { withVolume, type Taking } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { disksOf, placeOnPool } from '../replicas/on-pool';
import type { PlacedCopy } from '../replicas/place';
import { kindsOf, quotaKey, type Kind, type QuotaUse } from './berth';
import { decide } from './decide';
import { Harbour, makeRoom, mostTries } from './harbour';
import { improve, type Item } from './improve';
import { Offers } from './offer';
import { pricesFor, worthOf, type Prices } from './prices';
import type { BatchClaim } from './request';
import type { Check } from './rule';
import { seeded } from './seeded';

/** Where claims go, by their ids: the pool of each, and the disks of its copies where we place them (a witness last). */
export interface Plan {
  readonly placed: ReadonlyMap<string, string>;
  readonly disks: ReadonlyMap<string, readonly string[]>;
}

export interface Fitted extends Plan {
  readonly refused: readonly string[];
  /** Provisioned bytes that were placed. */
  readonly bytes: number;
}

/** What a claim takes of its pool: provisioned and raw bytes, IOPS and bytes per second as the pool has to give them. */
export type Taken = Taking & { readonly raw: number };

export interface RefusedBy {
  readonly pool: string;
  readonly check: Check;
}

/** Tells how far a plan has come, and may be told to stop. */
export interface Watching {
  progress(done: number, of: number): void;
  readonly stopped: boolean;
}

const noPlan: Plan = { placed: new Map(), disks: new Map() };

function place(
  state: Map<string, Pool>,
  id: string,
  taking: Taking,
  cls: StorageClass,
  planned?: readonly string[],
): readonly PlacedCopy[] | undefined {
  const copies = placeOnPool(state.get(id)!, cls, taking.provisioned, undefined, planned);
  const pool = withVolume(state.get(id)!, taking, cls, planned, copies);
  state.set(id, pool);
  // a cap over the backend is felt by its other pools
  if (pool.backendCap)
    for (const [other, of] of state)
      if (other !== id && of.backend === pool.backend) state.set(other, { ...of, backendCap: pool.backendCap });
  return copies;
}

/** Places claims one after the other, each as it would be decided by itself, or with its place in a plan: what will happen. */
export function fitOneByOne(
  pools: ReadonlyMap<string, Pool>,
  claims: readonly BatchClaim[],
  plan: Plan = noPlan,
): Fitted & {
  /** Provisioned bytes placed before the first refusal. */
  readonly bytesBeforeRefusal: number;
  /** What each that is placed takes of its pool. */
  readonly takings: ReadonlyMap<string, Taken>;
  /** What refuses each that is placed nowhere, on the pool that comes first; nothing of one whose class is moored to no pool. */
  readonly refusedBy: ReadonlyMap<string, RefusedBy>;
} {
  const state = new Map(pools);
  const offers = new Offers();
  const used: QuotaUse = new Map();
  const placed = new Map<string, string>();
  const disks = new Map<string, readonly string[]>();
  const takings = new Map<string, Taken>();
  const refused: string[] = [];
  const refusedBy = new Map<string, RefusedBy>();
  let [bytes, before] = [0, 0];
  for (const claim of claims) {
    const quotas = claim.input.quotas.map((q) => ({ ...q, used: q.used + (used.get(quotaKey(q.scope, claim)) ?? 0) }));
    const counts = claim.input.counts?.map((c) => ({
      ...c,
      used: c.used + (used.get(`${c.of} ${quotaKey(c.scope, claim)}`) ?? 0),
    }));
    const input = { ...claim.input, quotas, counts, pools: state, offers, planned: plan.placed.get(claim.id) };
    const decision = decide(input, 'when-refused');
    const { winner, provisioned, backendIops, backendThroughput } = decision;
    if (winner === undefined) {
      refused.push(claim.id);
      const [first] = decision.candidates;
      const check = first?.checks.find((c) => !c.passed);
      if (check) refusedBy.set(claim.id, { pool: first!.pool, check });
      continue;
    }
    const taking = {
      provisioned: provisioned!,
      backendIops: backendIops!,
      backendThroughput: backendThroughput!,
    };
    const kept = winner === plan.placed.get(claim.id) ? plan.disks.get(claim.id) : undefined;
    const copies = place(state, winner, taking, claim.input.storageClass, kept);
    takings.set(claim.id, { ...taking, raw: Math.ceil(provisioned! * decision.footprintFactor!) });
    const { second, offsite } = decision;
    if (second) place(state, second.pool, second, claim.input.storageClass);
    if (offsite) place(state, offsite.pool, offsite, offsiteClass(claim.input.storageClass));
    const { iopsFloor } = tunedClass(claim.input.storageClass, claim.input.claim.tuned);
    const floor = rateFor(iopsFloor, provisioned!);
    for (const scope of ['namespace', 'class'] as const) {
      const key = quotaKey(scope, claim);
      used.set(key, (used.get(key) ?? 0) + provisioned!);
      used.set(`claims ${key}`, (used.get(`claims ${key}`) ?? 0) + 1);
      used.set(`iops ${key}`, (used.get(`iops ${key}`) ?? 0) + floor);
    }
    placed.set(claim.id, winner);
    if (copies) disks.set(claim.id, disksOf(copies));
    bytes += provisioned!;
    if (refused.length === 0) before += provisioned!;
  }
  return { placed, disks, takings, refused, refusedBy, bytes, bytesBeforeRefusal: before };
}

/** Rounds at most in which a plan that leaves claims out is taken apart and laid anew. */
const mostRounds = 2_000;

/**
 * Fits a batch as a whole: all of it where that can be found, and otherwise most bytes (docs/calculations.md, Fitting a batch).
 * First each claim in turn is placed where most is left for those that come after, whatever its class's strategy, and others of the
 * batch make room along chains of moves; a plan that leaves claims out is then taken apart in places and laid anew, and so is
 * one begun with the claims whose bytes are worth most at the prices of what is scarce. Of those and of what would come by itself,
 * the one that is preferred. The same batch has the same plan.
 */
export function fitBatch(
  pools: ReadonlyMap<string, Pool>,
  claims: readonly BatchClaim[],
  watching?: Watching,
  rounds = mostRounds,
): Fitted {
  const alone = fitOneByOne(pools, claims);
  // a copy elsewhere ties two pools together, which chains of moves do not follow
  if (claims.some(({ input: { storageClass: c } }) => c.secondCopy || c.offsite)) return alone;
  const list = [...pools.values()];
  const kinds = kindsOf(list, claims);
  const items = claims.map(({ id }, i): Item => ({ id, kind: kinds[i]! }));
  const told = (before: number) => (done: number) => {
    if (done % 50 === 0) watching?.progress(before + done, items.length + 2 * rounds);
    return watching?.stopped !== true;
  };
  const laid = (harbour: Harbour, first: readonly Item[], before: number, prices?: Prices): Fitted => {
    const random = seeded(items.length);
    const goesOn = told(before);
    improve(harbour, first, { random, rounds, goesOn, ...(prices && { prices }) });
    const plan = planOf(harbour, claims);
    // where pools keep our copies, or are sold in instances, how far one goes and what fits depends on who came before
    return list.some((p) => p.redundancy.kind === 'spread' || p.instances) ? fitOneByOne(pools, claims, plan) : plan;
  };
  const inTurn = new Harbour(list, kinds);
  const planned = laid(inTurn, takeTurns(inTurn, items, told(0)), items.length);
  if (planned.refused.length === 0) return planned;
  const priced = new Harbour(list, kinds);
  const prices = pricesFor(priced.roomLeft(), countsOf(kinds));
  const byWorth = [...items].sort((a, b) => worthOf(b.kind, prices) - worthOf(a.kind, prices));
  const waiting = byWorth.filter(({ id, kind }) => {
    const berth = priced.cheapest(kind, prices, () => false);
    if (berth) priced.take(id, kind, berth);
    return !berth;
  });
  return [planned, laid(priced, waiting, items.length + rounds, prices)].reduce(preferred, alone);
}

/** Bytes that a plan may place less than another, in parts of them, where it places more claims. */
const worthMoreClaims = 0.005;

function preferred(a: Fitted, b: Fitted): Fitted {
  const [less, more] = a.bytes < b.bytes ? [a, b] : [b, a];
  return less.bytes >= more.bytes * (1 - worthMoreClaims) && less.placed.size > more.placed.size ? less : more;
}

function countsOf(kinds: readonly Kind[]): Map<Kind, number> {
  const counts = new Map<Kind, number>();
  for (const kind of kinds) counts.set(kind, (counts.get(kind) ?? 0) + 1);
  return counts;
}

/** Each in its turn, with others making room for it; gives those that find none. */
function takeTurns(harbour: Harbour, items: readonly Item[], goesOn: (done: number) => boolean): Item[] {
  const waiting: Item[] = [];
  for (const [i, item] of items.entries()) {
    if (!goesOn(i)) return [...waiting, ...items.slice(i)];
    const tries = { left: waiting.length === 0 ? mostTries.before : mostTries.after };
    if (!makeRoom(harbour, item.id, item.kind, 3, tries, [])) waiting.push(item);
  }
  return waiting;
}

function planOf(harbour: Harbour, claims: readonly BatchClaim[]): Fitted {
  const placed = new Map<string, string>();
  const disks = new Map<string, readonly string[]>();
  let bytes = 0;
  harbour.lying.forEach((there, pool) => {
    for (const [kind, lying] of there)
      for (const { id, copies } of lying) {
        placed.set(id, harbour.names[pool]!);
        if (copies.length > 0) disks.set(id, disksOf(copies));
        bytes += kind.berths.find((b) => b.pool === pool)!.provisioned;
      }
  });
  return { placed, disks, bytes, refused: claims.filter((c) => !placed.has(c.id)).map((c) => c.id) };
}
