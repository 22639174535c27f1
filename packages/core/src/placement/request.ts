import type { Tuned } from '../classes/tunable';
import type { AccessMode, StorageClass, VolumeMode } from '../classes/storage-class';
import type { Offers } from './offer';
import type { Pool } from '../pools/pool-state';
import type { Bytes } from '../sizes/bytes';

/** What a claim asks, as far as choosing a pool goes. */
export interface ClaimRequest {
  readonly namespace: string;
  readonly size: Bytes;
  readonly modes: readonly AccessMode[];
  readonly volumeMode: VolumeMode;
  /** Zone of the first pod's node, when one is chosen already. */
  readonly zone?: string;
  /** What the claim tunes of its class. */
  readonly tuned?: Tuned;
}

/** The link that lets one class use one pool. */
export interface Mooring {
  readonly pool: string;
  readonly enabled: boolean;
  /** 1 is tried first. */
  readonly order: number;
  /** Multiplies the score. */
  readonly weight: number;
}

/** A limit of provisioned bytes that a new volume counts against. */
export interface Quota {
  readonly scope: 'namespace' | 'class';
  readonly limit: number;
  readonly used: number;
}

/** A limit of what is counted rather than weighed: claims that have a volume, or IOPS that are reserved for them. */
export interface CountLimit {
  readonly scope: Quota['scope'];
  readonly of: 'claims' | 'iops';
  readonly limit: number;
  readonly used: number;
}

export interface PlacementInput {
  readonly claim: ClaimRequest;
  /** The site the claim is made at; left out, every pool is taken to be within reach. */
  readonly site?: string;
  readonly storageClass: StorageClass;
  readonly moorings: readonly Mooring[];
  /** Every known pool by its id; pools without a mooring are looked at only for what would bind the claim. */
  readonly pools: ReadonlyMap<string, Pool>;
  readonly quotas: readonly Quota[];
  readonly counts?: readonly CountLimit[];
  /** Whether the claim's namespace may use the class; left out where the class is open to all. */
  readonly granted?: boolean;
  /** A pool that a plan for many claims chose for this one: it wins when every rule still passes. */
  readonly planned?: string;
  /** What pools can give classes, worked out before; left out, it is worked out anew. */
  readonly offers?: Offers;
}

/** One claim of a batch with what is decided about it alone; the pools are the batch's. */
export interface BatchClaim {
  readonly id: string;
  readonly input: Omit<PlacementInput, 'pools' | 'offers' | 'planned'>;
}
