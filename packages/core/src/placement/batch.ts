import { subscriptionCeiling } from '../capacity/thin';
import type { StorageClass } from '../classes/storage-class';
import { iopsLimit, throughputLimit, withVolume, type Taking } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { tunedClass } from '../classes/allowance';
import { placeOnPool, promisableDisks, withCopies } from '../replicas/on-pool';
import type { PlacedCopy } from '../replicas/place';
import { decide, spreadScore } from './decide';
import { Offers } from './offer';
import type { PlacementInput, Quota } from './request';
import { offsiteClass } from '../classes/elsewhere';
import { passesAll, ruleContext } from './rules';

/** One claim of a batch with what is decided about it alone; the pools are the batch's. */
export interface BatchClaim {
  readonly id: string;
  readonly input: Omit<PlacementInput, 'pools' | 'offers' | 'planned'>;
}

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

type QuotaUse = Map<string, number>;
const quotaKey = (scope: Quota['scope'], { input }: BatchClaim): string =>
  scope === 'namespace' ? input.claim.namespace : `${input.claim.namespace}/${input.storageClass.name}`;

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

/** One way to place a kind of claim: what it takes of the pool, and up to where the pool goes for its class. */
interface Berth {
  readonly pool: number;
  readonly provisioned: number;
  readonly raw: number;
  readonly rawCeiling: number;
  readonly iops: number;
  readonly throughput: number;
  /** Copies that find disks of their own there; 0 where the backend places data itself. */
  readonly copies: number;
}

/** One claim that lies on a pool, with the disks of its copies. */
interface Lying {
  readonly id: string;
  readonly copies: readonly PlacedCopy[];
}

/** Claims that are the same to every rule: any of them may stand for another. */
interface Kind {
  readonly berths: readonly Berth[];
  readonly size: number;
  readonly storageClass: StorageClass;
  readonly quotas: readonly { readonly key: string; readonly limit: number }[];
}

/** Room on the disk with most of it in each failure domain of a pool, where we place copies. */
function roomsOf(pool: Pool): Map<string, number> {
  const rooms = new Map<string, number>();
  for (const d of promisableDisks(pool) ?? [])
    if (d.usable) rooms.set(d.domain, Math.max(rooms.get(d.domain) ?? 0, d.capacity - d.used));
  return rooms;
}

/** The pools as plain numbers while a batch is being fitted, with who lies where. */
class Harbour {
  readonly names: readonly string[];
  private readonly raw: number[];
  private readonly taken: number[];
  private readonly iops: number[];
  private readonly throughput: number[];
  private readonly largest: number[];
  private readonly capTaken = new Map<string, number>();
  private readonly quotaUsed: QuotaUse = new Map();
  /** By pool and kind, the claims that lie there. */
  readonly lying: Map<Kind, Lying[]>[];
  /** By pool, room on the disk with most of it in each failure domain: what decides whether copies fit. */
  private readonly rooms: Map<string, number>[];
  private readonly pools: Pool[];

  constructor(pools: readonly Pool[]) {
    this.pools = [...pools];
    this.rooms = pools.map(roomsOf);
    this.names = pools.map((p) => p.id);
    this.raw = pools.map((p) => p.subscribedRaw);
    this.taken = pools.map((p) => p.taken);
    this.iops = pools.map((p) => p.promisedIops);
    this.throughput = pools.map((p) => p.promisedThroughput);
    this.largest = pools.map((p) => p.largest);
    this.lying = pools.map(() => new Map<Kind, Lying[]>());
    for (const p of pools) if (p.backendCap) this.capTaken.set(p.backend, p.backendCap.taken);
  }

  fits(kind: Kind, berth: Berth): boolean {
    const { pool: i, provisioned } = berth;
    const pool = this.pools[i]!;
    return (
      this.raw[i]! + berth.raw <= berth.rawCeiling &&
      this.taken[i]! + berth.raw <= (pool.allotment ?? Infinity) &&
      (!pool.backendCap || this.capTaken.get(pool.backend)! + berth.raw <= pool.backendCap.limit) &&
      (berth.iops === 0 || berth.iops <= iopsLimit(pool) - this.iops[i]!) &&
      (berth.throughput === 0 || berth.throughput <= throughputLimit(pool) - this.throughput[i]!) &&
      kind.quotas.every((q) => (this.quotaUsed.get(q.key) ?? 0) + provisioned <= q.limit) &&
      this.findsDisks(kind, berth)
    );
  }

  private findsDisks({ storageClass }: Kind, { pool, provisioned, copies }: Berth): boolean {
    if (copies === 0) return true;
    // pinned nodes are few: their disks are looked at one by one
    if (storageClass.pinnedNodes.length > 0)
      return placeOnPool(this.pools[pool]!, storageClass, provisioned) !== undefined;
    let domains = 0;
    for (const room of this.rooms[pool]!.values()) if (room >= provisioned && ++domains === copies) return true;
    return false;
  }

  /** More or less on the disks of some copies. */
  private load(pool: number, copies: readonly PlacedCopy[], bytes: number): void {
    if (copies.length === 0) return;
    this.pools[pool] = withCopies(this.pools[pool]!, copies, bytes);
    this.rooms[pool] = roomsOf(this.pools[pool]);
  }

  /** The berth that leaves most to those who come after; undefined when none fits. */
  best(kind: Kind): Berth | undefined {
    let largest = kind.size;
    for (const berth of kind.berths) largest = Math.max(largest, this.largest[berth.pool]!);
    let best: Berth | undefined;
    let most = -Infinity;
    for (const berth of kind.berths) {
      if (!this.fits(kind, berth)) continue;
      const { pool: i, rawCeiling, raw, provisioned } = berth;
      const pool = this.pools[i]!;
      const factor = raw / provisioned;
      const left = (rawCeiling - this.raw[i]!) / factor;
      const limits = [iopsLimit(pool), throughputLimit(pool)] as const;
      const ratesLeft = Math.min(
        limits[0] > 0 ? (limits[0] - this.iops[i]! - berth.iops) / limits[0] : 1,
        limits[1] > 0 ? (limits[1] - this.throughput[i]! - berth.throughput) / limits[1] : 1,
      );
      const headroom = Math.min((rawCeiling - this.raw[i]! - raw) / rawCeiling, ratesLeft);
      const score = spreadScore({ left, whole: rawCeiling / factor, provisioned, largest, ratesLeft, headroom });
      if (score > most) [best, most] = [berth, score];
    }
    return best;
  }

  private change(kind: Kind, berth: Berth, sign: 1 | -1): void {
    const { pool: i, provisioned } = berth;
    this.raw[i]! += sign * berth.raw;
    this.taken[i]! += sign * berth.raw;
    this.iops[i]! += sign * berth.iops;
    this.throughput[i]! += sign * berth.throughput;
    const { backend, backendCap } = this.pools[i]!;
    if (backendCap) this.capTaken.set(backend, this.capTaken.get(backend)! + sign * berth.raw);
    for (const { key } of kind.quotas) this.quotaUsed.set(key, (this.quotaUsed.get(key) ?? 0) + sign * provisioned);
  }

  /** A claim takes a berth; `copies` where it lay before, when it comes back. */
  take(id: string, kind: Kind, berth: Berth, before?: readonly PlacedCopy[]): void {
    const copies =
      before ??
      (berth.copies > 0 ? placeOnPool(this.pools[berth.pool]!, kind.storageClass, berth.provisioned) : []) ??
      [];
    this.load(berth.pool, copies, berth.provisioned);
    this.change(kind, berth, 1);
    this.largest[berth.pool] = Math.max(this.largest[berth.pool]!, berth.provisioned);
    const there = this.lying[berth.pool]!;
    const alike = there.get(kind);
    if (alike) alike.push({ id, copies });
    else there.set(kind, [{ id, copies }]);
  }

  /** The claim of the kind that came last leaves. */
  leave(kind: Kind, berth: Berth): Lying {
    this.change(kind, berth, -1);
    const there = this.lying[berth.pool]!;
    const alike = there.get(kind)!;
    const leaver = alike.pop()!;
    if (alike.length === 0) there.delete(kind);
    this.load(berth.pool, leaver.copies, -berth.provisioned);
    return leaver;
  }
}

/** Tries at most for making room for one claim: before the first refusal, when every claim counts, and after it. */
const mostTries = { before: 20_000, after: 300 };

/**
 * Makes room for a claim along a chain of at most `depth` moves: somebody leaves a pool of the claim for another of their own,
 * where in turn room may be made. Gives the number of moves; on failure everything is as it was.
 */
function makeRoom(
  harbour: Harbour,
  id: string,
  kind: Kind,
  depth: number,
  tries: { left: number },
  barred: readonly number[],
): number | undefined {
  const free = harbour.best(kind);
  if (free) {
    harbour.take(id, kind, free);
    return 0;
  }
  if (depth === 0) return undefined;
  for (const berth of kind.berths) {
    if (barred.includes(berth.pool)) continue;
    // who leaves should free enough and no more than needed: the nearest in size first, too small ones last
    const others = [...harbour.lying[berth.pool]!.keys()].sort((a, b) => {
      const [x, y] = [a.size - kind.size, b.size - kind.size];
      return Number(x < 0) - Number(y < 0) || Math.abs(x) - Math.abs(y);
    });
    for (const other of others) {
      if (--tries.left < 0) return undefined;
      const from = other.berths.find((b) => b.pool === berth.pool)!;
      const leaver = harbour.leave(other, from);
      if (harbour.fits(kind, berth)) {
        harbour.take(id, kind, berth);
        const moves = makeRoom(harbour, leaver.id, other, depth - 1, tries, [...barred, berth.pool]);
        if (moves !== undefined) return moves + 1;
        harbour.leave(kind, berth);
      }
      harbour.take(leaver.id, other, from, leaver.copies);
    }
  }
  return undefined;
}

function kindsOf(pools: readonly Pool[], claims: readonly BatchClaim[]): Kind[] {
  const index = new Map(pools.map((p, i) => [p.id, i]));
  const byId = new Map(pools.map((p) => [p.id, p]));
  const offers = new Offers();
  const known = new Map<string, Kind>();
  return claims.map((claim) => {
    const { claim: asked, storageClass, moorings, quotas, granted } = claim.input;
    const key = JSON.stringify([storageClass.name, asked, granted, quotas.map((q) => [q.scope, q.limit, q.used])]);
    const so = known.get(key);
    if (so) return so;
    const input: PlacementInput = { ...claim.input, pools: byId, offers };
    const berths = [...moorings]
      .sort((a, b) => a.order - b.order || (a.pool < b.pool ? -1 : 1))
      .flatMap((mooring): Berth[] => {
        const pool = byId.get(mooring.pool);
        const context = pool && ruleContext(input, pool, mooring);
        // limits only get tighter: what is refused now is refused for good
        if (!context || !passesAll(context)) return [];
        const { offer, provisioned, backendIops, backendThroughput } = context;
        const { footprintFactor } = offer;
        return [
          {
            pool: index.get(pool.id)!,
            provisioned,
            raw: Math.ceil(provisioned * footprintFactor),
            rawCeiling: Math.floor(subscriptionCeiling(offer.thin) * footprintFactor),
            iops: backendIops,
            throughput: backendThroughput,
            copies: pool.redundancy.kind === 'spread' && pool.redundancy.disks ? storageClass.copies : 0,
          },
        ];
      });
    const kind: Kind = {
      berths,
      size: asked.size,
      storageClass: tunedClass(storageClass, asked.tuned),
      quotas: quotas.map((q) => ({ key: quotaKey(q.scope, claim), limit: q.limit - q.used })),
    };
    known.set(key, kind);
    return kind;
  });
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
