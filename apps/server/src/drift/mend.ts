import type { Drift, DriftRemedy } from '@moorage/core/drift/drift';
import { megabyte } from '@moorage/core/placement/rules';
import { bytes } from '@moorage/core/sizes/bytes';
import { formatQuantity } from '@moorage/core/sizes/quantity';
import { Op } from 'sequelize';
import type { Backends } from '../backends/backends';
import { persistentVolume } from '../binder/volume-manifest';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { knownVersion, noteChanged, noteMade } from '../mirror/mirror';
import type { Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { advance } from '../operations/operations';
import { PlatformProblem, type PlatformConnector } from '../platform/connector';
import { OutsideProblem } from '../refusals/outside';
import { reservedFor, type Reserved } from '../reservations/reservation.sql';
import { platformObjects } from '../mirror/mirror-model';
import { compareClaims, compareOne } from './compare';
import { comparedOf, countAsItIs } from './drift.sql';
import { drifts } from './drift-model';
import { mending, type MendState } from './kind';

const volumeKind = { apiVersion: 'v1', kind: 'PersistentVolume' };

class AskedMeanwhile extends Error {}

/** Puts right what differs of volumes, as a person asked: each remedy looks first whether it is still needed. */
export class MendCarrier {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly backends: Backends,
  ) {}

  /** The kind of operations that this room carries. */
  get work(): Work<MendState> {
    return {
      kind: mending,
      tells: () => ({ topic: 'claims' }),
      afterFailure: (_o, error) => (error instanceof OutsideProblem && error.isForGood ? 'stop' : 'again'),
      steps: {
        mending: (o) => this.mend(o),
        leaving: (o) => this.leave(o),
      },
    };
  }

  private async mend(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    const claim = operation.subject;
    const asked = await drifts.in(database).findAll({ where: { claimUid: claim }, limit: 100, raw: true });
    const wanted = new Set(asked.filter((d) => d.askedBy !== null).map((d) => d.kind));
    const [row, held] = [await first(comparedOf(database, [claim])), await first(reservedFor(database, claim))];
    if (row && held) {
      const found = compareOne(row).filter((d) => wanted.has(d.kind) && d.remedy !== null);
      const remedies = new Map<DriftRemedy, Drift>(found.map((d) => [d.remedy!, d]));
      for (const [remedy, drift] of remedies) await this.remedy(remedy, drift, held);
      await this.backends.sync(held.backend_id);
      await compareClaims(database, [claim]);
    }
    // what was tried is no longer asked: where it differs still, that is told again, and may be asked again
    const table = drifts.in(database);
    await table.update({ askedBy: null }, { where: { claimUid: claim, kind: [...wanted] } });
    return this.end(operation);
  }

  /** Ends, unless more was asked meanwhile: who asks waits for this row, and begins anew once it has ended. */
  private async end(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    try {
      return await database.transaction(async () => {
        const ended = await advance(database, mending, operation, 'mended');
        const asked = await drifts
          .in(database)
          .count({ where: { claimUid: operation.subject, askedBy: { [Op.ne]: null } } });
        if (asked > 0) throw new AskedMeanwhile();
        return ended;
      });
    } catch (error) {
      if (!(error instanceof AskedMeanwhile)) throw error;
      return advance(database, mending, operation, 'mending');
    }
  }

  private async leave(operation: Operation): Promise<Operation | undefined> {
    await drifts.in(this.database).update({ askedBy: null }, { where: { claimUid: operation.subject } });
    return advance(this.database, mending, operation, 'left');
  }

  private async remedy(remedy: DriftRemedy, drift: Drift, held: Reserved): Promise<void> {
    switch (remedy) {
      case 'write-volume':
        return this.writeVolume(held);
      case 'count-as-it-is':
        return void (await countAsItIs(this.database, held.claim_uid));
      case 'grow-again':
      case 'set-ceilings':
        return this.askBackend(held);
      case 'tell-platform':
        return this.tellPlatform(drift, held);
    }
  }

  /** At least as large as it is declared, and held to its ceilings; again is fine. */
  private async askBackend({ backend_id, volume_id, path, bytes: size, ...held }: Reserved): Promise<void> {
    const backend = await this.backends.connector(backend_id);
    await backend.ensureGrown({
      ...{ id: volume_id!, poolPath: path, bytes: size },
      ...(held.iops_ceiling !== null && { iopsCeiling: held.iops_ceiling }),
      ...(held.throughput_ceiling !== null && { bytesPerSecondCeiling: held.throughput_ceiling * megabyte }),
    });
  }

  private async tellPlatform({ kind }: Drift, { pv_name: name, bytes: size, reclaim }: Reserved): Promise<void> {
    const spec =
      kind === 'reclaim'
        ? { persistentVolumeReclaimPolicy: reclaim }
        : { capacity: { storage: formatQuantity(bytes(size)) } };
    const before = await knownVersion(this.database, 'persistentvolumes', name);
    const changed = await this.platform.mergePatch({ ...volumeKind, metadata: { name }, spec });
    await noteChanged(this.database, 'persistentvolumes', changed, before);
  }

  /** The persistent volume as it was, naming its claim; the platform takes the two together again. */
  private async writeVolume(held: Reserved): Promise<void> {
    const claim = await platformObjects
      .in(this.database)
      .findOne({ where: { plural: 'persistentvolumeclaims', uid: held.claim_uid }, raw: true });
    const { accessModes = [], volumeMode = 'Filesystem' } = (claim?.body.spec ?? {}) as {
      accessModes?: string[];
      volumeMode?: string;
    };
    const manifest = persistentVolume({
      share: held.share,
      ...{ volumeName: held.pv_name, volumeId: held.volume_id!, bytes: held.bytes, pool: held.pool_id },
      ...{ backend: held.backend_id, protocol: held.facts.protocols[0] ?? '', className: held.class_name },
      ...{ reclaim: held.reclaim, modes: accessModes, volumeMode, zones: [] },
      claim: { namespace: held.namespace, name: held.claim_name, uid: held.claim_uid },
    });
    try {
      await noteMade(this.database, 'persistentvolumes', await this.platform.create(manifest));
    } catch (error) {
      // written by an attempt whose answer was lost
      if (!(error instanceof PlatformProblem && error.code === 'exists')) throw error;
    }
  }
}
