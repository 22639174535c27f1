import { offsiteClass } from '@moorage/core/classes/elsewhere';
import { fromManifest, type ClassManifest } from '@moorage/core/classes/manifest';
import { protocolOf } from '@moorage/core/classes/protocol';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { megabyte } from '@moorage/core/placement/rules';
import type { Backends } from '../backends/backends';
import type { Database } from '../database/database';
import { asRecords, first } from '../database/statement';
import type { Metrics } from '../metrics/metrics';
import { noteMade } from '../mirror/mirror';
import { findMirrored, storageClassOf } from '../mirror/mirrored';
import type { Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { operations } from '../operations/operation-model';
import { advance } from '../operations/operations';
import { PlatformProblem, type PlatformConnector, type PlatformObject } from '../platform/connector';
import { reservationCopies, reservations } from '../reservations/reservation-model';
import {
  furtherCopiesOf,
  goneDisks,
  reservedFor,
  type FurtherCopy,
  type Reserved,
} from '../reservations/reservation.sql';
import { BackendProblem, type BackendConnector, type BackendShare, type BackendVolume } from '../swordfish/connector';
import { claimAndClass, noteVolumeMade, noteVolumeWritten, type ClaimAndClass } from './binder.sql';
import { chooseAndReserve } from './choose';
import { Release } from './release';
import { shownAs } from './shown-as';
import { settleInstances } from '../pools/instances.sql';
import { providerPath } from '../backends/instances';
import { persistentVolume, protocolFor } from './volume-manifest';
import { noteBound } from './begin';
import { binding, releasing, type BindState, type ReleaseState } from './kinds';
import { Forgotten } from './sweep';

/** Whether a volume is reached as files. */
const isFiles = ({ facts }: Reserved, cls: ClassManifest | null): boolean =>
  protocolOf(protocolFor(facts.protocols, cls)) === 'NFS';

/** What a node mounts: by a name, which outlives addresses, where the backend has one. */
function mountOf(share: BackendShare | undefined): Reserved['share'] {
  const server = share?.server ?? share?.addresses[0];
  return share && server !== undefined ? { server, path: share.path } : null;
}

/** Where a volume of files is mounted; a backend that does not speak of its exports keeps nobody from binding. */
async function shareIfTold(backend: BackendConnector, volume: string): Promise<BackendShare | undefined> {
  try {
    return await backend.findShare(volume);
  } catch (error) {
    if (error instanceof BackendProblem && ['refused', 'not-found', 'nonsense'].includes(error.code)) return undefined;
    throw error;
  }
}

const tells = () => ({ topic: 'claims' as const });

/** Carries claims to their volumes: decide, reserve, create, write the volume, see it bound. And lets them go again. */
export class Binder {
  private readonly release: Release;
  private readonly forgotten: Forgotten;
  /** Operations whose intention was written here a moment ago: only for these is it certain that the backend was not asked yet. */
  private readonly intended = new Set<string>();
  /** What was read for operations whose volume was made here a moment ago: it is not read again to write that volume. */
  private readonly fresh = new Map<string, { readonly held: Reserved; readonly claim: ClaimAndClass }>();

  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly backends: Backends,
    private readonly metrics: Metrics,
    private readonly site: string,
  ) {
    this.release = new Release(database, platform, backends);
    this.forgotten = new Forgotten(database);
  }

  /** The kinds of operations that this room carries. */
  get works(): [Work<BindState>, Work<ReleaseState>] {
    const decide = (o: Operation) => this.decide(o);
    const { release } = this;
    return [
      {
        kind: binding,
        tells,
        steps: {
          deciding: decide,
          waiting: decide,
          making: (o) => this.makeVolume(o),
          made: (o) => this.writeVolume(o),
          written: (o) => this.seeBound(o),
        },
      },
      {
        kind: releasing,
        tells,
        // a volume that is still in use, or attached, is let go of later: the backend's refusal heals by itself
        afterFailure: (_o, error) => (error instanceof PlatformProblem && error.isForGood ? 'stop' : 'again'),
        steps: {
          releasing: (o) => release.unmakeVolume(o),
          unmade: (o) => release.clearVolume(o),
          cleared: (o) => release.freeReservation(o),
        },
      },
    ];
  }

  /** What should be moving and is not. */
  findForgotten = (): Promise<string[]> => this.forgotten.find();

  /** Destroys what backends made after it was let go of. */
  destroyLate = (): Promise<void> => this.release.destroyLate();

  private async decide(operation: Operation): Promise<Operation | undefined> {
    const moved = await chooseAndReserve(this.database, this.metrics, this.site, operation);
    if (moved?.state === 'making') this.intended.add(moved.id);
    return moved;
  }

  private async makeVolume(operation: Operation): Promise<Operation | undefined> {
    const [held, claim, disks, further] = await Promise.all([
      first(reservedFor(this.database, operation.subject)),
      first(claimAndClass(this.database, operation.subject)),
      reservationCopies.in(this.database).findAll({
        raw: true,
        where: { claimUid: operation.subject, role: 'data' },
        order: [['disk', 'ASC']],
        limit: 100,
      }),
      furtherCopiesOf(this.database, operation.subject),
    ]);
    if (!held) return advance(this.database, binding, operation, 'abandoned');
    // of a claim that is not seen at this moment, by the name that was written down
    const manifest = claim?.zones ?? (await findMirrored(this.database, 'storageclasses', held.class_name))?.body;
    const storageClass = manifest && storageClassOf(manifest as PlatformObject);
    const isFirst = this.intended.delete(operation.id);
    const { namespace, claim_name: name } = held;
    const said = shownAs({ namespace, name, ...claim?.body.metadata }, claim?.labels);
    const make = (at: { backend_id: string; pool_id: string; path: string; bytes: number }, cls = storageClass) =>
      this.ensureVolume(
        held,
        at,
        disks.filter((d) => d.poolId === at.pool_id),
        cls,
        isFirst,
        said,
      );
    let made: BackendVolume;
    let share: Reserved['share'] = null;
    const copies: { mode: FurtherCopy['mode']; backend: string; volume: string }[] = [];
    try {
      // the copies first: a volume is there for its claim only when its copies are
      for (const copy of further) {
        const cls = copy.mode === 'asynchronous' && storageClass ? offsiteClass(storageClass) : storageClass;
        copies.push({ mode: copy.mode, backend: copy.backend_id, volume: (await make(copy, cls)).id });
      }
      made = await make(held);
      const backend = await this.backends.connector(held.backend_id);
      for (const copy of copies) await backend.ensureMirrored(made.id, copy);
      if (isFiles(held, claim?.zones ?? null)) {
        if (storageClass?.root) await backend.ensureRoot(held.volume_name, storageClass.root);
        share = mountOf(await shareIfTold(backend, held.volume_name));
      }
    } catch (error) {
      if (!(error instanceof BackendProblem) || !(await this.isStale(error, held, further))) throw error;
      await this.discardAll(held, further);
      return this.chooseAgain(operation, held);
    }
    const placed = disks
      .filter((d) => d.poolId === held.pool_id)
      .map(({ disk, node }) => ({ disk, node, state: 'Synchronized', percent: 100 }));
    const next = await first(
      noteVolumeMade(
        this.database,
        operation.id,
        operation.state,
        made.id,
        held.backend_id,
        asRecords(placed.length > 0 ? placed : made.copies),
        asRecords(copies),
        share && JSON.stringify(share),
      ),
    );
    // the claim was deleted while the backend worked: nobody ever wrote to this volume
    if (!next) await this.discardUnclaimed(held, further);
    else if (claim) this.fresh.set(operation.id, { held: { ...held, volume_id: made.id, share }, claim });
    return next;
  }

  /** Whether the refusal comes of a state that has changed since the decision: the pool is full, or a disk of the copies is gone. */
  private async isStale(error: BackendProblem, held: Reserved, further: readonly FurtherCopy[]): Promise<boolean> {
    if (error.code === 'full') return true;
    if (error.code !== 'refused') return false;
    await this.backends.sync(held.backend_id);
    for (const copy of further) await this.backends.sync(copy.backend_id);
    const gone = await first(goneDisks(this.database, held.claim_uid));
    return gone !== undefined;
  }

  /** The volume on one backend; an earlier attempt may have been answered to nobody, so it is looked for before asking again. */
  private async ensureVolume(
    held: Reserved,
    at: { backend_id: string; path: string; bytes: number },
    disks: readonly { disk: string; node: string }[],
    storageClass: StorageClass | undefined,
    isFirst: boolean,
    said: string,
  ): Promise<BackendVolume> {
    const backend = await this.backends.connector(at.backend_id);
    const known = isFirst ? undefined : await backend.findVolume(held.volume_name);
    if (known) return known;
    try {
      const poolPath = at === held ? await providerPath(this.database, backend, held) : at.path;
      return await this.metrics.timed(at.backend_id, 'volume made', () =>
        backend.createVolume({
          name: held.volume_name,
          shownAs: said,
          poolPath,
          bytes: at.bytes,
          // what the claim tuned is in what was reserved for it
          copies: disks.length || (storageClass?.copies ?? 1),
          encrypted: storageClass?.encrypted ?? false,
          compressed: storageClass?.compression,
          deduplicated: storageClass?.deduplication,
          disks: disks.map((d) => ({ id: d.disk, node: d.node })),
          // a class that sets no ceiling there, as for a copy that is written later, is not held to one
          ...(storageClass?.iopsCeiling && held.iops_ceiling !== null && { iopsCeiling: held.iops_ceiling }),
          ...(storageClass?.throughputCeiling &&
            held.throughput_ceiling !== null && { bytesPerSecondCeiling: held.throughput_ceiling * megabyte }),
        }),
      );
    } catch (error) {
      const there =
        error instanceof BackendProblem && error.code === 'exists' && (await backend.findVolume(held.volume_name));
      if (!there) throw error;
      return there;
    }
  }

  /** Deletes a volume that no claim ever had. */
  private async discard(backendId: string, name: string): Promise<void> {
    const backend = await this.backends.connector(backendId);
    const volume = await backend.findVolume(name);
    if (volume) await backend.ensureVolumeDeleted(volume.id);
  }

  private async discardAll(held: Reserved, further: readonly FurtherCopy[]): Promise<void> {
    for (const { backend_id } of [...further, held]) await this.discard(backend_id, held.volume_name);
  }

  private async discardUnclaimed(held: Reserved, further: readonly FurtherCopy[]): Promise<void> {
    const abandoned = await operations
      .in(this.database)
      .count({ where: { kind: 'bind', subject: held.claim_uid, state: 'abandoned' } });
    if (abandoned > 0) await this.discardAll(held, further);
  }

  /** The pool turned out to be full: look at it afresh, give the reservation back, and decide anew. */
  private async chooseAgain(operation: Operation, held: Reserved): Promise<Operation | undefined> {
    await this.backends.sync(held.backend_id);
    return this.database.transaction(async () => {
      await reservations.in(this.database).destroy({ where: { claimUid: held.claim_uid, state: 'held' } });
      if (held.instance !== null) await settleInstances(this.database, held.pool_id);
      return advance(this.database, binding, operation, 'deciding');
    });
  }

  private async writeVolume(operation: Operation): Promise<Operation | undefined> {
    const { held, claim } = await this.readToWrite(operation);
    if (!held?.volume_id) return advance(this.database, binding, operation, 'abandoned');
    if (!claim) return undefined; // the claim is gone; its release takes over
    const manifest = persistentVolume({
      share: held.share,
      volumeName: held.volume_name,
      volumeId: held.volume_id,
      bytes: held.bytes,
      pool: held.pool_id,
      backend: held.backend_id,
      protocol: protocolFor(held.facts.protocols, claim.zones),
      className: held.class_name,
      // the volume is ours to take away: what happens to it at the end is decided here, not by the platform
      reclaim: held.reclaim,
      modes: claim.body.spec?.accessModes ?? [],
      volumeMode: claim.body.spec?.volumeMode ?? 'Filesystem',
      zones: claim.zones ? fromManifest(claim.zones).storageClass.zones : [],
      claim: { namespace: held.namespace, name: held.claim_name, uid: held.claim_uid },
    });
    let made: PlatformObject | undefined;
    try {
      made = await this.platform.create(manifest);
    } catch (error) {
      // written by an attempt whose answer was lost
      if (!(error instanceof PlatformProblem && error.code === 'exists')) throw error;
    }
    const [moved] = await Promise.all([
      first(noteVolumeWritten(this.database, operation.id, operation.state)),
      made && noteMade(this.database, 'persistentvolumes', made),
    ]);
    return moved;
  }

  private async readToWrite({ id, subject }: Operation) {
    const fresh = this.fresh.get(id);
    this.fresh.delete(id);
    if (fresh) return fresh;
    const [held, claim] = await Promise.all([
      first(reservedFor(this.database, subject)),
      first(claimAndClass(this.database, subject)),
    ]);
    return { held, claim };
  }

  /** Bound already when the mirror was faster than we; else the mirror will say so. */
  private async seeBound(operation: Operation): Promise<Operation | undefined> {
    const [moved] = await noteBound(this.database, [operation.subject]);
    return moved ? { ...operation, state: 'bound' } : undefined;
  }
}
