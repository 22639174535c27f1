import { tunables, type Allowance, type Tunable, type Tuned } from './tunable';
import type { StorageClass } from './storage-class';

export interface TuningProblem {
  readonly setting: Tunable;
  readonly asked: number | string;
  readonly problem: 'not-a-number' | 'not-tunable' | 'not-for-namespace' | 'below' | 'above';
  readonly allowance?: Allowance;
}

/** Why a tuned setting is not within the class's allowances; the first one that is wrong, in the order of `tunables`. */
export function tuningProblem(cls: StorageClass, tuned: Tuned, namespace: string): TuningProblem | undefined {
  for (const setting of tunables) {
    const asked = tuned[setting];
    if (asked === undefined) continue;
    const allowance = cls.allowances.find((a) => a.setting === setting);
    const wrong = (problem: TuningProblem['problem']) => ({ setting, asked, problem, allowance });
    if (typeof asked !== 'number') return wrong('not-a-number');
    if (!allowance) return wrong('not-tunable');
    if (allowance.namespaces.length > 0 && !allowance.namespaces.includes(namespace)) return wrong('not-for-namespace');
    if (asked < allowance.minimum) return wrong('below');
    if (asked > allowance.maximum) return wrong('above');
  }
  return undefined;
}

/** The class as the claim tuned it: tuned rates are fixed ones. Bounds are a rule's affair. */
export function tunedClass(cls: StorageClass, tuned: Tuned | undefined): StorageClass {
  if (!tuned) return cls;
  const number = (setting: Tunable): number | undefined =>
    typeof tuned[setting] === 'number' ? tuned[setting] : undefined;
  const fixed = (setting: Tunable) => {
    const value = number(setting);
    return value === undefined ? undefined : ({ kind: 'fixed', value } as const);
  };
  const copies = number('copies');
  return {
    ...cls,
    ...(copies !== undefined && !cls.shards && { copies: Math.min(5, Math.max(1, copies)) }),
    iopsFloor: fixed('iops-floor') ?? cls.iopsFloor,
    iopsCeiling: fixed('iops-ceiling') ?? cls.iopsCeiling,
    throughputFloor: fixed('throughput-floor') ?? cls.throughputFloor,
    throughputCeiling: fixed('throughput-ceiling') ?? cls.throughputCeiling,
  };
}
