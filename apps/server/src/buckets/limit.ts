import { limitKey, limitOf, readBucketClass } from '@moorage/core/buckets/bucket-class';
import { chooseBucketPool } from '@moorage/core/buckets/choose';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { provisionedSize } from '@moorage/core/sizes/provisioned';
import { usedInNamespaces } from '../binder/choose.sql';
import { quotasOf } from '../binder/facts';
import type { Database } from '../database/database';
import { lockNamespace } from '../database/locks.sql';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import type { Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { advance } from '../operations/operations';
import { corePools, livePools } from '../pools/pools';
import { buckets } from './bucket-model';
import { bucketClaim, holdClaim } from './buckets.sql';
import { limiting } from './kinds';

/** Lets buckets hold more or less: nothing moves, and only what is promised changes. */
export class LimitCarrier {
  constructor(
    private readonly database: Database,
    private readonly site: string,
  ) {}

  get work(): Work<keyof typeof limiting.states> {
    return {
      kind: limiting,
      tells: () => ({ topic: 'buckets' }),
      steps: { deciding: (o) => this.decide(o), waiting: (o) => this.decide(o) },
    };
  }

  private decide(operation: Operation): Promise<Operation | undefined> {
    const { database, site } = this;
    const to = (state: keyof typeof limiting.states, waitingFor?: string) =>
      advance(database, limiting, operation, state, { waitingFor });
    return database.transaction(async () => {
      // whoever changes the claim meanwhile waits, and begins anew after this
      await holdClaim(database, operation.subject);
      const claim = await first(bucketClaim(database, operation.subject));
      const bucket = await buckets.in(database).findByPk(operation.subject);
      if (!claim || bucket?.state !== 'ready') return to('abandoned');
      const limit = limitOf(claim.body.metadata.annotations, {});
      const asked = claim.body.metadata.annotations?.[limitKey] ?? null;
      if (limit === undefined) {
        // one that cannot be read changes nothing, and is seen to
        await bucket.update({ asked });
        return to('set');
      }
      if (claim.limits.length > 0) await lockNamespace(database, bucket.namespace);
      const pools = corePools(await livePools(database, [bucket.poolId], 'lock'));
      const pool = pools.get(bucket.poolId)!;
      const bytes: number = provisionedSize(limit, pool);
      const more = bytes - bucket.bytes;
      if (more > 0) {
        const known = claim.class && readBucketClass(claim.class).bucketClass;
        const bucketClass = {
          name: bucket.className,
          copies: known?.copies ?? 1,
          encrypted: known?.encrypted ?? false,
        };
        const decision = chooseBucketPool({
          ...{ namespace: bucket.namespace, limit: more as Bytes, pools, site },
          bucketClass: { ...bucketClass, deletion: 'Retain', pools: [bucket.poolId] },
          quotas: quotasOf(claim.limits, await usedInNamespaces(database, [bucket.namespace])),
        });
        if (decision.winner === undefined) {
          await to('waiting', 'capacity');
          return undefined;
        }
      }
      // as many raw bytes for each as when its pool was chosen
      const rawBytes = Math.ceil((bytes * bucket.rawBytes) / bucket.bytes);
      await bucket.update({ asked, bytes, rawBytes });
      await announce(database, [
        { topic: 'buckets' },
        { topic: 'pools', subject: bucket.poolId },
        { topic: 'namespaces', subject: bucket.namespace },
      ]);
      return to('set');
    });
  }
}
