import { fromManifest, provisioner, type ClassManifest } from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import type { Backends } from '../backends/backends';
import { BackendProblem, type BackendVolume } from '../backends/connector';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { offsiteClass } from '@moorage/core/classes/elsewhere';
import { megabyte } from '@moorage/core/placement/rules';
import type { Metrics } from '../metrics/metrics';
import { advance, ensureOperations, findStranded, findWaiting, finished, type Helped } from '../operations/operations';
import type { Operation, Step } from '../operations/operation';
import { PlatformProblem, type PlatformConnector, type PlatformObject, type Plural } from '../platform/connector';
import { noteMade } from '../platform/mirror';
import { chooseAndReserve } from './choose';
import { Release } from './release';
import { findFurtherCopies, findReservation, type FurtherCopy, type Reserved } from './reservation';
import { persistentVolume } from './volume-manifest';

/** Carries claims to their volumes: decide, reserve, create, write the volume, see it bound. And lets them go again. */
export class Binder {
  private readonly release: Release;
  /** Operations whose intention was written here a moment ago: only for these is it certain that the backend was not asked yet. */
  private readonly intended = new Set<string>();

  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly backends: Backends,
    private readonly metrics: Metrics,
    private readonly site: string,
  ) {
    this.release = new Release(database, platform, backends);
  }

  /** One step of an operation; every step may be repeated without harm. */
  perform = async (operation: Operation, step: Step['do']): Promise<Operation | undefined> => {
    switch (step) {
      case 'decide':
        return this.decide(operation);
      case 'make-volume':
        return this.makeVolume(operation);
      case 'write-volume':
        return this.writeVolume(operation);
      case 'see-bound':
        return this.seeBound(operation);
      case 'unmake-volume':
        return this.release.unmakeVolume(operation);
      case 'clear-volume':
        return this.release.clearVolume(operation);
      case 'free-reservation':
        return this.release.freeReservation(operation);
      case 'rest':
        return undefined;
    }
  };

  private async decide(operation: Operation): Promise<Operation | undefined> {
    const moved = await chooseAndReserve(this.database, this.metrics, this.site, operation);
    if (moved?.state === 'making') this.intended.add(moved.id);
    return moved;
  }

  private async makeVolume(operation: Operation): Promise<Operation | undefined> {
    const held = await findReservation(this.database, operation.subject);
    if (!held) return advance(this.database, operation, 'abandoned');
    const [cls, disks, further] = await Promise.all([
      this.database.one<{ body: ClassManifest }>(
        `SELECT body FROM platform_objects WHERE plural = 'storageclasses' AND name = $1`,
        [held.class_name],
      ),
      this.database.rows<{ pool_id: string; disk: string; node: string }>(
        `SELECT pool_id, disk, node FROM reservation_copies WHERE claim_uid = $1 AND role = 'data' ORDER BY disk`,
        [held.claim_uid],
      ),
      findFurtherCopies(this.database, held.claim_uid),
    ]);
    const storageClass = cls && fromManifest(cls.body).storageClass;
    const isFirst = this.intended.delete(operation.id);
    const make = (at: { backend_id: string; pool_id: string; path: string; bytes: number }, cls = storageClass) =>
      this.ensureVolume(
        held,
        at,
        disks.filter((d) => d.pool_id === at.pool_id),
        cls,
        isFirst,
      );
    let made: BackendVolume;
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
    } catch (error) {
      if (!(error instanceof BackendProblem) || !(await this.isStale(error, held, further))) throw error;
      await this.discardAll(held, further);
      return this.chooseAgain(operation, held);
    }
    const placed = disks
      .filter((d) => d.pool_id === held.pool_id)
      .map(({ disk, node }) => ({ disk, node, state: 'Synchronized', percent: 100 }));
    const next = await this.database.transaction(async () => {
      const moved = await advance(this.database, operation, 'made', {});
      if (!moved) return undefined;
      await this.database.rows(
        `WITH kept AS (
           UPDATE reservations SET state = 'made', volume_id = $2, made_at = now() WHERE claim_uid = $1 AND state = 'held'
           RETURNING pool_id, volume_name, bytes, raw_bytes
         )
         -- known from now on: when the backend does not list it the next time, it was lost
         INSERT INTO backend_volumes (backend_id, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, copies, seen_at)
         SELECT $3, $2, volume_name, pool_id, bytes, raw_bytes, 0, false, $4::jsonb, clock_timestamp() FROM kept ON CONFLICT DO NOTHING`,
        [held.claim_uid, made.id, held.backend_id, JSON.stringify(placed.length > 0 ? placed : made.copies)],
      );
      if (copies.length > 0)
        await this.database.rows(
          `UPDATE further_copies f SET volume_id = c.volume FROM jsonb_to_recordset($2::jsonb) AS c(mode text, volume text)
           WHERE f.claim_uid = $1 AND f.mode = c.mode`,
          [held.claim_uid, JSON.stringify(copies)],
        );
      return moved;
    });
    // the claim was deleted while the backend worked: nobody ever wrote to this volume
    if (!next) await this.discardUnclaimed(held, further);
    return next;
  }

  /** Whether the refusal comes of a state that has changed since the decision: the pool is full, or a disk of the copies is gone. */
  private async isStale(error: BackendProblem, held: Reserved, further: readonly FurtherCopy[]): Promise<boolean> {
    if (error.code === 'full') return true;
    if (error.code !== 'refused') return false;
    await this.backends.sync(held.backend_id);
    for (const copy of further) await this.backends.sync(copy.backend_id);
    const gone = await this.database.one(
      `SELECT 1 FROM reservation_copies c
       JOIN pools p ON p.id = c.pool_id
       LEFT JOIN backend_disks d ON d.backend_id = p.backend_id AND d.id = c.disk
       LEFT JOIN backend_nodes n ON n.backend_id = p.backend_id AND n.name = d.node
       WHERE c.claim_uid = $1 AND (d.id IS NULL OR NOT d.works OR n.up = false) LIMIT 1`,
      [held.claim_uid],
    );
    return gone !== undefined;
  }

  /** The volume on one backend; an earlier attempt may have been answered to nobody, so it is looked for before asking again. */
  private async ensureVolume(
    held: Reserved,
    at: { backend_id: string; path: string; bytes: number },
    disks: readonly { disk: string; node: string }[],
    storageClass: StorageClass | undefined,
    isFirst: boolean,
  ): Promise<BackendVolume> {
    const backend = await this.backends.connector(at.backend_id);
    const known = isFirst ? undefined : await backend.findVolume(held.volume_name);
    if (known) return known;
    try {
      return await this.metrics.timed(at.backend_id, 'volume made', () =>
        backend.createVolume({
          name: held.volume_name,
          poolPath: at.path,
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
    const abandoned = await this.database.one(
      `SELECT 1 FROM operations WHERE kind = 'bind' AND subject = $1 AND state = 'abandoned'`,
      [held.claim_uid],
    );
    if (abandoned) await this.discardAll(held, further);
  }

  /** The pool turned out to be full: look at it afresh, give the reservation back, and decide anew. */
  private async chooseAgain(operation: Operation, held: Reserved): Promise<Operation | undefined> {
    await this.backends.sync(held.backend_id);
    return this.database.transaction(async () => {
      await this.database.rows(`DELETE FROM reservations WHERE claim_uid = $1 AND state = 'held'`, [held.claim_uid]);
      return advance(this.database, operation, 'deciding', {});
    });
  }

  private async writeVolume(operation: Operation): Promise<Operation | undefined> {
    const [held, claim] = await Promise.all([
      findReservation(this.database, operation.subject),
      this.database.one<{ body: PlatformObject; zones: ClassManifest | null }>(
        `SELECT o.body, c.body AS zones FROM platform_objects o
         LEFT JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
         WHERE o.plural = 'persistentvolumeclaims' AND o.uid = $1`,
        [operation.subject],
      ),
    ]);
    if (!held?.volume_id) return advance(this.database, operation, 'abandoned');
    if (!claim) return undefined; // the claim is gone; its release takes over
    const manifest = persistentVolume({
      volumeName: held.volume_name,
      volumeId: held.volume_id,
      bytes: held.bytes,
      pool: held.pool_id,
      backend: held.backend_id,
      protocol: held.facts.protocols[0] ?? '',
      className: held.class_name,
      // the volume is ours to take away: what happens to it at the end is decided here, not by the platform
      reclaim: held.reclaim,
      modes: claim.body.spec.accessModes,
      volumeMode: claim.body.spec.volumeMode ?? 'Filesystem',
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
    return this.database.transaction(async () => {
      if (made) await noteMade(this.database, 'persistentvolumes', made);
      return advance(this.database, operation, 'written', {});
    });
  }

  /** Bound already when the mirror was faster than we; else the mirror will say so. */
  private async seeBound(operation: Operation): Promise<Operation | undefined> {
    const [moved] = await this.noteBound([operation.subject]);
    return moved ? { ...operation, state: 'bound' } : undefined;
  }

  private async noteBound(claims: readonly string[]): Promise<string[]> {
    const moved = await this.database.rows<{ subject: string }>(
      `WITH seen AS (
         UPDATE operations op SET state = 'bound', waiting_for = NULL, error = NULL, attempts = 0, next_attempt_at = NULL, updated_at = now()
         FROM platform_objects o WHERE op.kind = 'bind' AND op.state = 'written' AND op.subject = ANY($1)
           AND o.plural = 'persistentvolumeclaims' AND o.uid = op.subject AND o.phase = 'Bound' RETURNING op.subject
       )
       UPDATE reservations r SET state = 'bound' FROM seen WHERE r.claim_uid = seen.subject RETURNING r.claim_uid AS subject`,
      [claims],
    );
    if (moved.length > 0) await announce(this.database, [{ topic: 'claims' }, { topic: 'namespaces' }]);
    return moved.map((m) => m.subject);
  }

  /** What the mirror saw, inside its transaction: gives the operations that should be looked at once it is committed. */
  async onMirror(
    plural: Plural,
    changed: readonly PlatformObject[],
    gone: readonly PlatformObject[],
  ): Promise<string[]> {
    if (plural !== 'persistentvolumeclaims') return [];
    const bound = changed.filter((c) => c.status?.phase === 'Bound').map((c) => c.metadata.uid!);
    if (bound.length > 0) {
      await this.noteBound(bound);
      // bound by the platform to a volume made beforehand: nothing is left to do here
      await this.database.rows(
        `UPDATE operations SET state = 'abandoned', waiting_for = NULL, updated_at = now()
         WHERE kind = 'bind' AND state = 'waiting' AND subject = ANY($1)`,
        [bound],
      );
    }
    const pending = changed
      .filter((c) => c.status?.phase === 'Pending' && !c.metadata.deletionTimestamp)
      .map((c) => c.metadata.uid!);
    const woken = pending.length > 0 ? await this.beginBinding(pending) : [];
    const released = gone.length > 0 ? await this.beginRelease(gone.map((c) => c.metadata.uid!)) : [];
    return [...woken, ...released];
  }

  /** Begins the binding of claims of our classes that are pending; gives the operations to look at. */
  async beginBinding(claims: readonly string[]): Promise<string[]> {
    const rows = await this.database.rows<{ id: string }>(
      `INSERT INTO operations AS op (kind, subject, state)
       SELECT 'bind', o.uid, 'deciding' FROM platform_objects o
       JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
       WHERE o.plural = 'persistentvolumeclaims' AND o.uid = ANY($1) AND c.body ->> 'provisioner' = $2 ORDER BY o.uid
       ON CONFLICT (kind, subject) DO UPDATE SET state = 'waiting', waiting_for = CASE op.state WHEN 'abandoned' THEN 'class' ELSE op.waiting_for END
       WHERE op.state = 'waiting'
         -- given up when the claim was thought to be gone; it is there again and nothing is reserved for it
         OR (op.state = 'abandoned' AND NOT EXISTS (SELECT 1 FROM reservations r WHERE r.claim_uid = op.subject))
       RETURNING id`,
      [claims, provisioner],
    );
    return rows.map((r) => r.id);
  }

  /** A claim that is gone: its unfinished binding ends, and what was reserved for it is let go. */
  private async beginRelease(claims: readonly string[]): Promise<string[]> {
    await this.database.rows(
      `UPDATE operations SET state = 'abandoned', waiting_for = NULL, error = NULL, updated_at = now()
       WHERE kind = 'bind' AND subject = ANY($1) AND state NOT IN ${finished}`,
      [claims],
    );
    const held = await this.database.rows<{ claim_uid: string }>(
      'SELECT claim_uid FROM reservations WHERE claim_uid = ANY($1)',
      [claims],
    );
    return ensureOperations(
      this.database,
      'release',
      'releasing',
      held.map((h) => h.claim_uid),
    );
  }

  /** Everything that should be moving and is not; the watching server asks now and then. Bounded. */
  async findForgotten(): Promise<string[]> {
    const claims = await this.database.rows<{ uid: string }>(
      `SELECT o.uid FROM platform_objects o JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
       WHERE o.plural = 'persistentvolumeclaims' AND o.phase = 'Pending' AND c.body ->> 'provisioner' = $1
         AND o.body #>> '{metadata,deletionTimestamp}' IS NULL
         AND NOT EXISTS (SELECT 1 FROM operations op WHERE op.kind = 'bind' AND op.subject = o.uid) LIMIT 500`,
      [provisioner],
    );
    const begun = claims.length > 0 ? await this.beginBinding(claims.map((c) => c.uid)) : [];
    const orphans = await this.database.rows<{ claim_uid: string }>(
      `SELECT claim_uid FROM reservations r WHERE r.state <> 'adrift'
         AND NOT EXISTS (SELECT 1 FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims' AND o.uid = r.claim_uid)
         AND NOT EXISTS (SELECT 1 FROM operations op WHERE op.kind = 'release' AND op.subject = r.claim_uid) LIMIT 500`,
    );
    const released = orphans.length > 0 ? await this.beginRelease(orphans.map((o) => o.claim_uid)) : [];
    // volumes whose grace has ended: the platform is asked once more before anything is destroyed
    const ended = await this.database.rows<{ id: string }>(
      `UPDATE operations op SET state = 'releasing', attempts = 0, next_attempt_at = NULL, updated_at = now()
       WHERE kind = 'release' AND state = 'released' AND subject IN (
         SELECT claim_uid FROM reservations WHERE state = 'adrift' AND reclaim = 'Delete' AND keep_until <= now() LIMIT 500)
       RETURNING id`,
    );
    released.push(...ended.map((e) => e.id));
    const written = await this.database.rows<{ subject: string }>(
      `SELECT op.subject FROM operations op JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = op.subject
       WHERE op.kind = 'bind' AND op.state = 'written' AND o.phase = 'Bound' LIMIT 500`,
    );
    if (written.length > 0) await this.noteBound(written.map((w) => w.subject));
    return [...begun, ...released, ...(await findStranded(this.database, 500))];
  }

  /** Claims that wait because nothing fits and that a change can help, in pages, for another decision. */
  async *waitingClaims(helped: Helped): AsyncGenerator<string[]> {
    let after: string | undefined;
    for (;;) {
      const page = await findWaiting(this.database, 200, after, helped);
      if (page.length === 0) return;
      yield page;
      after = page[page.length - 1];
    }
  }
}
