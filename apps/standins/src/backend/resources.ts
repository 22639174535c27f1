import type { Copy } from './copies';
import type { Course } from './course';
import type { PoolSeed } from './seed';

export interface Volume {
  readonly id: string;
  readonly name: string;
  readonly pool: string;
  /** The part of the pool that it is carved out of, and the one that it is on its way to. */
  instance?: string;
  onTheWay?: string;
  capacity: number;
  /** The name that people see, when it was set. */
  shownAs?: string;
  /** Written bytes. */
  consumed: number;
  raidType: string;
  readonly encrypted: boolean;
  serviceClass?: string;
  state: 'Starting' | 'Enabled';
  /** Unset of one that was there from the start. */
  madeAt?: string;
  /** How what is written goes on by itself. */
  course?: Course;
  copies: Copy[];
  /** Whether root on a client is root on what it exports; nobody is when it is unset. */
  rootAccess?: boolean;
  /** Volumes of other services that are written as well: at the same time, or later. */
  mirrors?: Mirror[];
}

/** What may change of a volume that is there. */
export interface VolumeChange {
  capacity?: number;
  shownAs?: string;
  serviceClass?: string;
  /** The part of its pool that it is to lie in. */
  instance?: string;
}

export interface Mirror {
  readonly target: string;
  readonly mode: 'Synchronous' | 'Asynchronous';
}

export interface ServiceClass {
  readonly id: string;
  readonly maxIops?: number;
  readonly maxBytesPerSecond?: number;
  readonly scope?: PoolSeed['scope'];
  readonly protocols?: readonly string[];
}

export interface Task {
  readonly id: string;
  readonly name: string;
  /** Path part of what it made or works on. */
  readonly volume?: string;
  readonly pool?: string;
  state: 'Running' | 'Completed' | 'Exception';
  percent: number;
  message?: string;
}

export interface NewVolume {
  readonly name: string;
  readonly capacity: number;
  readonly pool: string;
  readonly instance?: string;
  readonly raidType?: string;
  readonly encrypted?: boolean;
  readonly drives: readonly string[];
  readonly serviceClass?: string;
  /** The name that people see. */
  readonly shownAs?: string;
}

export interface BoxEvent {
  readonly at: string;
  readonly severity: 'OK' | 'Warning' | 'Critical';
  readonly message: string;
}
