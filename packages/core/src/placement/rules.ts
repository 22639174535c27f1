import { tunedClass, tuningProblem, type TuningProblem } from '../classes/allowance';
import { offsiteClass, singleOf } from '../classes/elsewhere';
import type { StorageClass } from '../classes/storage-class';
import { backendRate, rateFor } from '../performance/term';
import { addedBy, givesMode } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { largestSold } from '../shares/carve';
import { provisionedSize } from '../sizes/provisioned';
import type { Bytes } from '../sizes/bytes';
import { makeOffer, offerRules, type Offer, type OfferRule } from './offer';
import type { CountLimit, Mooring, PlacementInput } from './request';
import { type Check, type RuleName, ruleNames } from './rule';

/** What every rule looks at, worked out once for each pool. */
export interface RuleContext {
  readonly input: PlacementInput;
  /** The class as the claim tuned it. */
  readonly storageClass: StorageClass;
  readonly pool: Pool;
  readonly offer: Offer;
  readonly mooring: Mooring | undefined;
  readonly provisioned: Bytes;
  /** What of them is added to what is promised of the pool: less, or more, where it is sold in instances. */
  readonly added: number;
  /** Front-end IOPS and MB/s reserved for the claim. */
  readonly floor: number;
  readonly throughputFloor: number;
  /** What those floors cost the pool in back-end operations and bytes per second. */
  readonly backendIops: number;
  readonly backendThroughput: number;
}

/** MB/s as the trade counts them. */
export const megabyte = 1_000_000;

export function ruleContext(
  input: PlacementInput,
  pool: Pool,
  mooring: Mooring | undefined,
  storageClass: StorageClass = tunedClass(input.storageClass, input.claim.tuned),
  offer: Offer = input.offers?.get(pool, storageClass) ?? makeOffer(pool, storageClass),
): RuleContext {
  const provisioned = provisionedSize(input.claim.size, pool);
  const floor = rateFor(storageClass.iopsFloor, provisioned);
  const throughputFloor = rateFor(storageClass.throughputFloor, provisioned);
  const { writeShare } = storageClass;
  return {
    input,
    storageClass,
    pool,
    offer,
    mooring,
    provisioned,
    added: addedBy(pool, provisioned),
    floor,
    throughputFloor,
    backendIops: backendRate(floor, offer.writeCost, pool.amplification, writeShare),
    // a written byte goes to every copy, or with its parity; amplification is about operations
    backendThroughput: megabyte * backendRate(throughputFloor, offer.footprintFactor, 1, writeShare),
  };
}

/** A rule: whether it passes, which is asked most often, and what it saw, which is told of it. */
interface Rule {
  passes(context: RuleContext): boolean;
  tell(context: RuleContext): Omit<Check, 'rule' | 'passed'>;
}

const text = (need: string, have: string) => ({ need, have, unit: 'text' }) as const;

function quotaRule(scope: 'namespace' | 'class'): Rule {
  const leftOf = ({ input }: RuleContext): number | undefined => {
    for (const quota of input.quotas) if (quota.scope === scope) return quota.limit - quota.used;
    return undefined;
  };
  return {
    passes: (context) => context.provisioned <= (leftOf(context) ?? Infinity),
    tell: (context) => ({ need: context.provisioned, have: leftOf(context) ?? 'no limit', unit: 'bytes' }),
  };
}

/** What a limit of counted things leaves, the tightest of them; undefined where there is none. */
export function countLeft({ counts }: Pick<PlacementInput, 'counts'>, of: CountLimit['of']): number | undefined {
  let left: number | undefined;
  for (const count of counts ?? []) if (count.of === of) left = Math.min(left ?? Infinity, count.limit - count.used);
  return left;
}
const countRule = (of: CountLimit['of'], need: (context: RuleContext) => number): Rule => ({
  passes: (context) => need(context) === 0 || need(context) <= (countLeft(context.input, of) ?? Infinity),
  tell: (context) => ({ need: need(context), have: countLeft(context.input, of) ?? 'no limit', unit: of }),
});

/** Whether so many bytes fit into a room, none fitting into any; `unlimited` is said where there is none. */
function roomRule(
  room: (context: RuleContext) => number,
  unlimited = '',
  need: (context: RuleContext) => number = ({ added }) => added,
): Rule {
  return {
    passes: (context) => need(context) === 0 || need(context) <= room(context),
    tell: (context) => {
      const left = room(context);
      return { need: need(context), have: left === Infinity ? unlimited : left, unit: 'bytes' };
    },
  };
}
const whole = ({ provisioned }: RuleContext): number => provisioned;

/** Bytes of the largest volume that a pool makes, whatever room it has. */
export const largestMade = ({ maximum, instances }: Pool): number =>
  instances ? Math.min(maximum, largestSold(instances.sizes)) : maximum;

/** A promised rate: without a floor nothing is reserved, however full the pool is of other promises. */
function rateRule(
  unit: 'iops' | 'bytes-per-second',
  need: (context: RuleContext) => number,
  left: (context: RuleContext) => number,
): Rule {
  return {
    passes: (context) => need(context) === 0 || need(context) <= left(context),
    tell: (context) => ({ need: need(context), have: left(context), unit }),
  };
}

function allowanceHave({ allowance, problem }: TuningProblem): string {
  if (!allowance) return 'not tunable';
  if (problem === 'not-for-namespace') return `for ${allowance.namespaces.join(', ')}`;
  return `${allowance.minimum} to ${allowance.maximum}`;
}

const tuningOf = ({ input: { claim, storageClass } }: RuleContext): TuningProblem | undefined =>
  claim.tuned && tuningProblem(storageClass, claim.tuned, claim.namespace);
const modeInClass = ({ storageClass, input: { claim } }: RuleContext): boolean =>
  storageClass.volumeMode === 'any' || storageClass.volumeMode === claim.volumeMode;
const zoneInClass = ({ storageClass, input: { claim } }: RuleContext): boolean =>
  !claim.zone || storageClass.zones.length === 0 || storageClass.zones.includes(claim.zone);
const wantedZones = ({ storageClass, input: { claim } }: RuleContext): readonly string[] =>
  claim.zone ? [claim.zone] : storageClass.zones;

/** Whether a site reaches a pool. */
export const isWithin = (site: string | undefined, { sites }: Pool): boolean =>
  site === undefined || sites === undefined || sites.includes(site);
const isHere = ({ input, pool }: Pick<RuleContext, 'input' | 'pool'>): boolean => isWithin(input.site, pool);

const claimRules: Record<Exclude<RuleName, OfferRule>, Rule> = {
  mooring: {
    passes: ({ mooring }) => mooring?.enabled ?? false,
    tell: ({ mooring }) => text('enabled', mooring ? (mooring.enabled ? 'enabled' : 'disabled') : 'none'),
  },
  grant: {
    passes: ({ input }) => input.granted ?? true,
    tell: ({ input: { granted, claim } }) =>
      text(claim.namespace, granted === undefined ? 'open to all' : granted ? 'granted' : 'not granted'),
  },
  allowance: {
    passes: (context) => tuningOf(context) === undefined,
    tell: (context) => {
      const problem = tuningOf(context);
      if (problem) return text(`${problem.setting} ${problem.asked}`, allowanceHave(problem));
      const { tuned } = context.input.claim;
      return text(tuned ? Object.keys(tuned).join(', ') : 'nothing', 'allowed');
    },
  },
  'access-mode': {
    passes: ({ pool, input: { claim } }) => claim.modes.every((mode) => givesMode(pool, mode, claim.volumeMode)),
    tell: ({ pool, input: { claim } }) =>
      text(claim.modes.join(', '), pool.access.join(', ') + (pool.sharedBlock ? ' (raw block shared)' : '')),
  },
  'volume-mode': {
    passes: (context) =>
      modeInClass(context) &&
      (context.input.claim.volumeMode === 'Filesystem' || context.pool.access.includes('block')),
    tell: (context) => {
      const given = context.pool.access.includes('block') ? 'Filesystem, Block' : 'Filesystem';
      return text(
        context.input.claim.volumeMode,
        modeInClass(context) ? given : `class: ${context.storageClass.volumeMode}`,
      );
    },
  },
  site: {
    passes: isHere,
    tell: ({ input, pool }) => text(input.site ?? 'any', pool.sites?.join(', ') ?? 'all sites'),
  },
  topology: {
    passes: (context) =>
      zoneInClass(context) &&
      (context.pool.zones.length === 0 || wantedZones(context).every((zone) => context.pool.zones.includes(zone))),
    tell: (context) => {
      const given = context.pool.zones.length > 0 ? context.pool.zones.join(', ') : 'all zones';
      const have = zoneInClass(context) ? given : `class: ${context.storageClass.zones.join(', ')}`;
      return text(wantedZones(context).join(', ') || 'any zone', have);
    },
  },
  'size-limit': roomRule(({ pool }) => largestMade(pool), '', whole),
  subscription: roomRule(({ offer }) => offer.subscriptionRoom),
  'disk-room': roomRule(({ offer }) => offer.diskRoom, 'placed by the backend', whole),
  allotment: roomRule(({ offer }) => offer.allotmentRoom, 'no cap'),
  'backend-cap': roomRule(({ offer }) => offer.capRoom, 'no cap'),
  iops: rateRule(
    'iops',
    (c) => c.backendIops,
    (c) => c.offer.iopsLeft,
  ),
  throughput: rateRule(
    'bytes-per-second',
    (c) => c.backendThroughput,
    (c) => c.offer.throughputLeft,
  ),
  'second-copy': {
    passes: (context) => !context.storageClass.secondCopy || findSecond(context) !== undefined,
    tell: (context) =>
      context.storageClass.secondCopy
        ? text('another backend', findSecond(context)?.pool.name ?? 'none that fits')
        : text('none', 'any'),
  },
  'offsite-copy': {
    passes: (context) => !context.storageClass.offsite || findOffsite(context) !== undefined,
    tell: (context) =>
      context.storageClass.offsite
        ? text('another site', findOffsite(context)?.pool.name ?? 'none that fits')
        : text('none', 'any'),
  },
  'namespace-quota': quotaRule('namespace'),
  'class-quota': quotaRule('class'),
  'claims-limit': countRule('claims', () => 1),
  'iops-limit': countRule('iops', ({ floor }) => floor),
};

const isOfferRule = (rule: RuleName): rule is OfferRule => (offerRules as readonly RuleName[]).includes(rule);

/** Each rule once, in order, ready to be asked. */
const asked: readonly ((context: RuleContext) => Check)[] = ruleNames.map((rule) => {
  if (isOfferRule(rule)) return ({ offer }) => offer.checks[rule];
  const { passes, tell } = claimRules[rule];
  return (context) => {
    const { need, have, unit } = tell(context);
    return { rule, passed: passes(context), need, have, unit };
  };
});

/** Every rule in order, each answered even when an earlier one failed: the trace shows all that is short. */
export const checkPool = (context: RuleContext): Check[] => asked.map((ask) => ask(context));

const placeOf = new Map(ruleNames.map((rule, i) => [rule, i]));
/** The rules about the claim in order, each with its place among all. */
const ofClaim = ruleNames.flatMap((rule, place) =>
  isOfferRule(rule) ? [] : [{ place, passes: claimRules[rule].passes }],
);

interface Askings {
  readonly input: PlacementInput;
  readonly storageClass: StorageClass;
  /** No rule that looks at claim and class alone fails, nothing is counted, and the class keeps no copy elsewhere. */
  readonly plain: boolean;
  readonly quotaLeft: number;
}
let lately: Askings | undefined;

/** What a claim asks of every pool alike: one input is asked about on many pools in a row. */
function askingsOf(context: RuleContext): Askings {
  const { input, storageClass } = context;
  if (lately?.input === input && lately.storageClass === storageClass) return lately;
  const plain =
    claimRules.grant.passes(context) &&
    claimRules.allowance.passes(context) &&
    (input.counts ?? []).length === 0 &&
    !storageClass.secondCopy &&
    !storageClass.offsite;
  let quotaLeft = Infinity;
  for (const { limit, used } of input.quotas) quotaLeft = Math.min(quotaLeft, limit - used);
  return (lately = { input, storageClass, plain, quotaLeft });
}

/** Whether all rules pass, answered without asking each; false means only that they have to be asked. */
function passesPlainly(context: RuleContext): boolean {
  const { offer, provisioned, added, backendIops, backendThroughput } = context;
  if (offer.firstFailed !== undefined || provisioned > offer.largest) return false;
  if (added > 0 && added > offer.room) return false;
  if (backendIops > 0 && backendIops > offer.iopsLeft) return false;
  if (backendThroughput > 0 && backendThroughput > offer.throughputLeft) return false;
  const { plain, quotaLeft } = askingsOf(context);
  return (
    plain &&
    provisioned <= quotaLeft &&
    (context.mooring?.enabled ?? false) &&
    isHere(context) &&
    claimRules['access-mode'].passes(context) &&
    claimRules['volume-mode'].passes(context) &&
    claimRules.topology.passes(context)
  );
}

/** The first rule that fails; undefined when all pass. */
export function firstFailure(context: RuleContext): Check | undefined {
  if (passesPlainly(context)) return undefined;
  const { firstFailed } = context.offer;
  const until = firstFailed === undefined ? ruleNames.length : placeOf.get(firstFailed)!;
  for (const { place, passes } of ofClaim) {
    if (place > until) break;
    if (!passes(context)) return asked[place]!(context);
  }
  return firstFailed && context.offer.checks[firstFailed];
}

const inOrder = (moorings: readonly Mooring[]): Mooring[] =>
  [...moorings].sort((a, b) => a.order - b.order || (a.pool < b.pool ? -1 : 1));

/**
 * Where the second copy of a class that keeps one goes: the first moored pool, in order, of another backend that would take the
 * volume by itself. A read may be served by either copy, a write goes to both: the second pool reserves what the first does.
 */
export function findSecond({ input, pool, storageClass }: RuleContext): RuleContext | undefined {
  for (const mooring of inOrder(input.moorings)) {
    const other = input.pools.get(mooring.pool);
    // a copy elsewhere is no share: it is not carved out of anything
    if (!other || other.instances || other.backend === pool.backend) continue;
    const second = ruleContext(input, other, mooring, singleOf(storageClass));
    if (passesAll(second)) return second;
  }
  return undefined;
}

/** Whether a pool is there for off-site copies alone: only other sites reach it. */
export const isElsewhere = (input: PlacementInput, pool: Pool): boolean => !isHere({ input, pool });

/**
 * A pool of another site, looked at for the off-site copy of a class. That is written later, so no speed is reserved for it, and
 * what names places of the claim's own site does not hold there.
 */
export const offsiteContext = (
  input: PlacementInput,
  pool: Pool,
  mooring: Mooring | undefined,
  storageClass: StorageClass,
): RuleContext =>
  ruleContext(
    { ...input, site: undefined, claim: { ...input.claim, zone: undefined, tuned: undefined } },
    pool,
    mooring,
    offsiteClass(storageClass),
  );

/** Where the off-site copy of a class that keeps one goes: the first moored pool, in order, of another site that would take it. */
export function findOffsite({ input, storageClass }: RuleContext): RuleContext | undefined {
  for (const mooring of inOrder(input.moorings)) {
    const pool = input.pools.get(mooring.pool);
    if (!pool || pool.instances || !isElsewhere(input, pool)) continue;
    const copy = offsiteContext(input, pool, mooring, storageClass);
    if (passesAll(copy)) return copy;
  }
  return undefined;
}

export const passesAll = (context: RuleContext): boolean => firstFailure(context) === undefined;
