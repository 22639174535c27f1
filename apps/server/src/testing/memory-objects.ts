import { BackendProblem } from '../swordfish/connector';
import type { Admitted, ObjectPage, ObjectStore } from '../swordfish/object-store';
import { meet, type Fate } from './fate';

interface Kept {
  readonly pool: string;
  readonly objects: Map<string, number>;
  admitted: readonly Admitted[];
}

/** Buckets in memory, held to the same tests as the real ones. */
export class MemoryObjects implements ObjectStore {
  readonly buckets = new Map<string, Kept>();
  readonly accounts = new Map<string, string>();
  /** Names that somebody else has. */
  readonly foreign = new Set<string>();

  constructor(
    /** Decides what becomes of each call that changes something. */
    private readonly fate: () => Fate,
    private readonly pageSize = 1000,
  ) {}

  private changing = <T>(work: () => T): Promise<T> =>
    meet(this.fate(), (of, detail) => new BackendProblem(of, detail), work);

  private bucket(name: string): Kept {
    const found = this.buckets.get(name);
    if (!found) throw new BackendProblem('not-found', 'The specified bucket does not exist');
    return found;
  }

  fetchEndpoint = (): Promise<string | undefined> => Promise.resolve('http://objects.kelp.example');

  ensureBucket = (name: string, pool: string): Promise<void> =>
    this.changing(() => {
      if (this.foreign.has(name)) throw new BackendProblem('exists', 'The requested bucket name is not available.');
      if (!this.buckets.has(name)) this.buckets.set(name, { pool, objects: new Map(), admitted: [] });
    });

  ensureBucketGone = (name: string): Promise<boolean> =>
    this.changing(() => {
      if ((this.buckets.get(name)?.objects.size ?? 0) > 0) return false;
      this.buckets.delete(name);
      return true;
    });

  fetchObjects(name: string, after = ''): Promise<ObjectPage | undefined> {
    const found = this.buckets.get(name);
    if (!found) return Promise.resolve(undefined);
    const keys = [...found.objects.keys()].filter((k) => k > after).sort();
    const page = keys.slice(0, this.pageSize);
    return Promise.resolve({
      keys: page,
      bytes: page.reduce((sum, key) => sum + found.objects.get(key)!, 0),
      ...(keys.length > page.length && { next: page[page.length - 1]! }),
    });
  }

  deleteObjects = (name: string, keys: readonly string[]): Promise<void> =>
    this.changing(() => {
      for (const key of keys) this.bucket(name).objects.delete(key);
    });

  ensureAdmitted = (name: string, accounts: readonly Admitted[]): Promise<void> =>
    this.changing(() => {
      const found = accounts.length === 0 ? this.buckets.get(name) : this.bucket(name);
      if (found) found.admitted = accounts;
    });

  ensureAccount = (account: string, secret: string): Promise<void> =>
    this.changing(() => void this.accounts.set(account, secret));

  ensureAccountGone = (account: string): Promise<void> => this.changing(() => void this.accounts.delete(account));
}
