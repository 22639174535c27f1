import type { Protocol } from '../classes/protocol';
import type { Scheme, DomainCapacity } from '../capacity/usable';
import type { ReplicaDisk } from '../replicas/place';
import type { Instances } from '../shares/instances';
import type { Bytes } from '../sizes/bytes';

/** How a pool keeps data safe. An array's inner copies are its own affair; a software-defined pool keeps ours. */
export type Redundancy =
  | { readonly kind: 'inner'; /** Component failures survived. */ readonly survives: number; readonly usable: Bytes }
  | {
      readonly kind: 'spread';
      readonly scheme: Scheme;
      readonly level: 'node' | 'rack' | 'zone';
      /** Every failure domain with what it gives, and whether copies may be placed on it now. */
      readonly domains: readonly (DomainCapacity & { readonly live: boolean })[];
      /** Disks that copies are placed on by us; absent where the cluster places its shards itself. */
      readonly disks?: readonly ReplicaDisk[];
    };

/** The state of one pool at the moment of a decision. */
export interface Pool {
  readonly id: string;
  readonly name: string;
  readonly backend: string;
  readonly reachable: boolean;
  readonly healthy: boolean;
  /** Whether the pool takes new volumes: it may have been locked by its backend, or have vanished from it. */
  readonly takes: 'volumes' | 'nothing' | 'gone';
  readonly access: readonly ('block' | 'file')[];
  /** How its volumes are reached, as far as a class can ask for it. */
  readonly protocols: readonly Protocol[];
  /** A block pool that lets many nodes write one raw device. */
  readonly sharedBlock: boolean;
  readonly encryption: boolean;
  readonly expansion: boolean;
  readonly compression: boolean;
  readonly deduplication: boolean;
  readonly snapshots: boolean;
  /** It can keep a copy at another site. */
  readonly offsite: boolean;
  /** Sites whose nodes reach the pool; left out means all. A pool of another site keeps off-site copies only. */
  readonly sites?: readonly string[];
  /** Zones whose nodes reach the pool; empty means all. */
  readonly zones: readonly string[];
  readonly minimum: Bytes;
  readonly maximum: Bytes;
  readonly granule: Bytes;
  readonly redundancy: Redundancy;
  /** Present where it is sold in instances that volumes are carved out of: what is bought counts as promised, whether carved or not. */
  readonly instances?: Instances;
  /** Promised bytes with the copies counted that the pool keeps for us; for inner redundancy each volume counts once. */
  readonly subscribedRaw: number;
  /** Written bytes, counted the same way. */
  readonly consumedRaw: number;
  readonly overcommit: number;
  readonly softMark: number;
  readonly hardMark: number;
  /** Cap in raw bytes on what this product takes; undefined when there is none. */
  readonly allotment?: number;
  /** Raw bytes this product has taken: what the allotment counts. */
  readonly taken: number;
  /** Cap in raw bytes over all pools of the backend (a licence, a contract), and what is taken of it. */
  readonly backendCap?: { readonly limit: number; readonly taken: number };
  /** Cap on the back-end operations per second this product may promise. */
  readonly iopsAllotment?: number;
  /** Back-end operations per second the pool can do. */
  readonly iops: number;
  /** Back-end operations per second promised already. */
  readonly promisedIops: number;
  readonly amplification: number;
  /** Bytes per second the pool can move; 0 where it does not say. */
  readonly throughput: number;
  /** Bytes per second promised already, as the pool has to move them. */
  readonly promisedThroughput: number;
  /** Cap on the bytes per second this product may promise. */
  readonly throughputAllotment?: number;
  /** Provisioned bytes of the largest volume we keep there; 0 when there is none. */
  readonly largest: number;
}
