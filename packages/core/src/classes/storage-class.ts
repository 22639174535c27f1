import type { VolumeProtocol } from './protocol';
import { defaultWriteShare, type RateTerm } from '../performance/term';
import type { Allowance } from './tunable';

export const accessModes = ['ReadWriteOnce', 'ReadOnlyMany', 'ReadWriteMany', 'ReadWriteOncePod'] as const;
export type AccessMode = (typeof accessModes)[number];
export const volumeModes = ['Filesystem', 'Block'] as const;
export type VolumeMode = (typeof volumeModes)[number];
export const reclaimPolicies = ['Delete', 'Retain'] as const;
export type ReclaimPolicy = (typeof reclaimPolicies)[number];
export const bindingModes = ['Immediate', 'WaitForFirstConsumer'] as const;
export type BindingMode = (typeof bindingModes)[number];
/** in order: first passing mooring; spread: most headroom left; pack: smallest that fits (docs/calculations.md, Choosing a pool). */
export const strategies = ['in-order', 'spread', 'pack'] as const;
export type Strategy = (typeof strategies)[number];
/** How far apart copies must lie, from near to far. */
export const levels = ['node', 'rack', 'zone'] as const;
export type Level = (typeof levels)[number];
/** What the volumes are meant for: decides which combinations are foolish or impossible. */
export const purposes = ['anything', 'databases', 'shared-files', 'scratch'] as const;
export type Purpose = (typeof purposes)[number];
/** What becomes of what root on a node writes to a share: it stays root's, or is nobody's. */
export const rootsOnNodes = ['kept', 'mapped'] as const;
export type RootOnNodes = (typeof rootsOnNodes)[number];
export const fileSystems = ['ext4', 'xfs'] as const;
export type FileSystem = (typeof fileSystems)[number];

/** Erasure coding: `data` shards and `parity` more, any `parity` of which may be lost. */
export interface Shards {
  readonly data: number;
  readonly parity: number;
}

/** Local snapshots: one every so many hours, so many of them kept (docs/calculations.md, Classes). */
export interface SnapshotSchedule {
  readonly everyHours: number;
  readonly keep: number;
}

/** What a class promises. */
export interface StorageClass {
  readonly name: string;
  readonly purpose: Purpose;

  /** With shards: `parity + 1`, since as many failures are survived. */
  readonly copies: number;
  /** Kept as k+m shards instead of whole copies. */
  readonly shards?: Shards;
  /** Copies lie in different ones of these, at least. */
  readonly level: Level;
  /** A vote without data on a third domain; for two copies. */
  readonly witness: boolean;
  /** A second copy, written at the same time, on another backend. */
  readonly secondCopy: boolean;
  /** A copy at another site, written later. */
  readonly offsite: boolean;
  /** Copies only on these nodes; empty means any. */
  readonly pinnedNodes: readonly string[];
  /** Zones a volume must be reachable from; empty means any. */
  readonly zones: readonly string[];
  /** Keep one copy on the first pod's node where the pool allows it. */
  readonly locality: boolean;
  readonly strategy: Strategy;

  /** Operations per second, reserved and enforced. */
  readonly iopsFloor?: RateTerm;
  readonly iopsCeiling?: RateTerm;
  /** MB/s (10⁶ bytes per second), reserved and enforced. */
  readonly throughputFloor?: RateTerm;
  readonly throughputCeiling?: RateTerm;
  /** Writes in the expected load, 0 to 1; decides what a floor costs the pool. */
  readonly writeShare: number;
  readonly latencyAimMs?: number;

  /** Volumes are reached by one of these; empty means any. */
  readonly protocols: readonly VolumeProtocol[];
  readonly encrypted: boolean;
  readonly volumeMode: VolumeMode | 'any';
  /** Undefined: what the platform makes by itself. */
  readonly fileSystem?: FileSystem;
  readonly mountOptions: readonly string[];
  /** Of shares alone; undefined: as the backend does by itself. */
  readonly root?: RootOnNodes;
  readonly compression: boolean;
  readonly deduplication: boolean;

  readonly reclaim: ReclaimPolicy;
  /** Days a deleted claim's volume is kept before it may be destroyed; 0 for none. */
  readonly graceDays: number;
  readonly binding: BindingMode;
  readonly expansion: boolean;
  readonly safeguard?: SnapshotSchedule;

  /** What a claim may tune. */
  readonly allowances: readonly Allowance[];
}

/** A class that says nothing: what each setting is when a manifest leaves it out. */
export const plainClass: Omit<StorageClass, 'name'> = {
  purpose: 'anything',
  copies: 1,
  level: 'node',
  witness: false,
  secondCopy: false,
  offsite: false,
  pinnedNodes: [],
  zones: [],
  locality: false,
  strategy: 'in-order',
  writeShare: defaultWriteShare,
  protocols: [],
  encrypted: false,
  volumeMode: 'any',
  mountOptions: [],
  compression: false,
  deduplication: false,
  reclaim: 'Delete',
  graceDays: 0,
  binding: 'Immediate',
  expansion: false,
  allowances: [],
};
