import { prefix, provisioner } from '../classes/manifest';
import { reclaimPolicies, type ReclaimPolicy } from '../classes/storage-class';
import type { Bytes } from '../sizes/bytes';
import { parseQuantity } from '../sizes/quantity';

/** What a bucket class promises. */
export interface BucketClass {
  readonly name: string;
  /** Ids of the pools that may hold its buckets, the first that fits is taken. */
  readonly pools: readonly string[];
  /** What becomes of a bucket whose claim is deleted. */
  readonly deletion: ReclaimPolicy;
  /** As many copies as a bucket's bytes survive the loss of, and one more. */
  readonly copies: number;
  readonly encrypted: boolean;
  /** Bytes that a bucket may hold whose claim says nothing of it. */
  readonly limit?: Bytes;
}

/** A bucket class as `objectstorage.k8s.io/v1alpha1` has it, as far as we read or write it. */
export interface BucketClassManifest {
  readonly apiVersion: 'objectstorage.k8s.io/v1alpha1';
  readonly kind: 'BucketClass';
  readonly metadata: { readonly name: string };
  readonly driverName: string;
  readonly deletionPolicy: ReclaimPolicy;
  readonly parameters?: Readonly<Record<string, string>>;
}

export const bucketApi = 'objectstorage.k8s.io/v1alpha1';
/** The annotation of a bucket claim, and the parameter of a bucket class, that say how much may be kept. */
export const limitKey = `${prefix}limit`;
const poolsKey = `${prefix}pools`;
const copiesKey = `${prefix}copies`;
const encryptedKey = `${prefix}encrypted`;

/** Largest number of copies a class may ask for. */
const mostCopies = 6;

const sizeOf = (text: string): Bytes | undefined => {
  const size = parseQuantity(text);
  return size.ok && size.bytes > 0 ? size.bytes : undefined;
};

export interface BucketClassProblem {
  /** The parameter, without our prefix, or `deletionPolicy`. */
  readonly field: 'pools' | 'copies' | 'encrypted' | 'limit' | 'deletionPolicy' | 'unknown';
  readonly value: string;
}

/** A bucket class as it stands on the platform; what is missing takes its default, what cannot be read is told. */
export function readBucketClass(object: {
  readonly metadata: { readonly name: string };
  readonly [member: string]: unknown;
}): { readonly bucketClass: BucketClass; readonly problems: readonly BucketClassProblem[] } {
  const { deletionPolicy, parameters } = object as Partial<BucketClassManifest>;
  const problems: BucketClassProblem[] = [];
  const said = parameters ?? {};
  const read = <T>(
    key: string,
    field: BucketClassProblem['field'],
    of: (text: string) => T | undefined,
  ): T | undefined => {
    const text = said[key];
    if (text === undefined) return undefined;
    const value = of(text);
    if (value === undefined) problems.push({ field, value: text });
    return value;
  };
  const known = [poolsKey, copiesKey, encryptedKey, limitKey];
  for (const key of Object.keys(said))
    if (key.startsWith(prefix) && !known.includes(key)) problems.push({ field: 'unknown', value: key });
  const names = (text: string) => {
    const pools = text.split(',').map((p) => p.trim());
    return pools.every((p) => p !== '') && new Set(pools).size === pools.length ? pools : undefined;
  };
  const count = (text: string) => (/^[1-9]\d?$/.test(text) && Number(text) <= mostCopies ? Number(text) : undefined);
  const pools = read(poolsKey, 'pools', names) ?? [];
  const copies = read(copiesKey, 'copies', count) ?? 1;
  const encrypted = read(encryptedKey, 'encrypted', (t) => (t === 'true' ? true : t === 'false' ? false : undefined));
  const limit = read(limitKey, 'limit', sizeOf);
  const deletion = reclaimPolicies.find((p) => p === deletionPolicy);
  if (!deletion) problems.push({ field: 'deletionPolicy', value: deletionPolicy ?? '' });
  const { name } = object.metadata;
  return {
    // kept where it cannot be told: nothing is destroyed by a misspelling
    bucketClass: {
      ...{ name, pools, copies, encrypted: encrypted ?? false, deletion: deletion ?? 'Retain' },
      ...(limit !== undefined && { limit }),
    },
    problems,
  };
}

/** The manifest of a bucket class. */
export const bucketClassManifest = (cls: BucketClass): BucketClassManifest => ({
  apiVersion: bucketApi,
  kind: 'BucketClass',
  metadata: { name: cls.name },
  driverName: provisioner,
  deletionPolicy: cls.deletion,
  parameters: {
    [poolsKey]: cls.pools.join(','),
    ...(cls.copies > 1 && { [copiesKey]: String(cls.copies) }),
    ...(cls.encrypted && { [encryptedKey]: 'true' }),
    ...(cls.limit !== undefined && { [limitKey]: String(cls.limit) }),
  },
});

/** Bytes that a claim's bucket may hold: what it says itself, else what its class says; undefined when neither does, or it cannot be read. */
export function limitOf(
  annotations: Readonly<Record<string, string>> | undefined,
  { limit }: Pick<BucketClass, 'limit'>,
): Bytes | undefined {
  const own = annotations?.[limitKey];
  return own === undefined ? limit : sizeOf(own);
}
