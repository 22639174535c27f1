export type FactUnit = 'bytes' | 'iops' | 'claims' | 'bytes-per-second' | 'copies' | 'share' | 'text';

/** The rules in the order they are tried (docs/calculations.md, Choosing a pool). */
export const ruleNames = [
  'mooring',
  'grant',
  'allowance',
  'backend',
  'writable',
  'site',
  'protocol',
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
  'second-copy',
  'offsite-copy',
  'namespace-quota',
  'class-quota',
  'claims-limit',
  'iops-limit',
] as const;

export type RuleName = (typeof ruleNames)[number];

/** One rule's outcome as data: what was needed, what there was. Wording belongs to the interface. */
export interface Check {
  readonly rule: RuleName;
  readonly passed: boolean;
  readonly need: number | string;
  readonly have: number | string;
  readonly unit: FactUnit;
}
