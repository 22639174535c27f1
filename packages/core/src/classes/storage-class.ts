import type { RateTerm } from '../performance/term';

export const accessModes = ['ReadWriteOnce', 'ReadOnlyMany', 'ReadWriteMany', 'ReadWriteOncePod'] as const;
export type AccessMode = (typeof accessModes)[number];
export const volumeModes = ['Filesystem', 'Block'] as const;
export type VolumeMode = (typeof volumeModes)[number];
export const reclaimPolicies = ['Delete', 'Retain'] as const;
export type ReclaimPolicy = (typeof reclaimPolicies)[number];
export const bindingModes = ['Immediate', 'WaitForFirstConsumer'] as const;
export type BindingMode = (typeof bindingModes)[number];
/** in order: first passing mooring; spread: most headroom left; pack: smallest that fits (domain §7). */
export const strategies = ['in-order', 'spread', 'pack'] as const;
export type Strategy = (typeof strategies)[number];

/** What a class promises. Rates are IOPS. */
export interface StorageClass {
  readonly name: string;
  readonly copies: number;
  readonly encrypted: boolean;
  readonly iopsFloor?: RateTerm;
  readonly iopsCeiling?: RateTerm;
  /** Writes in the expected load, 0 to 1; decides what a floor costs the pool. */
  readonly writeShare: number;
  readonly reclaim: ReclaimPolicy;
  readonly binding: BindingMode;
  readonly expansion: boolean;
  readonly strategy: Strategy;
  /** Zones a volume must be reachable from; empty means any. */
  readonly zones: readonly string[];
  /** Keep one copy on the first pod's node where the pool allows it. */
  readonly locality: boolean;
}
