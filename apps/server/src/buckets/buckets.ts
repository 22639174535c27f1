import type {
  BucketClassRow,
  BucketDetail,
  BucketPage,
  BucketQuery,
  BucketRow,
  BucketWait,
  NewBucket,
  NewBucketClass,
  NewKey,
} from '@moorage/contract/buckets';
import { bucketApi, bucketClassManifest, limitKey, limitOf, readBucketClass } from '@moorage/core/buckets/bucket-class';
import { provisioner } from '@moorage/core/classes/manifest';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import type { Bytes } from '@moorage/core/sizes/bytes';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { findMirrored } from '../mirror/mirrored';
import { knownVersion, noteChanged, noteMade } from '../mirror/mirror';
import type { Sight } from '../people/sight';
import { PlatformProblem, type PlatformConnector, type PlatformObject, type Plural } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { decisions } from '../reservations/decision-model';
import { onAccesses, onBucketClaims, letGo } from './begin';
import { buckets } from './bucket-model';
import {
  accessesTo,
  bucketClasses,
  bucketNamed,
  bucketsListed,
  type StoredAccess,
  type StoredBucket,
} from './buckets.sql';

interface At {
  readonly namespace: string;
  readonly name: string;
}
type BucketKind = 'bucket' | 'bucket-key' | 'bucket-class';
type Carry = (operations: readonly string[]) => void;

const sizeOf = (text: string): Bytes => {
  const size = parseQuantity(text);
  // the contract lets nothing else through
  if (!size.ok) throw new Error(`${text} is no size`);
  return size.bytes;
};

/** Its claim is gone, whatever becomes of it. */
const isLeft = ({ state }: BucketRow): boolean => state === 'closing' || state === 'kept' || state === 'emptying';

function stateOf(b: StoredBucket): BucketRow['state'] {
  if (b.bucket_state === 'kept' || b.bucket_state === 'emptying') return b.bucket_state;
  if (b.gone) return 'closing';
  if (b.stopped !== null) return 'stopped';
  if (b.operation === 'waiting' || b.operation === null) return 'waiting';
  return b.operation === 'ready' ? 'ready' : 'making';
}

function waitOf(b: StoredBucket): BucketWait | null {
  if (b.operation === 'waiting') return b.waiting_for as BucketWait;
  if (b.operation !== null || !b.body) return null;
  return b.class && b.class.driverName !== provisioner ? 'other-driver' : 'class';
}

function rowOf(b: StoredBucket): BucketRow {
  const cls = b.class && readBucketClass(b.class).bucketClass;
  const own = b.body?.metadata.annotations?.[limitKey];
  const limit = b.bytes ?? (cls && b.body ? (limitOf(b.body.metadata.annotations, cls) ?? null) : null);
  return {
    ...{ uid: b.uid, namespace: b.namespace, name: b.name, className: b.class_name },
    ...{ state: stateOf(b), problem: b.error?.detail ?? null },
    waitsFor: waitOf(b),
    ...{ pool: b.pool_id, backend: b.backend_id, bucket: b.bucket, limit },
    wants:
      b.bucket_state === 'ready' && own !== undefined && own !== b.asked
        ? (limitOf({ [limitKey]: own }, {}) ?? null)
        : null,
    ...{ written: b.measured_at ? b.written : null, objects: b.measured_at ? b.objects : null },
    ...{ measuredAt: b.measured_at?.toISOString() ?? null, isShut: b.shut ?? false },
    missingSince: b.missing_since?.toISOString() ?? null,
    ...{ deletion: cls?.deletion ?? null, keys: b.keys },
    ...{ createdAt: b.created_at.toISOString(), keptSince: b.kept_since?.toISOString() ?? null },
  };
}

/** Bucket claims and kept buckets that a person sees. */
export async function listBuckets(
  database: Database,
  sight: Sight,
  { namespace, cursor, limit }: BucketQuery,
): Promise<BucketPage> {
  const after = cursor === undefined ? null : cursor.split('/');
  if (after && after.length !== 3) throw Refusal.invalid('cursor', 'The cursor is none that was given here.');
  const rows = await bucketsListed(database, sight.namespaces, namespace, after, limit + 1);
  const page = rows.slice(0, limit);
  const last = page[page.length - 1];
  return {
    rows: page.map(rowOf),
    next: rows.length > limit && last ? `${last.namespace}/${last.name}/${last.uid}` : null,
  };
}

async function named(database: Database, sight: Sight, { namespace, name }: At): Promise<StoredBucket> {
  const found = sight.sees(namespace) ? await first(bucketNamed(database, namespace, name)) : undefined;
  if (!found) throw Refusal.notFound('bucket', `${namespace}/${name}`);
  return found;
}

function keyStateOf(a: StoredAccess): BucketDetail['accesses'][number]['state'] {
  if (a.granted) return 'granted';
  if (a.stopped !== null) return 'stopped';
  return a.operation === 'waiting' || a.operation === null ? 'waiting' : 'making';
}

/** One bucket claim: how it stands, why it is where it is, and who may use it. */
export async function getBucket(database: Database, sight: Sight, at: At): Promise<BucketDetail> {
  const found = await named(database, sight, at);
  const decision = await decisions
    .in(database)
    .findOne({ where: { claimUid: found.uid }, order: [['id', 'DESC']], raw: true });
  return {
    bucket: rowOf(found),
    endpoint: found.endpoint,
    decision: decision && {
      ...{ madeAt: decision.madeAt.toISOString(), tookMicros: decision.tookMicros, trace: decision.trace },
    },
    accesses: (await accessesTo(database, at.namespace, at.name)).map((a) => ({
      ...{ uid: a.uid, name: a.name, secretName: a.secret_name ?? '', account: a.account },
      ...{ state: keyStateOf(a), problem: a.error?.detail ?? null, createdAt: a.created_at.toISOString() },
    })),
  };
}

/** What is made on the platform, noted here and told of as one. */
export class BucketDesk {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly carry: Carry,
  ) {}

  private async make(
    plural: Plural,
    object: PlatformObject,
    person: string,
    kind: BucketKind,
  ): Promise<PlatformObject> {
    const { database } = this;
    const made = await this.platform.create(object);
    const { namespace, name } = object.metadata;
    const begun = await database.transaction(async () => {
      await noteMade(database, plural, made);
      await record(database, {
        ...{ person, action: 'create', kind, subject: namespace === undefined ? name : `${namespace}/${name}` },
        after: object.spec ?? { ...object, metadata: undefined },
      });
      await announce(database, [{ topic: 'buckets' }]);
      if (plural === 'bucketclaims') return onBucketClaims(database, [made], []);
      return plural === 'bucketaccesses' ? onAccesses(database, [made], []) : [];
    });
    this.carry(begun);
    return made;
  }

  async createBucket(sight: Sight, asked: NewBucket, person: string): Promise<{ uid: string }> {
    const { namespace, name, className, limit, existing } = asked;
    if (!sight.sees(namespace)) throw Refusal.notFound('namespace', namespace);
    const cls = await findMirrored(this.database, 'bucketclasses', className);
    if (cls?.body.driverName !== provisioner)
      throw Refusal.invalid('className', `There is no bucket class "${className}" of ours. Nothing was made.`);
    const { bucketClass } = readBucketClass(cls.body);
    if (existing === undefined && limit === undefined && bucketClass.limit === undefined)
      throw Refusal.invalid(
        'limit',
        `The class "${className}" sets no limit, so the bucket needs one of its own: what is promised of a pool has to be known. Nothing was made.`,
      );
    const made = await this.make(
      'bucketclaims',
      {
        ...{ apiVersion: bucketApi, kind: 'BucketClaim' },
        metadata: { name, namespace, ...(limit !== undefined && { annotations: { [limitKey]: limit } }) },
        spec: {
          ...{ bucketClassName: className, protocols: ['s3'] },
          ...(existing !== undefined && { existingBucketName: existing }),
        },
      },
      person,
      'bucket',
    );
    return { uid: made.metadata.uid! };
  }

  async createKey(sight: Sight, at: At, { name, secretName }: NewKey, person: string): Promise<{ uid: string }> {
    const { bucket } = await getBucket(this.database, sight, at);
    if (isLeft(bucket))
      throw Refusal.inUse('bucket', at.name, 'its claim is gone, and nobody gets a key to it. Nothing was made');
    await this.ensureAccessClass();
    const made = await this.make(
      'bucketaccesses',
      {
        ...{ apiVersion: bucketApi, kind: 'BucketAccess', metadata: { name, namespace: at.namespace } },
        spec: {
          ...{ bucketClaimName: at.name, credentialsSecretName: secretName, protocol: 's3' },
          bucketAccessClassName: provisioner,
        },
      },
      person,
      'bucket-key',
    );
    return { uid: made.metadata.uid! };
  }

  /** Lets a bucket hold more or less: its claim says so on the platform, and the rest follows from that. Less than lies in it is refused. */
  async setLimit(sight: Sight, at: At, limit: string, person: string): Promise<void> {
    const { database } = this;
    const { bucket } = await getBucket(database, sight, at);
    if (isLeft(bucket)) throw Refusal.notFound('bucket claim', at.name);
    if (bucket.written !== null && sizeOf(limit) < bucket.written)
      throw Refusal.invalid(
        'limit',
        `${bucket.written} bytes lie in it already: it would be full at once. Delete some of them first, or let it hold more. Nothing was changed.`,
      );
    const before = await knownVersion(database, 'bucketclaims', at.name, at.namespace);
    const changed = await this.platform.mergePatch({
      ...{ apiVersion: bucketApi, kind: 'BucketClaim' },
      metadata: { ...at, uid: bucket.uid, annotations: { [limitKey]: limit } },
    });
    const begun = await database.transaction(async () => {
      await noteChanged(database, 'bucketclaims', changed, before);
      const subject = `${at.namespace}/${at.name}`;
      const was = { limit: bucket.limit };
      await record(database, { person, action: 'change', kind: 'bucket', subject, before: was, after: { limit } });
      await announce(database, [{ topic: 'buckets' }]);
      return onBucketClaims(database, [changed], []);
    });
    this.carry(begun);
  }

  /** The class that accesses of ours name: keys, and nothing of other kinds. */
  private async ensureAccessClass(): Promise<void> {
    const at = { apiVersion: bucketApi, kind: 'BucketAccessClass', metadata: { name: provisioner } };
    if (await this.platform.find(at.apiVersion, at.kind, provisioner)) return;
    try {
      await this.platform.create({ ...at, driverName: provisioner, authenticationType: 'Key' });
    } catch (error) {
      // somebody else was faster
      if (!(error instanceof PlatformProblem && error.code === 'exists')) throw error;
    }
  }

  async deleteKey(sight: Sight, at: At, access: string, person: string): Promise<void> {
    const { accesses } = await getBucket(this.database, sight, at);
    const found = accesses.find((a) => a.name === access);
    if (!found) throw Refusal.notFound('key', `${at.namespace}/${access}`);
    await this.platform.ensureDeleted(bucketApi, 'BucketAccess', access, at.namespace, found.uid);
    await this.note('delete', 'bucket-key', `${at.namespace}/${access}`, person, { secret: found.secretName });
  }

  /** Deletes a bucket's claim. Where that destroys what lies in it, its name has to be said. */
  async deleteBucket(sight: Sight, at: At, confirm: string | undefined, person: string): Promise<void> {
    const { bucket } = await getBucket(this.database, sight, at);
    if (isLeft(bucket)) throw Refusal.notFound('bucket claim', at.name);
    const there = bucket.bucket && (await this.platform.find(bucketApi, 'Bucket', bucket.bucket));
    const destroys = there ? there.spec?.deletionPolicy === 'Delete' : false;
    // never counted is not empty
    const holds = bucket.bucket !== null && (bucket.objects === null || bucket.objects > 0);
    if (destroys && holds && confirm !== at.name)
      throw new Refusal(
        'conflict',
        'name-it',
        'This destroys what lies in it',
        `Deleting ${at.namespace}/${at.name} destroys ${bucket.objects === null ? 'whatever lies in its bucket, which was not counted yet' : `${bucket.objects} objects`}. Send its name as ?confirm= to go on. Nothing was deleted.`,
        'confirm',
      );
    await this.platform.ensureDeleted(bucketApi, 'BucketClaim', at.name, at.namespace, bucket.uid);
    const { written, objects, deletion } = bucket;
    await this.note('delete', 'bucket', `${at.namespace}/${at.name}`, person, { written, objects, deletion });
  }

  /** Destroys a bucket that is kept without its claim; its name has to be said. */
  async destroyKept(name: string, confirm: string | undefined, person: string): Promise<void> {
    const { database } = this;
    const begun = await database.transaction(async () => {
      const kept = await buckets.in(database).findOne({ where: { name, state: 'kept' }, lock: true });
      if (!kept) throw Refusal.notFound('kept bucket', name);
      if (confirm !== kept.claimName)
        throw new Refusal(
          'conflict',
          'name-it',
          'This destroys what lies in it',
          `Destroying the bucket destroys ${kept.objects} objects. Send "${kept.claimName}", the name of its last claim, as ?confirm= to go on. Nothing was destroyed.`,
          'confirm',
        );
      await kept.update({ destroyedBy: person });
      const about = `${kept.namespace}/${kept.claimName}`;
      const before = { bucket: name, written: kept.written, objects: kept.objects };
      await record(database, { person, action: 'delete', kind: 'bucket', subject: about, before });
      await announce(database, [{ topic: 'buckets' }]);
      return letGo(database, [kept.claimUid], person);
    });
    this.carry(begun);
  }

  async createClass(asked: NewBucketClass, person: string): Promise<void> {
    const { name, pools, deletion, copies, encrypted, limit } = asked;
    const manifest = bucketClassManifest({
      ...{ name, pools, deletion, copies, encrypted },
      ...(limit !== undefined && { limit: sizeOf(limit) }),
    });
    await this.make('bucketclasses', manifest as unknown as PlatformObject, person, 'bucket-class');
  }

  async deleteClass(name: string, person: string): Promise<void> {
    const found = (await listBucketClasses(this.database)).find((c) => c.name === name);
    if (!found) throw Refusal.notFound('bucket class', name);
    if (found.buckets > 0) throw Refusal.inUse('bucket class', name, `${found.buckets} buckets name it`);
    await this.platform.ensureDeleted(bucketApi, 'BucketClass', name);
    await this.note('delete', 'bucket-class', name, person, found);
  }

  private async note(
    action: 'delete',
    kind: BucketKind,
    subject: string,
    person: string,
    before: object,
  ): Promise<void> {
    const { database } = this;
    await database.transaction(async () => {
      await record(database, { person, action, kind, subject, before });
      await announce(database, [{ topic: 'buckets' }]);
    });
  }
}

/** Bucket classes of ours. */
export async function listBucketClasses(database: Database): Promise<BucketClassRow[]> {
  return (await bucketClasses(database, provisioner)).map(({ body, buckets: count }) => {
    const { bucketClass, problems } = readBucketClass(body);
    const { name, pools, deletion, copies, encrypted, limit } = bucketClass;
    return {
      name,
      pools: [...pools],
      deletion,
      copies,
      encrypted,
      limit: limit ?? null,
      buckets: count,
      problems: [...problems],
    };
  });
}
