import type { Pool } from '../pools/pool-state';
import { iopsLimit, throughputLimit } from '../pools/pool';
import { placeOnPool, promisableDisks, withCopies } from '../replicas/on-pool';
import type { PlacedCopy } from '../replicas/place';
import { slackIn } from '../shares/instances';
import { takenOf, type Berth, type Kind, type QuotaUse } from './berth';
import { spreadScore } from './decide';
import { costOf, type Prices, type Rooms } from './prices';

/** One claim that lies on a pool, with the disks of its copies. */
export interface Lying {
  readonly id: string;
  readonly copies: readonly PlacedCopy[];
}

/** Room on the disk with most of it in each failure domain of a pool, where we place copies. */
function roomsOf(pool: Pool): Map<string, number> {
  const rooms = new Map<string, number>();
  for (const d of promisableDisks(pool) ?? [])
    if (d.usable) rooms.set(d.domain, Math.max(rooms.get(d.domain) ?? 0, d.capacity - d.used));
  return rooms;
}

/** The pools as plain numbers while a batch is being fitted, with who lies where. */
export class Harbour {
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
  /** Raw bytes up to which each pool goes for the kind that it goes farthest for. */
  private readonly ceilings: number[];

  constructor(pools: readonly Pool[], kinds: Iterable<Kind>) {
    this.ceilings = pools.map(() => 0);
    for (const { berths } of kinds)
      for (const b of berths) this.ceilings[b.pool] = Math.max(this.ceilings[b.pool]!, b.rawCeiling);
    this.pools = [...pools];
    this.rooms = pools.map(roomsOf);
    this.names = pools.map((p) => p.id);
    // what is bought and not carved yet is room; whether whole instances come out of it is seen when the plan is tried
    const slack = (p: Pool) => (p.instances ? slackIn(p.instances) : 0);
    this.raw = pools.map((p) => p.subscribedRaw - slack(p));
    this.taken = pools.map((p) => p.taken - slack(p));
    this.iops = pools.map((p) => p.promisedIops);
    this.throughput = pools.map((p) => p.promisedThroughput);
    this.largest = pools.map((p) => p.largest);
    this.lying = pools.map(() => new Map<Kind, Lying[]>());
    for (const p of pools) if (p.backendCap) this.capTaken.set(p.backend, p.backendCap.taken);
  }

  fits(kind: Kind, berth: Berth): boolean {
    const { pool: i } = berth;
    const pool = this.pools[i]!;
    return (
      this.raw[i]! + berth.raw <= berth.rawCeiling &&
      this.taken[i]! + berth.raw <= (pool.allotment ?? Infinity) &&
      (!pool.backendCap || this.capTaken.get(pool.backend)! + berth.raw <= pool.backendCap.limit) &&
      (berth.iops === 0 || berth.iops <= iopsLimit(pool) - this.iops[i]!) &&
      (berth.throughput === 0 || berth.throughput <= throughputLimit(pool) - this.throughput[i]!) &&
      kind.quotas.every((q) => (this.quotaUsed.get(q.key) ?? 0) + takenOf(q.of, berth) <= q.limit) &&
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

  /** What each pool still has for new volumes. */
  roomLeft(): Rooms {
    const within = (limit: number, promised: number) => (limit > 0 ? limit - promised : Infinity);
    return {
      raw: this.pools.map((p, i) =>
        Math.min(this.ceilings[i]! - this.raw[i]!, (p.allotment ?? Infinity) - this.taken[i]!),
      ),
      iops: this.pools.map((p, i) => within(iopsLimit(p), this.iops[i]!)),
      throughput: this.pools.map((p, i) => within(throughputLimit(p), this.throughput[i]!)),
    };
  }

  /** The berth that costs least at these prices, of those that are not overlooked. */
  cheapest(kind: Kind, prices: Prices, overlooks: () => boolean): Berth | undefined {
    return this.least(kind, overlooks, (berth) => costOf(berth, prices));
  }

  /** The berth whose pool has least left after it, of those that are not overlooked. */
  tightest(kind: Kind, overlooks: () => boolean): Berth | undefined {
    return this.least(kind, overlooks, ({ pool, raw, rawCeiling }) => rawCeiling - this.raw[pool]! - raw);
  }

  private least(kind: Kind, overlooks: () => boolean, of: (berth: Berth) => number): Berth | undefined {
    let [best, least]: [Berth | undefined, number] = [undefined, Infinity];
    for (const berth of kind.berths) {
      if (overlooks() || !this.fits(kind, berth)) continue;
      const so = of(berth);
      if (so < least) [best, least] = [berth, so];
    }
    return best;
  }

  private change(kind: Kind, berth: Berth, sign: 1 | -1): void {
    const { pool: i } = berth;
    this.raw[i]! += sign * berth.raw;
    this.taken[i]! += sign * berth.raw;
    this.iops[i]! += sign * berth.iops;
    this.throughput[i]! += sign * berth.throughput;
    const { backend, backendCap } = this.pools[i]!;
    if (backendCap) this.capTaken.set(backend, this.capTaken.get(backend)! + sign * berth.raw);
    for (const { key, of } of kind.quotas)
      this.quotaUsed.set(key, (this.quotaUsed.get(key) ?? 0) + sign * takenOf(of, berth));
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
export const mostTries = { before: 20_000, after: 300 };

/**
 * Makes room for a claim along a chain of at most `depth` moves: somebody leaves a pool of the claim for another of their own,
 * where in turn room may be made. On failure everything is as it was.
 */
export function makeRoom(
  harbour: Harbour,
  id: string,
  kind: Kind,
  depth: number,
  tries: { left: number },
  barred: readonly number[],
): boolean {
  const free = harbour.best(kind);
  if (free) {
    harbour.take(id, kind, free);
    return true;
  }
  if (depth === 0) return false;
  for (const berth of kind.berths) {
    if (barred.includes(berth.pool)) continue;
    // who leaves should free enough and no more than needed: the nearest in size first, too small ones last
    const others = [...harbour.lying[berth.pool]!.keys()].sort((a, b) => {
      const [x, y] = [a.size - kind.size, b.size - kind.size];
      return Number(x < 0) - Number(y < 0) || Math.abs(x) - Math.abs(y);
    });
    for (const other of others) {
      if (--tries.left < 0) return false;
      const from = other.berths.find((b) => b.pool === berth.pool)!;
      const leaver = harbour.leave(other, from);
      if (harbour.fits(kind, berth)) {
        harbour.take(id, kind, berth);
        if (makeRoom(harbour, leaver.id, other, depth - 1, tries, [...barred, berth.pool])) return true;
        harbour.leave(kind, berth);
      }
      harbour.take(leaver.id, other, from, leaver.copies);
    }
  }
  return false;
}
