import { atHardMark, fill, subscriptionCeiling } from '../capacity/thin';
import { backendRate, rateFor } from '../performance/term';
import { copiesOffered, copiesOn, diskRoom, givesMode, iopsLeft, thinState, type Pool } from '../pools/pool';
import { provisionedSize } from '../sizes/provisioned';
import type { Bytes } from '../sizes/bytes';
import type { Mooring, PlacementInput } from './request';

/** The rules in the order they are tried (domain §7). */
export const ruleNames = [
  'mooring',
  'backend',
  'writable',
  'access-mode',
  'volume-mode',
  'encryption',
  'expansion',
  'copies',
  'topology',
  'size-limit',
  'fill',
  'subscription',
  'disk-room',
  'allotment',
  'backend-cap',
  'iops',
  'namespace-quota',
  'class-quota',
] as const;
export type RuleName = (typeof ruleNames)[number];

export type FactUnit = 'bytes' | 'iops' | 'copies' | 'share' | 'text';

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
  readonly pool: Pool;
  readonly mooring: Mooring | undefined;
  readonly provisioned: Bytes;
  /** Front-end IOPS reserved for the claim. */
  readonly floor: number;
  /** What that floor costs the pool in back-end operations. */
  readonly backendIops: number;
}

export function ruleContext(input: PlacementInput, pool: Pool, mooring: Mooring | undefined): RuleContext {
  const { storageClass: cls, claim } = input;
  const provisioned = provisionedSize(claim.size, pool);
  const floor = rateFor(cls.iopsFloor, provisioned);
  const backendIops = backendRate(floor, copiesOn(pool, cls.copies), pool.amplification, cls.writeShare);
  return { input, pool, mooring, provisioned, floor, backendIops };
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

const rules: Record<RuleName, Rule> = {
  mooring: ({ mooring }) => ({
    passed: mooring?.enabled ?? false,
    need: 'enabled',
    have: mooring ? (mooring.enabled ? 'enabled' : 'disabled') : 'none',
    unit: 'text',
  }),
  backend: ({ pool }) => ({
    passed: pool.reachable && pool.healthy,
    need: 'healthy',
    have: !pool.reachable ? 'unreachable' : pool.healthy ? 'healthy' : 'unhealthy',
    unit: 'text',
  }),
  writable: ({ pool }) => ({ passed: pool.takes === 'volumes', need: 'volumes', have: pool.takes, unit: 'text' }),
  'access-mode': ({ pool, input: { claim } }) => {
    const missing = claim.modes.filter((mode) => !givesMode(pool, mode, claim.volumeMode));
    return {
      passed: missing.length === 0,
      need: claim.modes.join(', '),
      have: pool.access.join(', ') + (pool.sharedBlock ? ' (raw block shared)' : ''),
      unit: 'text',
    };
  },
  'volume-mode': ({ pool, input: { claim } }) => ({
    passed: claim.volumeMode === 'Filesystem' || pool.access.includes('block'),
    need: claim.volumeMode,
    have: pool.access.includes('block') ? 'Filesystem, Block' : 'Filesystem',
    unit: 'text',
  }),
  encryption: ({ pool, input: { storageClass } }) => ({
    passed: pool.encryption || !storageClass.encrypted,
    need: storageClass.encrypted ? 'encrypted' : 'any',
    have: pool.encryption ? 'encrypted' : 'plain',
    unit: 'text',
  }),
  expansion: ({ pool, input: { storageClass } }) => ({
    passed: pool.expansion || !storageClass.expansion,
    need: storageClass.expansion ? 'growing' : 'any',
    have: pool.expansion ? 'growing' : 'fixed size',
    unit: 'text',
  }),
  copies: ({ pool, input: { storageClass } }) => {
    const { most } = copiesOffered(pool);
    return { passed: storageClass.copies <= most, need: storageClass.copies, have: most, unit: 'copies' };
  },
  topology: ({ pool, input: { storageClass, claim } }) => {
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
  'size-limit': ({ pool, provisioned }) => ({
    passed: provisioned <= pool.maximum,
    need: provisioned,
    have: pool.maximum,
    unit: 'bytes',
  }),
  fill: ({ pool, input: { storageClass } }) => {
    const thin = thinState(pool, storageClass.copies);
    return { passed: !atHardMark(thin), need: thin.hardMark, have: fill(thin), unit: 'share' };
  },
  subscription: ({ pool, provisioned, input: { storageClass } }) => {
    const thin = thinState(pool, storageClass.copies);
    const room = subscriptionCeiling(thin) - thin.subscribed;
    return { passed: provisioned <= room, need: provisioned, have: room, unit: 'bytes' };
  },
  'disk-room': ({ pool, provisioned, input: { storageClass } }) => {
    const room = diskRoom(pool, storageClass.copies);
    return {
      passed: provisioned <= room,
      need: provisioned,
      have: room === Infinity ? 'placed by the backend' : room,
      unit: 'bytes',
    };
  },
  allotment: ({ pool, provisioned }) => {
    if (pool.allotment === undefined) return { passed: true, need: provisioned, have: 'no cap', unit: 'bytes' };
    const room = pool.allotment - pool.taken;
    return { passed: provisioned <= room, need: provisioned, have: room, unit: 'bytes' };
  },
  'backend-cap': ({ pool, provisioned }) => {
    if (!pool.backendCap) return { passed: true, need: provisioned, have: 'no cap', unit: 'bytes' };
    const room = pool.backendCap.limit - pool.backendCap.taken;
    return { passed: provisioned <= room, need: provisioned, have: room, unit: 'bytes' };
  },
  iops: ({ pool, backendIops }) => {
    const left = iopsLeft(pool);
    // without a floor nothing is reserved, however full the pool is of other promises
    return { passed: backendIops === 0 || backendIops <= left, need: backendIops, have: left, unit: 'iops' };
  },
  'namespace-quota': quotaCheck('namespace'),
  'class-quota': quotaCheck('class'),
};

/** Every rule in order, each answered even when an earlier one failed: the trace shows all that is short. */
export function checkPool(context: RuleContext): Check[] {
  return ruleNames.map((rule) => {
    const { passed, need, have, unit } = rules[rule](context);
    return { rule, passed, need, have, unit };
  });
}

/** Whether all rules pass, without keeping the answers. */
export const passesAll = (context: RuleContext): boolean => ruleNames.every((rule) => rules[rule](context).passed);
