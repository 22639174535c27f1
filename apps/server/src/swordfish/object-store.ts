/** A page of what lies in a bucket. */
export interface ObjectPage {
  readonly keys: readonly string[];
  readonly bytes: number;
  /** Where the next page begins; left out after the last. */
  readonly next?: string;
}

/** An account that may use a bucket: to read and delete alone while it holds as much as it may. */
export interface Admitted {
  readonly account: string;
  readonly may: 'write' | 'shrink';
}

/** Buckets of one backend, as far as this product uses them. Throws `BackendProblem`. */
export interface ObjectStore {
  /** Where objects are asked for; undefined where it keeps none. */
  fetchEndpoint(): Promise<string | undefined>;
  /** Makes a bucket in a pool; one of ours that is there already is fine. `exists` when it is somebody else's. */
  ensureBucket(name: string, pool: string): Promise<void>;
  /** Removes an empty bucket; already gone is fine. False when something lies in it still. */
  ensureBucketGone(name: string): Promise<boolean>;
  /** Up to a thousand objects after a place; undefined when there is no such bucket. */
  fetchObjects(name: string, after?: string): Promise<ObjectPage | undefined>;
  /** Deletes up to a thousand objects; those already gone are fine. */
  deleteObjects(name: string, keys: readonly string[]): Promise<void>;
  /** Lets these accounts use a bucket, and nobody else. */
  ensureAdmitted(name: string, accounts: readonly Admitted[]): Promise<void>;
  /** An account for objects alone, with this secret from now on. */
  ensureAccount(account: string, secret: string): Promise<void>;
  /** Takes an account away; already gone is fine. */
  ensureAccountGone(account: string): Promise<void>;
}
