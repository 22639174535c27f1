import { tunedClass, tuningProblem, type TuningProblem } from '../classes/allowance';
import type { StorageClass } from '../classes/storage-class';
import { backendRate, rateFor } from '../performance/term';
import { givesMode, type Pool } from '../pools/pool';
import { provisionedSize } from '../sizes/provisioned';
import type { Bytes } from '../sizes/bytes';
import { makeOffer, offerRules, type Offer, type OfferRule } from './offer';
import type { Mooring, PlacementInput } from './request';

/** The rules in the order they are tried (domain §7). */
export const ruleNames = [
  'mooring',
  'grant',
  'allowance',
  'backend',
  'writable',
  'access-mode',
  'volume-mode',
  'encryption',
  'reduction',
  'snapshots',
  'offsite',
  'expansion',
  'copies',
  'domain-level',
  'witness',
  'pinned-nodes',
  'topology',
  'size-limit',
  'fill',
  'subscription',
  'disk-room',
  'allotment',
  'backend-cap',
  'iops',
  'throughput',
  'namespace-quota',
  'class-quota',
] as const;
export type RuleName = (typeof ruleNames)[number];

export type FactUnit = 'bytes' | 'iops' | 'bytes-per-second' | 'copies' | 'share' | 'text';

/** One rule's outcome as data: what was needed, what there was. Wording belongs to the interface. */
export interface Check {
  readonly rule: RuleName;
  readonly passed: boolean;
  readonly need: number | string;
  readonly have: number | string;
  readonly unit: FactUnit;
}

/** What every rule looks at, worked out once for each pool. */
export interface RuleContext {
  readonly input: PlacementInput;
  /** The class as the claim tuned it. */
  readonly storageClass: StorageClass;
  readonly pool: Pool;
  readonly offer: Offer;
  readonly mooring: Mooring | undefined;
  readonly provisioned: Bytes;
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
): RuleContext {
  const offer = input.offers?.get(pool, storageClass) ?? makeOffer(pool, storageClass);
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
    floor,
    throughputFloor,
    backendIops: backendRate(floor, offer.copiesOn, pool.amplification, writeShare),
    // a written byte goes to every copy; amplification is about operations
    backendThroughput: megabyte * backendRate(throughputFloor, offer.copiesOn, 1, writeShare),
  };
}

type Rule = (context: RuleContext) => Omit<Check, 'rule'>;

function quotaCheck(scope: 'namespace' | 'class'): Rule {
  return ({ input, provisioned }) => {
    const quota = input.quotas.find((q) => q.scope === scope);
    if (!quota) return { passed: true, need: provisioned, have: 'no limit', unit: 'bytes' };
    const left = quota.limit - quota.used;
    return { passed: provisioned <= left, need: provisioned, have: left, unit: 'bytes' };
  };
}

const withinRoom = (provisioned: Bytes, room: number): Omit<Check, 'rule'> => ({
  passed: provisioned <= room,
  need: provisioned,
  have: room,
  unit: 'bytes',
});

function allowanceHave({ allowance, problem }: TuningProblem): string {
  if (!allowance) return 'not tunable';
  if (problem === 'not-for-namespace') return `for ${allowance.namespaces.join(', ')}`;
  return `${allowance.minimum} to ${allowance.maximum}`;
}

const claimRules: Record<Exclude<RuleName, OfferRule>, Rule> = {
  mooring: ({ mooring }) => ({
    passed: mooring?.enabled ?? false,
    need: 'enabled',
    have: mooring ? (mooring.enabled ? 'enabled' : 'disabled') : 'none',
    unit: 'text',
  }),
  grant: ({ input }) => ({
    passed: input.granted ?? true,
    need: input.claim.namespace,
    have: input.granted === undefined ? 'open to all' : input.granted ? 'granted' : 'not granted',
    unit: 'text',
  }),
  allowance: ({ input: { claim, storageClass } }) => {
    const problem = claim.tuned && tuningProblem(storageClass, claim.tuned, claim.namespace);
    if (problem)
      return {
        passed: false,
        need: `${problem.setting} ${problem.asked}`,
        have: allowanceHave(problem),
        unit: 'text',
      };
    return {
      passed: true,
      need: claim.tuned ? Object.keys(claim.tuned).join(', ') : 'nothing',
      have: 'allowed',
      unit: 'text',
    };
  },
  'access-mode': ({ pool, input: { claim } }) => {
    const missing = claim.modes.filter((mode) => !givesMode(pool, mode, claim.volumeMode));
    return {
      passed: missing.length === 0,
      need: claim.modes.join(', '),
      have: pool.access.join(', ') + (pool.sharedBlock ? ' (raw block shared)' : ''),
      unit: 'text',
    };
  },
  'volume-mode': ({ pool, storageClass, input: { claim } }) => {
    const inClass = storageClass.volumeMode === 'any' || storageClass.volumeMode === claim.volumeMode;
    return {
      passed: inClass && (claim.volumeMode === 'Filesystem' || pool.access.includes('block')),
      need: claim.volumeMode,
      have: !inClass
        ? `class: ${storageClass.volumeMode}`
        : pool.access.includes('block')
          ? 'Filesystem, Block'
          : 'Filesystem',
      unit: 'text',
    };
  },
  topology: ({ pool, storageClass, input: { claim } }) => {
    const wanted = claim.zone ? [claim.zone] : storageClass.zones;
    const inClass = !claim.zone || storageClass.zones.length === 0 || storageClass.zones.includes(claim.zone);
    const reached = pool.zones.length === 0 || wanted.every((zone) => pool.zones.includes(zone));
    return {
      passed: inClass && reached,
      need: wanted.length ? wanted.join(', ') : 'any zone',
      have: !inClass
        ? `class: ${storageClass.zones.join(', ')}`
        : pool.zones.length
          ? pool.zones.join(', ')
          : 'all zones',
      unit: 'text',
    };
  },
  'size-limit': ({ pool, provisioned }) => withinRoom(provisioned, pool.maximum),
  subscription: ({ offer, provisioned }) => withinRoom(provisioned, offer.subscriptionRoom),
  'disk-room': ({ offer, provisioned }) => ({
    passed: provisioned <= offer.diskRoom,
    need: provisioned,
    have: offer.diskRoom === Infinity ? 'placed by the backend' : offer.diskRoom,
    unit: 'bytes',
  }),
  allotment: ({ pool, provisioned }) =>
    pool.allotment === undefined
      ? { passed: true, need: provisioned, have: 'no cap', unit: 'bytes' }
      : withinRoom(provisioned, pool.allotment - pool.taken),
  'backend-cap': ({ pool, provisioned }) =>
    pool.backendCap
      ? withinRoom(provisioned, pool.backendCap.limit - pool.backendCap.taken)
      : { passed: true, need: provisioned, have: 'no cap', unit: 'bytes' },
  iops: ({ offer, backendIops }) => ({
    // without a floor nothing is reserved, however full the pool is of other promises
    passed: backendIops === 0 || backendIops <= offer.iopsLeft,
    need: backendIops,
    have: offer.iopsLeft,
    unit: 'iops',
  }),
  throughput: ({ offer, backendThroughput }) => ({
    passed: backendThroughput === 0 || backendThroughput <= offer.throughputLeft,
    need: backendThroughput,
    have: offer.throughputLeft,
    unit: 'bytes-per-second',
  }),
  'namespace-quota': quotaCheck('namespace'),
  'class-quota': quotaCheck('class'),
};

const isOfferRule = (rule: RuleName): rule is OfferRule => (offerRules as readonly RuleName[]).includes(rule);
/** Each rule once, in order, ready to be asked. */
const asked: readonly ((context: RuleContext) => Check)[] = ruleNames.map((rule) => {
  if (isOfferRule(rule)) return (context) => context.offer.checks[rule];
  const decide = claimRules[rule];
  return (context) => {
    const { passed, need, have, unit } = decide(context);
    return { rule, passed, need, have, unit };
  };
});

/** Every rule in order, each answered even when an earlier one failed: the trace shows all that is short. */
export const checkPool = (context: RuleContext): Check[] => asked.map((ask) => ask(context));

/** The first rule that fails; undefined when all pass. */
export function firstFailure(context: RuleContext): Check | undefined {
  for (const ask of asked) {
    const check = ask(context);
    if (!check.passed) return check;
  }
  return undefined;
}

export const passesAll = (context: RuleContext): boolean => firstFailure(context) === undefined;
