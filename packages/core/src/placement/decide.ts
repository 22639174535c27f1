import { aboveSoftMark, subscriptionCeiling } from '../capacity/thin';
import { tunedClass } from '../classes/allowance';
import { promisableShare } from '../performance/term';
import type { Bytes } from '../sizes/bytes';
import { capRoom } from './offer';
import type { Mooring, PlacementInput } from './request';
import { carveOne, sharesThatFit, type Carved } from '../shares/instances';
import { placesOnDisks } from '../replicas/on-pool';
import {
  checkPool,
  findOffsite,
  findSecond,
  firstFailure,
  isElsewhere,
  offsiteContext,
  passesAll,
  ruleContext,
  type RuleContext,
} from './rules';
import type { Check, RuleName } from './rule';

/** Fractions left after placement, and what they come to under the class's strategy. Larger is better. */
export interface Score {
  readonly bytesLeft: number;
  readonly iopsLeft: number;
  readonly throughputLeft: number;
  /** The dominant headroom: the smallest of the three. */
  readonly headroom: number;
  readonly weight: number;
  readonly total: number;
  /** Above its soft mark: still used, ranked last (docs/calculations.md, Capacity). */
  readonly aboveSoftMark: boolean;
  /** A plan for many claims chose this pool for the claim: it wins. */
  readonly planned: boolean;
}

export interface Candidate {
  readonly pool: string;
  readonly order: number;
  readonly checks: readonly Check[];
  /** Present when every check passed. */
  readonly score?: Score;
  /** Where the volume would be carved out, of a pool that is sold in instances. */
  readonly carved?: Carved;
}

/** A decision and its trace, as data. */
export interface Decision {
  readonly candidates: readonly Candidate[];
  /** The pool chosen; undefined when nothing fits. */
  readonly winner?: string;
  readonly runnerUp?: string;
  readonly provisioned?: Bytes;
  readonly iopsFloor?: number;
  readonly backendIops?: number;
  /** MB/s reserved, and the bytes per second they cost the pool. */
  readonly throughputFloor?: number;
  readonly backendThroughput?: number;
  /** Where on the winner the volume is carved out, when that is sold in instances. */
  readonly carved?: Carved;
  /** Raw bytes per provisioned byte that the winner counts. */
  readonly footprintFactor?: number;
  /** The copy on another backend, when the class keeps one. */
  readonly second?: FurtherCopy;
  /** The copy at another site, when the class keeps one. */
  readonly offsite?: FurtherCopy;
}

/** Where another copy of a volume goes, and what it takes there. */
export interface FurtherCopy {
  readonly pool: string;
  readonly provisioned: Bytes;
  readonly footprintFactor: number;
  readonly backendIops: number;
  readonly backendThroughput: number;
}

/**
 * How good a pool is under `spread`: its headroom, bytes counted in places for the largest volume usually asked, since plain
 * headroom ends with every pool holding a remainder too small for the large ones. A pool that after this volume takes as many of
 * the largest as before gains on the others, the more the better the volume fills a remainder: a small one there takes nothing from
 * large ones. It gains no more than that, so that small pools are not full while large ones are empty, and what has no other place
 * finds one. The weights are those that placed most before the first refusal over seven kinds of sites (`npm run bench placing`).
 */
export function spreadScore(of: {
  /** Provisioned bytes left before the volume, of how many in all; its own, and those of the largest volume usually asked. */
  readonly left: number;
  readonly whole: number;
  readonly provisioned: number;
  readonly largest: number;
  /** Fraction left of IOPS and throughput after it, the smaller; and the dominant headroom, bytes counted as well. */
  readonly ratesLeft: number;
  readonly headroom: number;
}): number {
  const { left, whole, provisioned, largest, ratesLeft, headroom } = of;
  const after = left - provisioned;
  const places = Math.floor(after / largest);
  if (Math.floor(left / largest) === places) return 0.6 + 1.5 * headroom - (0.2 * (after % largest)) / largest;
  return Math.min((places * largest) / whole, ratesLeft) + 0.05 * headroom;
}

/** Fraction left of a whole after taking: 1 where there is no whole to take from, never below 0. */
const leftOf = (whole: number, promised: number, taking: number): number =>
  whole > 0 && Number.isFinite(whole) ? Math.max(0, whole - promised - taking) / whole : 1;

function scoreOf(context: RuleContext, mooring: Mooring, largest: number): Score {
  const { input, offer, pool, added, backendIops, backendThroughput } = context;
  const { thin } = offer;
  const ceiling = subscriptionCeiling(thin);
  const bytesLeft = Math.min(
    ceiling > 0 ? (ceiling - thin.subscribed - added) / ceiling : 0,
    pool.allotment ? (pool.allotment - pool.taken - added * offer.footprintFactor) / pool.allotment : 1,
  );
  const iopsLeft = leftOf(promisableShare * pool.iops, pool.promisedIops, backendIops);
  const throughputLeft = leftOf(promisableShare * pool.throughput, pool.promisedThroughput, backendThroughput);
  const headroom = Math.min(bytesLeft, iopsLeft, throughputLeft);
  const { strategy } = context.storageClass;
  const bySpread = () =>
    spreadScore({
      left: offer.subscriptionRoom,
      whole: ceiling,
      provisioned: added,
      largest,
      ratesLeft: Math.min(iopsLeft, throughputLeft),
      headroom,
    });
  const base = strategy === 'in-order' ? 1 / mooring.order : strategy === 'spread' ? bySpread() : 1 - headroom;
  // a weight of two makes the second in order worth as much as the first: that is the weight's purpose
  return {
    bytesLeft,
    iopsLeft,
    throughputLeft,
    headroom,
    weight: mooring.weight,
    total: base * mooring.weight,
    aboveSoftMark: aboveSoftMark(thin),
    planned: input.planned === pool.id,
  };
}

/** Planned before others, above the soft mark after others, then by score; equal ones by name. */
function better(a: Tried, b: Tried): number {
  const [x, y] = [a.score!, b.score!];
  const [m, n] = [a.context.pool.name, b.context.pool.name];
  return (
    Number(y.planned) - Number(x.planned) ||
    Number(x.aboveSoftMark) - Number(y.aboveSoftMark) ||
    y.total - x.total ||
    (m < n ? -1 : m > n ? 1 : 0)
  );
}

interface Tried {
  readonly mooring: Mooring;
  readonly context: RuleContext;
  /** Present when every rule passes. */
  readonly score?: Score;
}

/** Every moored pool in order, with its score when all rules pass; and those that pass, best first. */
function tryPools(input: PlacementInput): { tried: readonly Tried[]; ranked: readonly Tried[] } {
  const storageClass = tunedClass(input.storageClass, input.claim.tuned);
  const moorings = [...input.moorings].sort((a, b) => a.order - b.order || (a.pool < b.pool ? -1 : 1));
  // of the pools the class may use: what others ask there decides what is worth keeping room for
  let largest: number = input.claim.size;
  for (const { pool } of moorings) largest = Math.max(largest, input.pools.get(pool)?.largest ?? 0);
  const tried: Tried[] = [];
  for (const mooring of moorings) {
    const pool = input.pools.get(mooring.pool);
    if (!pool) continue;
    const context = ruleContext(input, pool, mooring, storageClass);
    tried.push(
      passesAll(context) ? { mooring, context, score: scoreOf(context, mooring, largest) } : { mooring, context },
    );
  }
  const ranked = tried.filter((t) => t.score !== undefined).sort(better);
  return { tried, ranked };
}

/** The pools that win and come second, without the trace: what a whole grid asks of every class. */
export function rankPools(input: PlacementInput): { readonly winner?: string; readonly runnerUp?: string } {
  const [first, second] = tryPools(input).ranked;
  return { winner: first?.context.pool.id, runnerUp: second?.context.pool.id };
}

function carvedIn({ pool, provisioned }: RuleContext): { readonly carved?: Carved } {
  const carved = pool.instances && carveOne(pool.instances, provisioned);
  return carved ? { carved } : {};
}

function furtherCopies(context: RuleContext): Pick<Decision, 'second' | 'offsite'> {
  const { secondCopy, offsite } = context.storageClass;
  const taken = (at: RuleContext | undefined): FurtherCopy | undefined =>
    at && {
      pool: at.pool.id,
      provisioned: at.provisioned,
      footprintFactor: at.offer.footprintFactor,
      backendIops: at.backendIops,
      backendThroughput: at.backendThroughput,
    };
  const [second, further] = [
    secondCopy ? taken(findSecond(context)) : undefined,
    offsite ? taken(findOffsite(context)) : undefined,
  ];
  return { ...(second && { second }), ...(further && { offsite: further }) };
}

/**
 * Chooses a pool for a claim (docs/calculations.md, Choosing a pool). Every moored pool is tried against every rule; passing ones are scored. The same
 * input always gives the same answer. Moorings to pools that are not known are left out. Of many claims one after the other only
 * the refused ones are asked why: their trace alone is made then.
 */
export function decide(input: PlacementInput, trace: 'always' | 'when-refused' = 'always'): Decision {
  const { tried, ranked } = tryPools(input);
  const traced = trace === 'always' || ranked.length === 0 ? tried : [];
  const candidates = traced.map(({ mooring, context, score }): Candidate => ({
    pool: context.pool.id,
    order: mooring.order,
    checks: checkPool(context),
    ...(score && { score }),
    ...(score && carvedIn(context)),
  }));
  const [first, second] = ranked;
  if (!first) return { candidates };
  const { offer, pool, provisioned, floor, backendIops, throughputFloor, backendThroughput } = first.context;
  return {
    candidates,
    winner: pool.id,
    runnerUp: second?.context.pool.id,
    provisioned,
    iopsFloor: floor,
    backendIops,
    throughputFloor,
    backendThroughput,
    footprintFactor: offer.footprintFactor,
    ...carvedIn(first.context),
    ...furtherCopies(first.context),
  };
}

/** Volumes counted at most, where nothing limits them. */
export const mostCounted = 100_000;

export interface Room {
  readonly claims: number;
  /** The rule that refuses the next one; undefined when more than `mostCounted` fit. */
  readonly stoppedBy?: RuleName;
}

/**
 * How many volumes like the claim's one pool takes before its first refusal, and the rule that refuses. Quotas are left out:
 * they are the namespace's, not the pool's. Every limit shrinks by the same step with every volume, so each tells its count;
 * single disks tell how many volumes find places on them.
 */
export function roomFor(context: RuleContext): Room {
  const { offer, pool, provisioned, backendIops, backendThroughput } = context;
  let claims = mostCounted;
  let stoppedBy: RuleName | undefined;
  const bound = (rule: RuleName, left: number, step: number) => {
    const fit = step > 0 ? Math.max(0, Math.floor(left / step)) : mostCounted;
    if (fit < claims) {
      claims = fit;
      stoppedBy = rule;
    }
  };
  const rooms = [
    ['subscription', offer.subscriptionRoom],
    ['allotment', offer.allotmentRoom],
    ['backend-cap', offer.capRoom],
  ] as const;
  if (pool.instances) {
    const [rule, room] = rooms.reduce((least, next) => (next[1] < least[1] ? next : least));
    bound(rule, sharesThatFit(pool.instances, provisioned, room, mostCounted), 1);
  } else for (const [rule, room] of rooms) bound(rule, room, provisioned);
  bound('iops', offer.iopsLeft, backendIops);
  bound('throughput', offer.throughputLeft, backendThroughput);
  const places = placesOnDisks(pool, context.storageClass, provisioned);
  if (places < claims) {
    claims = places;
    stoppedBy = 'disk-room';
  }
  return { claims, stoppedBy };
}

/** The same for a whole class: over its pools together, with caps over backends counted once. */
export interface ClassRoom {
  readonly claims: number;
  readonly bytes: number;
  /** What stops the last pools, by pool. */
  readonly stoppedBy: readonly { readonly pool: string; readonly rule: RuleName }[];
}

/**
 * How many more claims of one size a class takes over all its moored pools before the first refusal. With equal claims no
 * order of choosing makes a difference: a claim is refused only when no pool has room. With a second copy each claim takes a
 * place on two backends: over rooms aᵢ at most min(⌊Σaᵢ/2⌋, Σaᵢ − max aᵢ); with an off-site copy, one at another site as well.
 */
export function classRoom(input: PlacementInput): ClassRoom {
  const storageClass = tunedClass(input.storageClass, input.claim.tuned);
  const perBackend = new Map<
    string,
    { claims: number; bytes: number; provisioned: number; raw: number; cap: number }
  >();
  const stoppedBy: { pool: string; rule: RuleName }[] = [];
  const open = { ...input, quotas: [] };
  let elsewhere = 0;
  for (const mooring of input.moorings) {
    const pool = input.pools.get(mooring.pool);
    if (!pool || !mooring.enabled) continue;
    const isOffsite = isElsewhere(input, pool);
    if (isOffsite && !storageClass.offsite) continue;
    const context = isOffsite
      ? offsiteContext(open, pool, mooring, storageClass)
      : ruleContext(open, pool, mooring, storageClass);
    const failure = firstFailure(context);
    const room: Room = failure ? { claims: 0, stoppedBy: failure.rule } : roomFor(context);
    if (room.stoppedBy) stoppedBy.push({ pool: pool.id, rule: room.stoppedBy });
    if (isOffsite) {
      elsewhere += room.claims;
      continue;
    }
    const so = perBackend.get(pool.backend);
    perBackend.set(pool.backend, {
      claims: (so?.claims ?? 0) + room.claims,
      bytes: (so?.bytes ?? 0) + room.claims * context.provisioned,
      provisioned: Math.max(so?.provisioned ?? 0, context.provisioned),
      raw: Math.max(so?.raw ?? 0, context.provisioned * context.offer.footprintFactor),
      cap: capRoom(pool, 1),
    });
  }
  let [places, bytes, largest] = [0, 0, 0];
  for (const part of perBackend.values()) {
    const within = Math.min(part.claims, Math.max(0, Math.floor(part.cap / part.raw)));
    places += within;
    largest = Math.max(largest, within);
    bytes += within === part.claims ? part.bytes : within * part.provisioned;
  }
  const paired = storageClass.secondCopy ? Math.min(Math.floor(places / 2), places - largest) : places;
  const claims = storageClass.offsite ? Math.min(paired, elsewhere) : paired;
  return {
    claims: Math.min(claims, mostCounted),
    bytes: claims === places ? bytes : Math.round((bytes / places) * claims),
    stoppedBy,
  };
}
