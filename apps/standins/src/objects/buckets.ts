import { createHash, randomBytes } from 'node:crypto';
import type { Journal } from '../journal';
import { S3Error } from './errors';
import type { Policy } from './policy';

/** What one stored. */
export interface StoredObject {
  readonly body: Buffer;
  /** With its quotation marks. */
  readonly etag: string;
  readonly modified: string;
  readonly type: string;
  readonly metadata: Readonly<Record<string, string>>;
}

interface Upload {
  readonly key: string;
  readonly type: string;
  readonly metadata: Readonly<Record<string, string>>;
  readonly parts: Map<number, { readonly body: Buffer; readonly etag: string }>;
}

export interface Bucket {
  readonly name: string;
  readonly owner: string;
  /** The pool its objects lie in: the location that was asked for. */
  readonly pool: string;
  readonly created: string;
  policy?: Policy;
  readonly objects: Map<string, StoredObject>;
  readonly uploads: Map<string, Upload>;
}

const md5 = (...bodies: readonly Uint8Array[]): string => {
  const hash = createHash('md5');
  for (const body of bodies) hash.update(body);
  return hash.digest('hex');
};

interface StoredBucket {
  readonly owner: string;
  readonly pool: string;
  readonly created: string;
  readonly policy?: Policy;
}

const validName = /^(?!xn--)(?!.*\.\.)[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/;
const smallestPart = 5 * 2 ** 20;

/** The buckets of one backend and what is in them, journalled. */
export class Buckets {
  private readonly all = new Map<string, Bucket>();

  constructor(private readonly journal: Journal) {}

  /** As the journal tells. */
  recall(kind: string, id: string, value: unknown): void {
    if (kind === 'bucket') {
      const known = this.all.get(id);
      this.all.set(id, {
        ...{ name: id, ...(value as StoredBucket) },
        objects: known?.objects ?? new Map<string, StoredObject>(),
        uploads: new Map<string, Upload>(),
      });
    }
    if (kind === 'object') {
      const cut = id.indexOf('/');
      const stored = value as Omit<StoredObject, 'body'> & { readonly body: string };
      this.all
        .get(id.slice(0, cut))
        ?.objects.set(id.slice(cut + 1), { ...stored, body: Buffer.from(stored.body, 'base64') });
    }
  }

  list(): Bucket[] {
    return [...this.all.values()].sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  get(name: string): Bucket {
    const bucket = this.all.get(name);
    if (!bucket) throw new S3Error(404, 'NoSuchBucket', 'The specified bucket does not exist', name);
    return bucket;
  }

  create(name: string, owner: string, pool: string): void {
    if (!validName.test(name) || /^\d+(\.\d+){3}$/.test(name))
      throw new S3Error(400, 'InvalidBucketName', 'The specified bucket is not valid.', name);
    const there = this.all.get(name);
    if (there)
      throw there.owner === owner
        ? new S3Error(
            409,
            'BucketAlreadyOwnedByYou',
            'Your previous request to create the named bucket succeeded and you already own it.',
            name,
          )
        : new S3Error(409, 'BucketAlreadyExists', 'The requested bucket name is not available.', name);
    const bucket = { name, owner, pool, created: new Date().toISOString(), objects: new Map(), uploads: new Map() };
    this.all.set(name, bucket);
    this.save(bucket);
  }

  private save({ name, owner, pool, created, policy }: Bucket): void {
    this.journal.put(`bucket/${name}`, { owner, pool, created, policy });
  }

  setPolicy(name: string, policy: Policy | undefined): void {
    const bucket = this.get(name);
    bucket.policy = policy;
    this.save(bucket);
  }

  remove(name: string): void {
    if (this.get(name).objects.size > 0)
      throw new S3Error(409, 'BucketNotEmpty', 'The bucket you tried to delete is not empty', name);
    this.all.delete(name);
    this.journal.remove(`bucket/${name}`);
  }

  /** Bytes that lie in a pool. */
  bytesIn(pool: string): number {
    let sum = 0;
    for (const bucket of this.all.values())
      if (bucket.pool === pool) for (const { body } of bucket.objects.values()) sum += body.length;
    return sum;
  }

  put(name: string, key: string, object: Omit<StoredObject, 'etag' | 'modified'>, etag = md5(object.body)): string {
    const stored = { ...object, etag: `"${etag}"`, modified: new Date().toISOString() };
    this.get(name).objects.set(key, stored);
    this.journal.put(`object/${name}/${key}`, { ...stored, body: object.body.toString('base64') });
    return stored.etag;
  }

  find(name: string, key: string): StoredObject {
    const object = this.get(name).objects.get(key);
    if (!object) throw new S3Error(404, 'NoSuchKey', 'The specified key does not exist.', key);
    return object;
  }

  /** One that is not there is deleted as well. */
  delete(name: string, key: string): void {
    if (this.get(name).objects.delete(key)) this.journal.remove(`object/${name}/${key}`);
  }

  // objects that are sent in parts

  beginUpload(name: string, key: string, type: string, metadata: StoredObject['metadata']): string {
    const id = randomBytes(16).toString('hex');
    this.get(name).uploads.set(id, { key, type, metadata, parts: new Map() });
    return id;
  }

  private upload(name: string, key: string, id: string): Upload {
    const upload = this.get(name).uploads.get(id);
    if (upload?.key !== key)
      throw new S3Error(
        404,
        'NoSuchUpload',
        'The specified multipart upload does not exist. The upload ID might be invalid, or the multipart upload might have been aborted or completed.',
        key,
      );
    return upload;
  }

  putPart(name: string, key: string, id: string, part: number, body: Buffer): string {
    if (!Number.isInteger(part) || part < 1 || part > 10_000)
      throw new S3Error(400, 'InvalidArgument', 'Part number must be an integer between 1 and 10000, inclusive', key);
    const etag = `"${md5(body)}"`;
    this.upload(name, key, id).parts.set(part, { body, etag });
    return etag;
  }

  completeUpload(name: string, key: string, id: string, asked: readonly { part: number; etag: string }[]): string {
    const { parts, type, metadata } = this.upload(name, key, id);
    if (asked.some(({ part }, i) => i > 0 && part <= asked[i - 1]!.part))
      throw new S3Error(400, 'InvalidPartOrder', 'The list of parts was not in ascending order.', key);
    const chosen = asked.map(({ part, etag }) => {
      const sent = parts.get(part);
      if (sent?.etag.replace(/"/g, '') !== etag.replace(/"/g, ''))
        throw new S3Error(400, 'InvalidPart', 'One or more of the specified parts could not be found.', key);
      return sent;
    });
    if (chosen.slice(0, -1).some(({ body }) => body.length < smallestPart))
      throw new S3Error(
        400,
        'EntityTooSmall',
        'Your proposed upload is smaller than the minimum allowed object size.',
        key,
      );
    const sums = chosen.map(({ etag }) => Buffer.from(etag.replace(/"/g, ''), 'hex'));
    const whole = Buffer.concat(chosen.map(({ body }) => body));
    this.get(name).uploads.delete(id);
    return this.put(name, key, { body: whole, type, metadata }, `${md5(...sums)}-${chosen.length}`);
  }

  abortUpload(name: string, key: string, id: string): void {
    this.upload(name, key, id);
    this.get(name).uploads.delete(id);
  }
}
