import type { AccessMode, StorageClass } from '../classes/storage-class';
import type { Pool } from '../pools/pool-state';
import { GiB, type Bytes } from '../sizes/bytes';
import { classRoom, decide, rankPools, type ClassRoom } from './decide';
import type { Offers } from './offer';
import type { ClaimRequest, Mooring, PlacementInput } from './request';
import { isWithin, passesAll, ruleContext } from './rules';

/** Volumes alike in class, pool and provisioned size. */
export interface Held {
  readonly className: string;
  readonly pool: string;
  readonly bytes: number;
  readonly count: number;
}

/** Classes, pools, what ties them, and what is kept: all that the outlook of a site needs. */
export interface Site {
  /** Its name, where pools of other sites are among the pools. */
  readonly name?: string;
  readonly classes: readonly StorageClass[];
  readonly moorings: ReadonlyMap<string, readonly Mooring[]>;
  readonly pools: ReadonlyMap<string, Pool>;
  readonly held: readonly Held[];
  readonly offers?: Offers;
}

/** What a class is taken to be asked for where nobody asked it yet. */
export const guessedSize = 100 * GiB;

/** The middle size of the volumes of a class, each counted; undefined when there are none. */
export function usualSize(held: readonly Held[], className: string): number | undefined {
  const own = held.filter((h) => h.className === className).sort((a, b) => a.bytes - b.bytes);
  let left = own.reduce((sum, h) => sum + h.count, 0) / 2;
  return own.find((h) => (left -= h.count) <= 0)?.bytes;
}

/** How much more a class takes, in claims of its usual size. */
export interface Outlook extends ClassRoom {
  readonly usual: number;
  /** Whether anybody asked it yet, or the size is a guess. */
  readonly known: boolean;
  /** The access mode that is counted. */
  readonly mode: AccessMode;
}

/** A claim as a class is usually asked for it. */
const usualMode = (cls: StorageClass): AccessMode =>
  cls.purpose === 'shared-files' ? 'ReadWriteMany' : 'ReadWriteOnce';
const usualClaim = (cls: StorageClass, size: number): ClaimRequest => ({
  namespace: '',
  size: size as Bytes,
  modes: [usualMode(cls)],
  volumeMode: cls.volumeMode === 'Block' ? 'Block' : 'Filesystem',
});

const inputOf = (site: Site, storageClass: StorageClass, size: number): PlacementInput => ({
  claim: usualClaim(storageClass, size),
  ...(site.name !== undefined && { site: site.name }),
  storageClass,
  moorings: site.moorings.get(storageClass.name) ?? [],
  pools: site.pools,
  quotas: [],
  offers: site.offers,
});

/** How many more GiB and claims of its usual size would bind in a class before the first refusal, and what stops them. */
export function outlookOf(site: Site, storageClass: StorageClass): Outlook {
  const usual = usualSize(site.held, storageClass.name);
  const room = classRoom(inputOf(site, storageClass, usual ?? guessedSize));
  return { ...room, usual: usual ?? guessedSize, known: usual !== undefined, mode: usualMode(storageClass) };
}

/** The share of its size by which a volume is taken to grow next. */
export const usualGrowth = 0.25;

/** What the next thing that happens to a volume may need. */
export const needs = ['growing', 'cloning', 'remaking'] as const;
export type Need = (typeof needs)[number];

/**
 * Whether volumes of a kind could next be made larger where they are, be cloned, and be made anew on another pool should theirs
 * be lost. Growing is asked only of classes that allow it.
 */
export function abilities(site: Site, held: Held): Record<Need, boolean> {
  const cls = site.classes.find((c) => c.name === held.className);
  const pool = site.pools.get(held.pool);
  if (!cls || !pool) return { growing: false, cloning: false, remaking: false };
  const moorings = site.moorings.get(cls.name) ?? [];
  const mooring = moorings.find((m) => m.pool === held.pool);
  const more = Math.ceil(held.bytes * usualGrowth);
  const grows = ruleContext(inputOf(site, cls, more), pool, mooring);
  const again = inputOf(site, cls, held.bytes);
  const elsewhere = { ...again, moorings: moorings.filter((m) => m.pool !== held.pool) };
  return {
    growing: cls.expansion && held.bytes + more <= pool.maximum && passesAll(grows),
    cloning: decide(again).winner !== undefined,
    remaking: decide(elsewhere).winner !== undefined,
  };
}

/** What a change of classes and moorings does to one class. */
export interface ClassChange {
  readonly className: string;
  readonly before?: Outlook;
  readonly after?: Outlook;
  /** Pools that it may keep its volumes on; those of other sites do not count. */
  readonly poolsBefore: number;
  readonly poolsAfter: number;
  /** Where the next claim of the usual size lands; undefined where nothing fits. */
  readonly landsBefore?: string;
  readonly landsAfter?: string;
  /** Volumes that could do it before and cannot after. */
  readonly lost: Readonly<Record<Need, number>>;
}

const poolsOf = (site: Site, className: string): number =>
  (site.moorings.get(className) ?? []).filter((m) => {
    const pool = site.pools.get(m.pool);
    return m.enabled && pool !== undefined && isWithin(site.name, pool);
  }).length;

/** Compares a site as it is with the same one after planned changes, class by class; classes that nothing happens to are left out. */
export function compareSites(before: Site, after: Site): ClassChange[] {
  const names = [...new Set([...before.classes, ...after.classes].map((c) => c.name))];
  return names.flatMap((className): ClassChange[] => {
    const [was, becomes] = [before, after].map((site) => site.classes.find((c) => c.name === className));
    const lost: Record<Need, number> = { growing: 0, cloning: 0, remaking: 0 };
    for (const held of before.held.filter((h) => h.className === className)) {
      const [could, can] = [abilities(before, held), abilities(after, held)];
      for (const need of needs) if (could[need] && !can[need]) lost[need] += held.count;
    }
    const lands = (site: Site, cls: StorageClass | undefined) =>
      cls && rankPools(inputOf(site, cls, usualSize(site.held, className) ?? guessedSize)).winner;
    const change: ClassChange = {
      className,
      landsBefore: lands(before, was),
      landsAfter: lands(after, becomes),
      ...(was && { before: outlookOf(before, was) }),
      ...(becomes && { after: outlookOf(after, becomes) }),
      poolsBefore: poolsOf(before, className),
      poolsAfter: poolsOf(after, className),
      lost,
    };
    const same =
      change.before?.claims === change.after?.claims &&
      change.before?.bytes === change.after?.bytes &&
      change.landsBefore === change.landsAfter &&
      change.poolsBefore === change.poolsAfter &&
      needs.every((need) => lost[need] === 0);
    return same ? [] : [change];
  });
}
