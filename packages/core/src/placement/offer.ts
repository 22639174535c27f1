import { atHardMark, fill, subscriptionCeiling, type ThinState } from '../capacity/thin';
import { levels, type StorageClass } from '../classes/storage-class';
import {
  copiesOffered,
  copiesOn,
  diskRoom,
  footprintFactor,
  iopsLeft,
  liveDomains,
  thinState,
  throughputLeft,
  writeCost,
} from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import type { Check, RuleName } from './rule';

/** The rules that look at class and pool alone: the same answer for every claim. */
export const offerRules = [
  'backend',
  'writable',
  'protocol',
  'encryption',
  'reduction',
  'snapshots',
  'offsite',
  'expansion',
  'copies',
  'domain-level',
  'witness',
  'pinned-nodes',
  'fill',
] as const satisfies readonly RuleName[];
export type OfferRule = (typeof offerRules)[number];

/** What one pool can give one class, whatever the claim: worked out once, used for every claim that is tried. */
export interface Offer {
  readonly pool: Pool;
  readonly storageClass: StorageClass;
  readonly checks: Readonly<Record<OfferRule, Check>>;
  /** The first rule that fails, in the order of the rules. */
  readonly firstFailed?: OfferRule;
  readonly thin: ThinState;
  /** Provisioned bytes that may still be promised, and those one volume can have at most on the disks there are. */
  readonly subscriptionRoom: number;
  readonly diskRoom: number;
  /** Provisioned bytes left under our allotment and the cap over the backend. */
  readonly allotmentRoom: number;
  readonly capRoom: number;
  /** Provisioned bytes of the largest volume that pool and disks take, and those that may be added to what is promised: promises, allotment, cap. */
  readonly largest: number;
  readonly room: number;
  /** Back-end operations and bytes per second that may still be promised. */
  readonly iopsLeft: number;
  readonly throughputLeft: number;
  readonly copiesOn: number;
  /** Back-end operations of one front-end write, before amplification. */
  readonly writeCost: number;
  readonly footprintFactor: number;
}

type Fact = Omit<Check, 'rule'>;
const text = (passed: boolean, need: string, have: string): Fact => ({ passed, need, have, unit: 'text' });
/** A demand that a class may make and a pool can or cannot meet. */
const demand = (wanted: boolean, given: boolean): Fact =>
  text(given || !wanted, wanted ? 'demanded' : 'any', given ? 'offered' : 'not offered');

function copiesCheck(pool: Pool, cls: StorageClass): Fact {
  const { most } = copiesOffered(pool);
  if (!cls.shards) return { passed: cls.copies <= most, need: cls.copies, have: most, unit: 'copies' };
  const need = `${cls.shards.data}+${cls.shards.parity}`;
  if (pool.redundancy.kind === 'inner') return text(cls.copies <= most, need, `survives ${pool.redundancy.survives}`);
  const { scheme } = pool.redundancy;
  if (scheme.kind === 'copies') return text(false, need, 'copies only');
  const same = scheme.data === cls.shards.data && scheme.parity === cls.shards.parity;
  return text(same, need, `${scheme.data}+${scheme.parity}`);
}

function reduction(pool: Pool, cls: StorageClass): Fact {
  const wanted = [cls.compression && 'compression', cls.deduplication && 'deduplication'].filter(Boolean);
  const given = [pool.compression && 'compression', pool.deduplication && 'deduplication'].filter(Boolean);
  const passed = wanted.every((w) => given.includes(w));
  return text(passed, wanted.join(', ') || 'any', given.join(', ') || 'none');
}

const facts: Record<OfferRule, (pool: Pool, cls: StorageClass, thin: ThinState) => Fact> = {
  backend: (pool) =>
    text(
      pool.reachable && pool.healthy,
      'healthy',
      !pool.reachable ? 'unreachable' : pool.healthy ? 'healthy' : 'unhealthy',
    ),
  writable: (pool) => text(pool.takes === 'volumes', 'volumes', pool.takes),
  protocol: (pool, cls) =>
    text(
      cls.protocols.length === 0 || cls.protocols.some((p) => pool.protocols.includes(p)),
      cls.protocols.join(', ') || 'any',
      pool.protocols.join(', ') || 'none that is known',
    ),
  encryption: (pool, cls) =>
    text(
      pool.encryption || !cls.encrypted,
      cls.encrypted ? 'encrypted' : 'any',
      pool.encryption ? 'encrypted' : 'plain',
    ),
  reduction,
  snapshots: (pool, cls) => demand(cls.safeguard !== undefined, pool.snapshots),
  offsite: (pool, cls) => demand(cls.offsite, pool.offsite),
  expansion: (pool, cls) =>
    text(
      pool.expansion || !cls.expansion,
      cls.expansion ? 'growing' : 'any',
      pool.expansion ? 'growing' : 'fixed size',
    ),
  copies: copiesCheck,
  'domain-level': (pool, cls) => {
    // what an array keeps within itself is near by nature
    const level = pool.redundancy.kind === 'inner' ? 'node' : pool.redundancy.level;
    const apart = cls.copies === 1 || levels.indexOf(level) >= levels.indexOf(cls.level);
    return text(apart, cls.level, pool.redundancy.kind === 'inner' ? 'within the array' : level);
  },
  witness: (pool, cls) => {
    if (!cls.witness) return text(true, 'none', 'any');
    if (pool.redundancy.kind === 'inner') return text(true, 'a third vote', "the array's own affair");
    const live = liveDomains(pool);
    return { passed: live >= cls.copies + 1, need: cls.copies + 1, have: live, unit: 'copies' };
  },
  'pinned-nodes': (pool, cls) => {
    if (cls.pinnedNodes.length === 0) return text(true, 'any node', 'any node');
    if (pool.redundancy.kind === 'inner') return text(false, cls.pinnedNodes.join(', '), 'no nodes of its own');
    const live = liveDomains(pool, cls.pinnedNodes);
    return { passed: live >= copiesOn(pool, cls.copies), need: copiesOn(pool, cls.copies), have: live, unit: 'copies' };
  },
  fill: (_pool, _cls, thin) => ({ passed: !atHardMark(thin), need: thin.hardMark, have: fill(thin), unit: 'share' }),
};

/**
 * Provisioned bytes left under our allotment, and under the cap over the backend, both of which are raw, for volumes that take
 * `factor` raw bytes for each of theirs; infinite where there is none.
 */
export const allotmentRoom = ({ allotment, taken }: Pool, factor: number): number =>
  allotment === undefined ? Infinity : Math.floor((allotment - taken) / factor);
export const capRoom = ({ backendCap }: Pool, factor: number): number =>
  backendCap === undefined ? Infinity : Math.floor((backendCap.limit - backendCap.taken) / factor);

export function makeOffer(pool: Pool, storageClass: StorageClass): Offer {
  const thin = thinState(pool, storageClass.copies);
  const checks = {} as Record<OfferRule, Check>;
  let firstFailed: OfferRule | undefined;
  for (const rule of offerRules) {
    const check = { rule, ...facts[rule](pool, storageClass, thin) };
    checks[rule] = check;
    if (!check.passed) firstFailed ??= rule;
  }
  const factor = footprintFactor(pool, storageClass.copies);
  const onDisks = diskRoom(pool, copiesOn(pool, storageClass.copies), storageClass.pinnedNodes);
  const rooms = {
    subscriptionRoom: subscriptionCeiling(thin) - thin.subscribed,
    allotmentRoom: allotmentRoom(pool, factor),
    capRoom: capRoom(pool, factor),
  };
  return {
    pool,
    storageClass,
    checks,
    firstFailed,
    thin,
    largest: Math.min(pool.maximum, onDisks),
    room: Math.min(...Object.values(rooms)),
    diskRoom: onDisks,
    ...rooms,
    iopsLeft: iopsLeft(pool),
    throughputLeft: throughputLeft(pool),
    copiesOn: copiesOn(pool, storageClass.copies),
    writeCost: writeCost(pool, storageClass.copies),
    footprintFactor: factor,
  };
}

/** Offers kept for as long as pools and classes stay the same objects. */
export class Offers {
  private readonly kept = new WeakMap<StorageClass, WeakMap<Pool, Offer>>();
  private readonly lists = new WeakMap<StorageClass, { pools: readonly Pool[]; offers: readonly Offer[] }>();
  private lately?: { readonly storageClass: StorageClass; readonly byPool: WeakMap<Pool, Offer> };

  get(pool: Pool, storageClass: StorageClass): Offer {
    const byPool = this.ofClass(storageClass);
    let offer = byPool.get(pool);
    if (!offer) byPool.set(pool, (offer = makeOffer(pool, storageClass)));
    return offer;
  }

  /** Those of one class on many pools, in their order: one look-up for all of them while it is the same list. */
  of(pools: readonly Pool[], storageClass: StorageClass): readonly Offer[] {
    const known = this.lists.get(storageClass);
    if (known?.pools === pools) return known.offers;
    const offers = pools.map((pool) => this.get(pool, storageClass));
    this.lists.set(storageClass, { pools, offers });
    return offers;
  }

  /** One class is asked about on many pools in a row. */
  private ofClass(storageClass: StorageClass): WeakMap<Pool, Offer> {
    if (this.lately?.storageClass === storageClass) return this.lately.byPool;
    let byPool = this.kept.get(storageClass);
    if (!byPool) this.kept.set(storageClass, (byPool = new WeakMap()));
    this.lately = { storageClass, byPool };
    return byPool;
  }
}
