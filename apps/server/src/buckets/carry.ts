import { bucketApi, limitKey, limitOf, readBucketClass } from '@moorage/core/buckets/bucket-class';
import { chooseBucketPool, type BucketDecision } from '@moorage/core/buckets/choose';
import { provisioner } from '@moorage/core/classes/manifest';
import type { Bytes } from '@moorage/core/sizes/bytes';
import type { DecisionRow } from '@moorage/contract/claims';
import { usedInNamespaces } from '../binder/choose.sql';
import { quotasOf } from '../binder/facts';
import type { Backends } from '../backends/backends';
import type { Database } from '../database/database';
import { lockNamespace } from '../database/locks.sql';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import type { LookAgain, Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { advance, noteProgress } from '../operations/operations';
import { BackendProblem } from '../swordfish/connector';
import { PlatformProblem, type PlatformConnector, type PlatformObject } from '../platform/connector';
import { corePools, livePools } from '../pools/pools';
import { pools } from '../pools/pool-model';
import { decisions } from '../reservations/decision-model';
import { bucketKeys, buckets, type BucketModel } from './bucket-model';
import { bucketClaim, grantAgain, resumeBucket, takeOver, waitingKeys, type StoredBucketClaim } from './buckets.sql';
import { ensureKeyGone } from './keys';
import { letting, making } from './kinds';

/** Pages of a thousand objects that are destroyed before the operation is looked at again. */
const pagesAtOnce = 20;

/** The name of a claim's bucket: whose it is, as far as there is room, and what nobody else has. */
export function bucketNameOf({ namespace, name, uid }: Pick<StoredBucketClaim, 'namespace' | 'name' | 'uid'>): string {
  const whose = `${namespace}-${name}`.replace(/[^a-z0-9-]/g, '-').slice(0, 62 - uid.length);
  return `${whose}-${uid}`;
}

/** Carries bucket claims to buckets, and buckets without a claim to their end. Each step comes to the same when it is done again. */
export class BucketCarrier {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly backends: Backends,
    private readonly site: string,
    /** Carries operations that wait for this one. */
    private readonly wake: (operations: readonly string[]) => void,
  ) {}

  get works(): readonly Work[] {
    const made: Work<keyof typeof making.states> = {
      kind: making,
      tells: () => ({ topic: 'buckets' }),
      steps: {
        deciding: (o) => this.choose(o),
        waiting: (o) => this.choose(o),
        making: (o) => this.make(o),
        telling: (o) => this.tell(o),
      },
    };
    const let_: Work<keyof typeof letting.states> = {
      kind: letting,
      tells: () => ({ topic: 'buckets' }),
      steps: { closing: (o) => this.close(o), emptying: (o) => this.empty(o) },
    };
    return [made, let_] as Work[];
  }

  private advance = (operation: Operation, to: keyof typeof making.states, waitingFor?: string, decisionId?: number) =>
    advance(this.database, making, operation, to, { waitingFor, decisionId });

  private bucketOf = ({ subject }: Operation): Promise<BucketModel | null> =>
    buckets.in(this.database).findByPk(subject);

  private choose(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    return database.transaction(async () => {
      const claim = await first(bucketClaim(database, operation.subject));
      if (!claim || claim.body.metadata.deletionTimestamp) return this.advance(operation, 'abandoned');
      const held = await this.bucketOf(operation);
      // thought to be gone after it was reserved: gone on with
      if (held) return this.advance(operation, held.state === 'held' ? 'making' : 'telling');
      const existing = claim.body.spec?.existingBucketName as string | undefined;
      if (existing !== undefined) {
        const [taken] = await takeOver(database, claim.uid, claim.namespace, claim.name, existing);
        return taken ? this.advance(operation, 'telling') : this.rest(operation, 'existing');
      }
      if (claim.class?.driverName !== provisioner) return this.rest(operation, 'class');
      const { bucketClass, problems } = readBucketClass(claim.class);
      if (problems.length > 0) return this.rest(operation, 'class');
      const limit = limitOf(claim.body.metadata.annotations, bucketClass);
      if (limit === undefined) return this.rest(operation, 'limit');
      return this.place(operation, claim, bucketClass, limit);
    });
  }

  private async rest(operation: Operation, waitingFor: string, decisionId?: number): Promise<undefined> {
    await this.advance(operation, 'waiting', waitingFor, decisionId);
    return undefined;
  }

  private async place(
    operation: Operation,
    claim: StoredBucketClaim,
    bucketClass: ReturnType<typeof readBucketClass>['bucketClass'],
    limit: Bytes,
  ): Promise<Operation | undefined> {
    const { database, site } = this;
    const { namespace, limits } = claim;
    if (limits.length > 0) await lockNamespace(database, namespace);
    const quotas = limits.length > 0 ? quotasOf(limits, await usedInNamespaces(database, [namespace])) : [];
    const live = corePools(await livePools(database, bucketClass.pools, 'lock'));
    const began = performance.now();
    const decision = chooseBucketPool({ namespace, limit, bucketClass, pools: live, quotas, site });
    const { id } = await this.keep(claim.uid, decision, (performance.now() - began) * 1000);
    if (decision.winner === undefined) return this.rest(operation, 'capacity', id);
    await buckets.in(database).create({
      ...{ claimUid: claim.uid, namespace, claimName: claim.name, className: bucketClass.name },
      ...{
        poolId: decision.winner,
        asked: claim.body.metadata.annotations?.[limitKey] ?? null,
        bytes: decision.provisioned!,
        name: bucketNameOf(claim),
      },
      rawBytes: Math.ceil(decision.provisioned! * decision.footprintFactor!),
    });
    await announce(database, [
      { topic: 'pools', subject: decision.winner },
      { topic: 'namespaces', subject: namespace },
    ]);
    return this.advance(operation, 'making', undefined, id);
  }

  /** Keeps a decision; of one that says the same as the last, its time alone. */
  private async keep(claimUid: string, { unknown: _, ...trace }: BucketDecision, tookMicros: number) {
    const winner = trace.winner ?? null;
    const last = await decisions.in(this.database).findOne({ where: { claimUid }, order: [['id', 'DESC']] });
    if (last && winner === null && JSON.stringify(last.trace) === JSON.stringify(trace))
      return last.update({ madeAt: new Date(), tookMicros });
    return decisions.in(this.database).create({
      ...{ claimUid, tookMicros, winner, remedies: [] },
      // the same, but that the core's lists are read-only and the contract's are not
      trace: trace as unknown as DecisionRow['trace'],
    });
  }

  private async at(bucket: BucketModel) {
    const pool = await pools.in(this.database).findByPk(bucket.poolId, { rejectOnEmpty: true });
    return { pool, objects: (await this.backends.connector(pool.backendId)).objects };
  }

  private async make(operation: Operation): Promise<Operation | undefined> {
    const bucket = await this.bucketOf(operation);
    if (!bucket) return this.advance(operation, 'abandoned');
    const { pool, objects } = await this.at(bucket);
    const endpoint = await objects.fetchEndpoint();
    await objects.ensureBucket(bucket.name, pool.name);
    await bucket.update({ endpoint: endpoint ?? null, ...(bucket.state === 'held' && { state: 'made' }) });
    return this.advance(operation, 'telling');
  }

  private async tell(operation: Operation): Promise<Operation | undefined> {
    const { database, platform } = this;
    const bucket = await this.bucketOf(operation);
    if (!bucket) return this.advance(operation, 'abandoned');
    const { namespace, claimName, name } = bucket;
    const claim = await platform.find(bucketApi, 'BucketClaim', claimName, namespace);
    if (claim?.metadata.uid !== operation.subject) return this.advance(operation, 'abandoned');
    const cls = await platform.find(bucketApi, 'BucketClass', bucket.className);
    await this.ensureTold(onPlatform(bucket, claim, String(cls?.deletionPolicy ?? 'Retain')), {
      ...{ bucketReady: true, bucketID: name },
    });
    await platform.patchBucketStatus({
      ...{ apiVersion: bucketApi, kind: 'BucketClaim', metadata: { name: claimName, namespace } },
      status: { bucketReady: true, bucketName: name },
    });
    const woken = await database.transaction(async () => {
      await bucket.update({ state: 'ready' });
      await announce(database, [{ topic: 'buckets' }, { topic: 'namespaces', subject: namespace }]);
      const again = await grantAgain(database, namespace, claimName);
      return [...again, ...(await waitingKeys(database, namespace, claimName))].map((o) => o.id);
    });
    const moved = await this.advance(operation, 'ready');
    this.wake(woken);
    return moved;
  }

  /** Makes the platform's own object for a bucket, or lets the one that is there name today's claim; then says how it stands. */
  private async ensureTold(object: PlatformObject, status: Record<string, unknown>): Promise<void> {
    try {
      await this.platform.create(object);
    } catch (error) {
      if (!(error instanceof PlatformProblem && error.code === 'exists')) throw error;
      const { apiVersion, kind, metadata, spec } = object;
      await this.platform.mergePatch({ apiVersion, kind, metadata, spec: { bucketClaim: spec?.bucketClaim } });
    }
    await this.platform.patchBucketStatus({ ...object, spec: undefined, status });
  }

  // the end

  /** Takes all keys back. What lies in it is destroyed on the platform's own word alone: its claim is not there, its bucket is, and that says Delete. */
  private async close(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    const to = (state: keyof typeof letting.states) => advance(database, letting, operation, state);
    const bucket = await this.bucketOf(operation);
    if (!bucket) return to('removed');
    const fate = await this.fateOf(bucket);
    if (fate === 'claim-lives') {
      await database.transaction(async () => {
        await bucket.update({ gone: false });
        await resumeBucket(database, bucket.claimUid);
      });
      return to('mistaken');
    }
    const { objects } = await this.at(bucket);
    const keys = await bucketKeys.in(database).findAll({ where: { claimUid: bucket.claimUid }, limit: 1000 });
    // one that was never made has nobody to shut out
    if ((await objects.fetchObjects(bucket.name)) !== undefined) await objects.ensureAdmitted(bucket.name, []);
    for (const key of keys) await ensureKeyGone(this.platform, objects, key);
    return database.transaction(async () => {
      await bucketKeys.in(database).destroy({ where: { claimUid: bucket.claimUid } });
      await bucket.update(
        fate === 'keep' ? { state: 'kept', keptSince: bucket.keptSince ?? new Date() } : { state: 'emptying' },
      );
      await announce(database, [{ topic: 'buckets' }, { topic: 'namespaces', subject: bucket.namespace }]);
      return to(fate === 'keep' ? 'kept' : 'emptying');
    });
  }

  private async fateOf(bucket: BucketModel): Promise<'claim-lives' | 'keep' | 'destroy'> {
    const claim = await this.platform.find(bucketApi, 'BucketClaim', bucket.claimName, bucket.namespace);
    if (claim?.metadata.uid === bucket.claimUid) return 'claim-lives';
    // never told to anybody: nothing can lie in it
    if (bucket.state === 'held' || bucket.state === 'made') return 'destroy';
    // a person said so, by name
    if (bucket.destroyedBy !== null) return 'destroy';
    const there = await this.platform.find(bucketApi, 'Bucket', bucket.name);
    // claim and bucket gone together is no deletion of a claim: the platform may be another one, or restored from a copy
    return there?.spec?.deletionPolicy === 'Delete' ? 'destroy' : 'keep';
  }

  private async empty(operation: Operation): Promise<Operation | LookAgain | undefined> {
    const { database } = this;
    const bucket = await this.bucketOf(operation);
    if (!bucket) return advance(database, letting, operation, 'removed');
    const { objects } = await this.at(bucket);
    let deleted: string | undefined;
    for (let pages = 0; pages < pagesAtOnce; pages++) {
      const page = await objects.fetchObjects(bucket.name);
      if (page && page.keys.length > 0) {
        if (page.keys[0] === deleted)
          throw new BackendProblem('nonsense', `it still lists ${deleted}, which it said it had deleted`);
        deleted = page.keys[0];
        await objects.deleteObjects(bucket.name, page.keys);
        continue;
      }
      if (page && !(await objects.ensureBucketGone(bucket.name))) continue;
      await this.platform.ensureDeleted(bucketApi, 'Bucket', bucket.name);
      return database.transaction(async () => {
        await bucket.destroy();
        await announce(database, [
          { topic: 'pools', subject: bucket.poolId },
          { topic: 'namespaces', subject: bucket.namespace },
        ]);
        return advance(database, letting, operation, 'removed');
      });
    }
    await noteProgress(database, operation, Math.max(1, bucket.objects - pagesAtOnce * 1000), 'steps');
    return { againAfterS: 0 };
  }
}

const onPlatform = (bucket: BucketModel, claim: PlatformObject, deletionPolicy: string): PlatformObject => ({
  apiVersion: bucketApi,
  kind: 'Bucket',
  metadata: { name: bucket.name },
  spec: {
    ...{ driverName: provisioner, bucketClassName: bucket.className, deletionPolicy, protocols: ['s3'] },
    bucketClaim: {
      ...{ apiVersion: bucketApi, kind: 'BucketClaim', name: bucket.claimName, namespace: bucket.namespace },
      uid: claim.metadata.uid,
    },
  },
});
