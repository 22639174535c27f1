import type { PoolFacts } from '@moorage/contract/backends';

/** Everything the backend says of itself at one moment. */
export interface BackendView {
  readonly healthy: boolean;
  readonly pools: readonly { readonly name: string; readonly path: string; readonly facts: PoolFacts }[];
  readonly volumes: readonly BackendVolume[];
}

export interface BackendVolume {
  readonly id: string;
  readonly name: string;
  /** Name of the pool that provides it. */
  readonly pool: string;
  readonly bytes: number;
  readonly consumed: number;
  readonly ready: boolean;
  readonly degraded: boolean;
  readonly copies: readonly {
    readonly disk: string;
    readonly node: string;
    readonly state: string;
    readonly percent: number;
  }[];
}

export interface NewBackendVolume {
  /** Ours and unique: a volume whose answer was lost is found again by it. */
  readonly name: string;
  /** Path of the pool's resource, as the backend gave it. */
  readonly poolPath: string;
  readonly bytes: number;
  readonly copies: number;
  readonly encrypted: boolean;
  /** Disks that hold the copies; empty where the backend places data itself. */
  readonly disks: readonly { readonly id: string; readonly node: string }[];
  readonly iopsCeiling?: number;
}

export type BackendProblemCode =
  | 'unreachable'
  | 'timed-out'
  /** Calls are held back for a while after too many failures. */
  | 'resting'
  | 'unauthorised'
  | 'refused'
  | 'full'
  | 'exists'
  | 'not-found'
  | 'nonsense';

/** A call to a backend that did not succeed. */
export class BackendProblem extends Error {
  constructor(
    readonly code: BackendProblemCode,
    message: string,
    options?: { cause?: unknown },
  ) {
    super(message, options);
  }
}

/** A storage backend, as far as this product uses it. */
export interface BackendConnector {
  fetchView(): Promise<BackendView>;
  /** Makes a volume and waits until it is ready. `exists` when the name is taken. */
  createVolume(volume: NewBackendVolume): Promise<BackendVolume>;
  /** Waits until a volume found by its name is ready; undefined when there is none. */
  findVolume(name: string): Promise<BackendVolume | undefined>;
  /** Deletes; already gone is fine. */
  ensureVolumeDeleted(id: string): Promise<void>;
}
