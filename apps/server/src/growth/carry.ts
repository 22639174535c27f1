import { tunedClass } from '@moorage/core/classes/allowance';
import { offsiteClass } from '@moorage/core/classes/elsewhere';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { rateFor } from '@moorage/core/performance/term';
import { grow, type PoolGrowth } from '@moorage/core/placement/growth';
import { megabyte } from '@moorage/core/placement/rules';
import { bytes } from '@moorage/core/sizes/bytes';
import { formatQuantity } from '@moorage/core/sizes/quantity';
import type { GrowthAnswer } from '@moorage/contract/growth';
import type { Backends } from '../backends/backends';
import { providerPath } from '../backends/instances';
import { podsOf } from '../claims/claims.sql';
import type { Database } from '../database/database';
import { asRecords, first } from '../database/statement';
import { announce } from '../live/announce';
import type { Metrics } from '../metrics/metrics';
import { findMirrored, storageClassOf } from '../mirror/mirrored';
import type { Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { advance } from '../operations/operations';
import type { PlatformConnector, PlatformObject } from '../platform/connector';
import { enlargeInstance, settleInstances } from '../pools/instances.sql';
import { OutsideProblem } from '../refusals/outside';
import { furtherCopiesOf, reservedFor, type FurtherCopy, type Reserved } from '../reservations/reservation.sql';
import { answerOf, reachesOf } from './answer';
import { capacityOf } from './begin';
import { claimOf } from './bound';
import { factsToGrow, type GrowthFacts } from './facts';
import { growths, type ReservedBefore, type ReservedPart } from './growth-model';
import { noteSizes, reserveMore } from './growth.sql';
import { growing, type GrowthState } from './kind';

const pending = 'FileSystemResizePending';
type Condition = { readonly type: string; readonly [member: string]: unknown };

const partOf = (at: Reserved | FurtherCopy): ReservedPart => ({
  ...{ pool_id: at.pool_id, bytes: at.bytes, raw_bytes: at.raw_bytes },
  ...{ backend_iops: at.backend_iops, backend_throughput: at.backend_throughput },
});

/** What is reserved before a growth, to be gone back to. */
const beforeOf = ({ reserved, further }: GrowthFacts): ReservedBefore => ({
  parts: [reserved, ...further].map(partOf),
  ...{ iopsFloor: reserved.iops_floor, iopsCeiling: reserved.iops_ceiling },
  ...{ throughputFloor: reserved.throughput_floor, throughputCeiling: reserved.throughput_ceiling },
});

/** The conditions of a claim whose volume was made larger, and whose file system its node has to grow. */
function withPending({ status }: PlatformObject): Condition[] {
  const others = ((status?.conditions ?? []) as Condition[]).filter((c) => c.type !== pending);
  const message = 'The volume was made larger; the file system is grown on the node of a pod that uses it.';
  return [...others, { type: pending, status: 'True', message, lastTransitionTime: new Date().toISOString() }];
}

/** Carries claims that ask for more to larger volumes: reserve, ask the backends, tell the platform, see the node grow the file system. */
export class GrowthCarrier {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly backends: Backends,
    private readonly metrics: Metrics,
    private readonly site: string,
  ) {}

  /** The kind of operations that this room carries. */
  get work(): Work<GrowthState> {
    const decide = (o: Operation) => this.decide(o);
    return {
      kind: growing,
      tells: () => ({ topic: 'claims' }),
      // what is refused for good stays reserved until a person tries again or calls it off: nobody knows what the backend did
      afterFailure: (_o, error) => (error instanceof OutsideProblem && error.isForGood ? 'stop' : 'again'),
      steps: {
        deciding: decide,
        waiting: decide,
        asking: (o) => this.askBackends(o),
        writing: (o) => this.tellPlatform(o),
        seeing: (o) => this.seeGrown(o),
        returning: (o) => this.giveBack(o),
      },
    };
  }

  private advance = (operation: Operation, to: GrowthState) => advance(this.database, growing, operation, to);

  /** Reserves what is asked for where it fits, under the locks of namespace and pools; else keeps the answer and waits. */
  private decide(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    return database.transaction(async () => {
      const facts = await factsToGrow(database, this.site, operation.subject, 'lock');
      if (facts === 'claim-gone') return this.advance(operation, 'abandoned');
      if (facts === 'class-gone') return this.rest(operation, 'class');
      const { input, reserved } = facts;
      const pods = await podsOf(database, reserved.namespace, reserved.claim_name);
      const growth = grow(input);
      if (growth.kind === 'enough') return this.advance(operation, 'grown');
      const reaches = reachesOf(input.claim.volumeMode, reserved.facts.access, pods);
      const answer = answerOf(input, growth, input.claim.size, reaches);
      const fits = growth.kind === 'reckoned' && growth.fits;
      const isNews = await this.keep(operation, answer, fits ? beforeOf(facts) : null);
      if (growth.kind === 'fixed') return this.rest(operation, 'class', isNews);
      if (growth.kind === 'pool-gone') return this.rest(operation, 'pool', isNews);
      if (!growth.fits) return this.rest(operation, 'capacity', isNews);
      await this.reserve(facts, growth.on);
      return this.advance(operation, 'asking');
    });
  }

  /** Keeps the answer; true when it says something else than the one before. */
  private async keep(
    { id, subject }: Operation,
    answer: GrowthAnswer,
    reservedBefore: ReservedBefore | null,
  ): Promise<boolean> {
    const table = growths.in(this.database);
    const before = await table.findByPk(id, { raw: true });
    await table.upsert({
      ...{ operationId: id, claimUid: subject, wanted: answer.wanted, fromBytes: answer.provisioned, answer },
      toBytes: reservedBefore && answer.growth.kind === 'reckoned' ? answer.growth.on[0]!.to : null,
      before: reservedBefore,
    });
    return JSON.stringify(before?.answer) !== JSON.stringify(answer);
  }

  private async rest(
    operation: Operation,
    waitingFor: 'class' | 'pool' | 'capacity',
    isNews = true,
  ): Promise<undefined> {
    await advance(this.database, growing, operation, 'waiting', { waitingFor });
    if (operation.state !== 'waiting' || isNews) await announce(this.database, [{ topic: 'claims' }]);
    return undefined;
  }

  private async reserve({ input, reserved }: GrowthFacts, on: readonly PoolGrowth[]): Promise<void> {
    const [main] = on;
    const { iopsCeiling, throughputCeiling } = tunedClass(input.storageClass, input.claim.tuned);
    const parts = on.map((g): ReservedPart => ({
      ...{ pool_id: g.pool, bytes: g.to, raw_bytes: g.raw },
      ...{ backend_iops: g.backendIops, backend_throughput: g.backendThroughput },
    }));
    const rates = {
      ...{ iopsFloor: main!.iopsFloor, iopsCeiling: iopsCeiling ? rateFor(iopsCeiling, main!.to) : null },
      throughputFloor: main!.throughputFloor,
      throughputCeiling: throughputCeiling ? rateFor(throughputCeiling, main!.to) : null,
    };
    await this.write(reserved, rates, parts);
    for (const { pool, instance } of on)
      if (instance) await enlargeInstance(this.database, pool, instance.id, instance.size);
    await announce(this.database, [{ topic: 'claims' }, { topic: 'pools' }, { topic: 'namespaces' }]);
  }

  private async write(reserved: Reserved, rates: Omit<ReservedBefore, 'parts'>, parts: readonly ReservedPart[]) {
    const { iopsFloor, iopsCeiling, throughputFloor, throughputCeiling } = rates;
    const { claim_uid, bytes: held } = reserved;
    const ceilings = [iopsFloor, iopsCeiling, throughputFloor, throughputCeiling] as const;
    const [written] = await reserveMore(this.database, claim_uid, held, asRecords(parts), ...ceilings);
    if (!written)
      throw new Error(`what is reserved for claim ${claim_uid} was changed by something else than its growth`);
  }

  /** Asks for the copies elsewhere first: a volume larger than its copy could not be written there. */
  private async askBackends(operation: Operation): Promise<Operation | undefined> {
    const reserved = await first(reservedFor(this.database, operation.subject));
    // of a claim that is gone, the volume may be gone too: nobody is asked about it
    if (!reserved?.volume_id || !(await claimOf(this.platform, reserved))) return this.advance(operation, 'abandoned');
    const cls = await this.classOf(reserved);
    const further = await furtherCopiesOf(this.database, operation.subject);
    const sizes: { backend: string; volume: string; bytes: number }[] = [];
    for (const at of [...further, reserved]) {
      if (!at.volume_id) continue;
      const backend = await this.backends.connector(at.backend_id);
      if (!('mode' in at)) await providerPath(this.database, backend, at);
      const grown = await this.metrics.timed(at.backend_id, 'volume grown', () =>
        backend.ensureGrown({
          ...{ id: at.volume_id!, poolPath: at.path, bytes: at.bytes },
          ...this.ceilings(reserved, 'mode' in at && at.mode === 'asynchronous' && cls ? offsiteClass(cls) : cls),
        }),
      );
      sizes.push({ backend: at.backend_id, volume: at.volume_id, bytes: grown });
    }
    await noteSizes(this.database, asRecords(sizes), operation.subject);
    return this.advance(operation, 'writing');
  }

  private async classOf({ class_name }: Reserved): Promise<StorageClass | undefined> {
    const manifest = (await findMirrored(this.database, 'storageclasses', class_name))?.body;
    return manifest && storageClassOf(manifest);
  }

  /** What holds the volume at its new size; a class that sets no ceiling is not held to one. */
  private ceilings(reserved: Reserved, cls: StorageClass | undefined) {
    return {
      ...(cls?.iopsCeiling && reserved.iops_ceiling !== null && { iopsCeiling: reserved.iops_ceiling }),
      ...(cls?.throughputCeiling &&
        reserved.throughput_ceiling !== null && { bytesPerSecondCeiling: reserved.throughput_ceiling * megabyte }),
    };
  }

  /** Tells the platform of the volume's size, and of what its node has still to do. */
  private async tellPlatform(operation: Operation): Promise<Operation | undefined> {
    const reserved = await first(reservedFor(this.database, operation.subject));
    const growth = await growths.in(this.database).findByPk(operation.id, { raw: true });
    const to = growth?.toBytes ?? reserved?.bytes;
    if (!reserved || !to) return this.advance(operation, 'abandoned');
    const { claim_name: name, namespace, claim_uid } = reserved;
    const claim = await this.platform.find('v1', 'PersistentVolumeClaim', name, namespace);
    if (claim?.metadata.uid !== claim_uid) return this.advance(operation, 'abandoned');
    const storage = formatQuantity(bytes(to));
    const volume = { apiVersion: 'v1', kind: 'PersistentVolume', metadata: { name: reserved.pv_name } };
    await this.platform.mergePatch({ ...volume, spec: { capacity: { storage } } });
    if (capacityOf(claim) >= to) return this.advance(operation, 'grown');
    const pods = await podsOf(this.database, namespace, name);
    const isAtOnce = reachesOf(claim.spec?.volumeMode ?? 'Filesystem', reserved.facts.access, pods) === 'at-once';
    await this.platform.patchClaimStatus({
      ...{ apiVersion: 'v1', kind: 'PersistentVolumeClaim' },
      metadata: { name, namespace, resourceVersion: claim.metadata.resourceVersion },
      status: isAtOnce ? { capacity: { storage } } : { conditions: withPending(claim) },
    });
    if (isAtOnce) return this.advance(operation, 'grown');
    return advance(this.database, growing, operation, 'seeing', { waitingFor: 'node' });
  }

  /** Looked at by hand; else the mirror says so. */
  private async seeGrown(operation: Operation): Promise<Operation | undefined> {
    const reserved = await first(reservedFor(this.database, operation.subject));
    const claim =
      reserved && (await this.platform.find('v1', 'PersistentVolumeClaim', reserved.claim_name, reserved.namespace));
    if (claim?.metadata.uid !== operation.subject) return this.advance(operation, 'abandoned');
    return capacityOf(claim) >= reserved!.bytes ? this.advance(operation, 'grown') : undefined;
  }

  /** Gives back what the backends did not use: they are asked, since a volume that has grown stays so. */
  private async giveBack(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    const growth = await growths.in(database).findByPk(operation.id, { raw: true });
    if (!growth?.toBytes) return this.advance(operation, 'returned');
    const reserved = await first(reservedFor(database, operation.subject));
    if (!reserved) return this.advance(operation, 'abandoned');
    const further = await furtherCopiesOf(database, operation.subject);
    const real = new Map<string, number>();
    for (const at of [...further, reserved]) {
      const backend = await this.backends.connector(at.backend_id);
      const found = await backend.findVolume(reserved.volume_name);
      if (found) real.set(at.pool_id, found.bytes);
    }
    // it did grow: the platform is told, and nothing is given back
    if ((real.get(reserved.pool_id) ?? 0) >= reserved.bytes) return this.advance(operation, 'writing');
    return database.transaction(async () => {
      const { before } = growth;
      // a copy elsewhere that has grown already stays reserved as it is
      const parts = before!.parts.filter((p) => (real.get(p.pool_id) ?? 0) <= p.bytes);
      await this.write(reserved, before!, parts);
      if (reserved.instance !== null) await settleInstances(database, reserved.pool_id);
      await announce(
        database,
        parts.map((p) => ({ topic: 'pools' as const, subject: p.pool_id })),
      );
      return this.advance(operation, 'returned');
    });
  }
}
