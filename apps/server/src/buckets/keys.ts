import { randomBytes } from 'node:crypto';
import { bucketApi } from '@moorage/core/buckets/bucket-class';
import { provisioner } from '@moorage/core/classes/manifest';
import type { Backends } from '../backends/backends';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { platformObjects } from '../mirror/mirror-model';
import type { Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { advance } from '../operations/operations';
import { PlatformProblem, type PlatformConnector, type PlatformObject } from '../platform/connector';
import { pools } from '../pools/pool-model';
import type { Admitted, ObjectStore } from '../swordfish/object-store';
import { bucketKeys, buckets, type BucketKeyModel, type BucketModel } from './bucket-model';
import { granting, revoking } from './kinds';

/** Says of a secret which access it was made for: no other is ever written over. */
const accessLabel = `${provisioner}/access`;
const region = 'us-east-1';

/** Who may use a bucket now, and to do what. */
async function admittedTo(database: Database, claimUid: string): Promise<readonly Admitted[]> {
  const bucket = await buckets.in(database).findByPk(claimUid);
  const keys = await bucketKeys.in(database).findAll({ where: { claimUid }, order: [['account', 'ASC']], limit: 1000 });
  const may = bucket?.shut ? ('shrink' as const) : ('write' as const);
  return keys.map(({ account }) => ({ account, may }));
}

/**
 * Lets a bucket's accounts in, and nobody else. Others may write its policy at the same moment, from an older look: whoever wrote
 * it last looks again afterwards, until what was written is what stands.
 */
export async function admit(database: Database, objects: ObjectStore, { claimUid, name }: BucketModel): Promise<void> {
  let told: string | undefined;
  for (;;) {
    const admitted = await admittedTo(database, claimUid);
    if (JSON.stringify(admitted) === told) return;
    await objects.ensureAdmitted(name, admitted);
    told = JSON.stringify(admitted);
  }
}

/** Takes the account of a key away, and its secret where it is the one that was made for it. */
export async function ensureKeyGone(
  platform: PlatformConnector,
  objects: ObjectStore,
  { account, accessUid, namespace, secretName }: BucketKeyModel,
): Promise<void> {
  await objects.ensureAccountGone(account);
  const secret = await platform.find('v1', 'Secret', secretName, namespace);
  if (secret?.metadata.labels?.[accessLabel] === accessUid)
    await platform.ensureDeleted('v1', 'Secret', secretName, namespace, secret.metadata.uid);
}

/** Gives keys to buckets and takes them back. The secret of a key is told to the platform, in the bucket's own namespace, and to nobody else. */
export class KeyCarrier {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly backends: Backends,
  ) {}

  get works(): readonly Work[] {
    const given: Work<keyof typeof granting.states> = {
      kind: granting,
      tells: () => ({ topic: 'buckets' }),
      steps: {
        looking: (o) => this.look(o),
        waiting: (o) => this.look(o),
        admitting: (o) => this.admit(o),
      },
    };
    const taken: Work<keyof typeof revoking.states> = {
      kind: revoking,
      tells: () => ({ topic: 'buckets' }),
      steps: { revoking: (o) => this.revoke(o) },
    };
    return [given, taken] as Work[];
  }

  private to = (operation: Operation, state: keyof typeof granting.states) =>
    advance(this.database, granting, operation, state);

  /** The access as the platform has it now; undefined when it is gone or going. */
  private async accessOf({ subject: uid }: Operation): Promise<PlatformObject | undefined> {
    const known = await platformObjects
      .in(this.database)
      .findOne({ where: { plural: 'bucketaccesses', uid }, raw: true });
    if (!known) return undefined;
    const access = await this.platform.find(bucketApi, 'BucketAccess', known.name, known.namespace);
    return access?.metadata.uid === uid && !access.metadata.deletionTimestamp ? access : undefined;
  }

  private async look(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    const access = await this.accessOf(operation);
    if (!access) return this.to(operation, 'abandoned');
    const { namespace, name } = access.metadata;
    const claimName = String(access.spec?.bucketClaimName);
    return database.transaction(async () => {
      const bucket = await buckets
        .in(database)
        .findOne({ where: { namespace: namespace!, claimName, state: 'ready' }, lock: true });
      if (!bucket) {
        await this.to(operation, 'waiting');
        return undefined;
      }
      const accessUid = operation.subject;
      const key = { namespace: namespace!, accessName: name, claimUid: bucket.claimUid, account: `key-${accessUid}` };
      const secretName = String(access.spec?.credentialsSecretName);
      await bucketKeys.in(database).findOrCreate({ where: { accessUid }, defaults: { accessUid, ...key, secretName } });
      return this.to(operation, 'admitting');
    });
  }

  private async admit(operation: Operation): Promise<Operation | undefined> {
    const { database, platform } = this;
    const access = await this.accessOf(operation);
    if (!access) return this.to(operation, 'abandoned');
    const key = await bucketKeys.in(database).findByPk(operation.subject);
    const bucket = key && (await buckets.in(database).findByPk(key.claimUid));
    if (!key || !bucket) return this.to(operation, 'waiting');
    const objects = await this.objectsOf(bucket);
    // looked at before an account is made: a secret of somebody else's is not written over
    const there = await this.secretOf(key.namespace, key.secretName, operation.subject);
    const secret = randomBytes(30).toString('base64url');
    await objects.ensureAccount(key.account, secret);
    await admit(database, objects, bucket);
    const object = secretObject(key, bucket, secret);
    await (there ? platform.mergePatch(object) : platform.create(object));
    await platform.patchBucketStatus({
      ...{ apiVersion: bucketApi, kind: 'BucketAccess' },
      metadata: { name: key.accessName, namespace: key.namespace },
      status: { accessGranted: true, accountID: key.account },
    });
    const granted = await database.transaction(async () => {
      const [noted] = await bucketKeys
        .in(database)
        .update({ grantedAt: new Date() }, { where: { accessUid: key.accessUid } });
      await announce(database, [{ topic: 'buckets' }]);
      return noted > 0 ? { moved: await this.to(operation, 'granted') } : undefined;
    });
    if (granted) return granted.moved;
    // its bucket went to its end meanwhile, and took the key along
    await ensureKeyGone(platform, objects, key);
    return this.to(operation, 'waiting');
  }

  private async objectsOf({ poolId }: BucketModel): Promise<ObjectStore> {
    const pool = await pools.in(this.database).findByPk(poolId, { rejectOnEmpty: true });
    return (await this.backends.connector(pool.backendId)).objects;
  }

  private async secretOf(namespace: string, name: string, access: string): Promise<PlatformObject | undefined> {
    const there = await this.platform.find('v1', 'Secret', name, namespace);
    if (there && there.metadata.labels?.[accessLabel] !== access)
      throw new PlatformProblem(
        'invalid',
        `the secret ${namespace}/${name} is there already and was not made for this access: name another one`,
      );
    return there;
  }

  private async revoke(operation: Operation): Promise<Operation | undefined> {
    const { database, platform } = this;
    const to = (state: keyof typeof revoking.states) => advance(database, revoking, operation, state);
    const key = await bucketKeys.in(database).findByPk(operation.subject);
    if (!key) return to('revoked');
    const access = await platform.find(bucketApi, 'BucketAccess', key.accessName, key.namespace);
    if (access?.metadata.uid === operation.subject) return to('mistaken');
    const bucket = await buckets.in(database).findByPk(key.claimUid, { rejectOnEmpty: true });
    const objects = await this.objectsOf(bucket);
    await ensureKeyGone(platform, objects, key);
    await database.transaction(async () => void (await key.destroy()));
    if (bucket.state === 'ready') await admit(database, objects, bucket);
    await announce(database, [{ topic: 'buckets' }]);
    return to('revoked');
  }
}

/** The secret that an application mounts, in the form that the object storage interface gives it. */
function secretObject(
  key: {
    readonly accessUid: string;
    readonly namespace: string;
    readonly secretName: string;
    readonly account: string;
  },
  bucket: BucketModel,
  secret: string,
): PlatformObject {
  const info = {
    metadata: { name: bucket.name },
    spec: {
      ...{ bucketName: bucket.name, authenticationType: 'KEY', protocols: ['s3'] },
      secretS3: { endpoint: bucket.endpoint, region, accessKeyID: key.account, accessSecretKey: secret },
    },
  };
  return {
    apiVersion: 'v1',
    kind: 'Secret',
    metadata: { name: key.secretName, namespace: key.namespace, labels: { [accessLabel]: key.accessUid } },
    type: 'Opaque',
    data: { BucketInfo: Buffer.from(JSON.stringify(info), 'utf8').toString('base64') },
  };
}
