import type { Backends } from '../backends/backends';
import { backendVolumes } from '../backends/inventory-model';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import type { Operation } from '../operations/operation';
import { operations } from '../operations/operation-model';
import { advance } from '../operations/operations';
import { PlatformProblem, type PlatformConnector } from '../platform/connector';
import { lateVolumes, resumeBinding } from './binder.sql';
import { neverBound, releasing } from './kinds';
import { freeReserved, furtherCopiesOf, reservedFor, setAdrift, type Reserved } from '../reservations/reservation.sql';

/** Lets go of what was reserved for a claim that is gone. The only code that destroys data. */
export class Release {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly backends: Backends,
  ) {}

  /**
   * Destroys the volume of a claim that is gone, or keeps it. Data is destroyed only on the platform's own word, asked for at
   * this moment: the claim is not there, its persistent volume is released, and that volume's policy says Delete.
   */
  async unmakeVolume(operation: Operation): Promise<Operation | undefined> {
    const held = await first(reservedFor(this.database, operation.subject));
    // on its way to another claim: it is not let go of
    if (!held || held.state === 'returning') return advance(this.database, releasing, operation, 'released');
    const fate = await this.fateOf(held);
    if (fate === 'claim-lives') return this.cancelRelease(operation);
    if (fate === 'keep') {
      await setAdrift(this.database, held.claim_uid);
      await announce(this.database, [{ topic: 'namespaces' }]);
      return advance(this.database, releasing, operation, 'released');
    }
    // the copies go after the platform said so, and before the volume: a volume without its copies can still be read
    for (const copy of await furtherCopiesOf(this.database, held.claim_uid))
      await this.destroy(copy.backend_id, copy.volume_id, held.volume_name);
    await this.destroy(held.backend_id, held.volume_id, held.volume_name);
    // a call for it may be under way still, of a server that was killed: what comes of that later is found by this word
    const wasBound = held.state !== 'held' && held.state !== 'made';
    return advance(this.database, releasing, operation, 'unmade', wasBound ? {} : { cause: neverBound });
  }

  /** Volumes that came after they were let go of: nobody ever wrote to them, and nothing is left that they are for. */
  async destroyLate(): Promise<void> {
    for (const { backend_id, volume_id, name } of await lateVolumes(this.database))
      await this.destroy(backend_id, volume_id, name);
  }

  private async destroy(backendId: string, volumeId: string | null, name: string): Promise<void> {
    const backend = await this.backends.connector(backendId);
    const id = volumeId ?? (await backend.findVolume(name))?.id;
    if (id) {
      await backend.ensureVolumeDeleted(id);
      await backendVolumes.in(this.database).destroy({ where: { backendId, volumeId: id } });
    }
  }

  private async fateOf(held: Reserved): Promise<'claim-lives' | 'keep' | 'destroy'> {
    const claim = await this.platform.find('v1', 'PersistentVolumeClaim', held.claim_name, held.namespace);
    if (claim?.metadata.uid === held.claim_uid) return 'claim-lives';
    // a volume that was never bound holds no data; keeping it would only hide it
    if (held.state === 'held' || held.state === 'made') return 'destroy';
    const volume = await this.platform.find('v1', 'PersistentVolume', held.pv_name);
    if (held.adopted) return 'keep';
    // a person said so, by name; a claim that holds it by now was not meant
    if (held.destroyed_by !== null) return volume?.status?.phase === 'Bound' ? 'keep' : 'destroy';
    // claim and volume gone together is no deletion of a claim: the platform may be another one, or restored from a copy
    if (!volume || volume.spec?.persistentVolumeReclaimPolicy !== 'Delete') return 'keep';
    if (volume.status?.phase !== 'Released')
      throw new PlatformProblem('failed', `persistent volume ${held.pv_name} is not released by the platform yet`);
    // its class gives it a grace: kept until then, and asked about again
    return held.grace_over ? 'destroy' : 'keep';
  }

  /** The mirror was wrong: the claim is there. Its release is dropped, and a binding that was cut short goes on. */
  private cancelRelease(operation: Operation): Promise<undefined> {
    return this.database.transaction(async () => {
      await operations.in(this.database).destroy({ where: { id: operation.id } });
      // the backend may have been asked already: the volume is looked for by its name first
      await resumeBinding(this.database, operation.subject);
      return undefined;
    });
  }

  async clearVolume(operation: Operation): Promise<Operation | undefined> {
    const held = await first(reservedFor(this.database, operation.subject));
    if (held) await this.platform.ensureDeleted('v1', 'PersistentVolume', held.pv_name);
    return advance(this.database, releasing, operation, 'cleared');
  }

  freeReservation(operation: Operation): Promise<Operation | undefined> {
    return this.database.transaction(async () => {
      const freed = await freeReserved(this.database, operation.subject);
      await announce(
        this.database,
        freed.flatMap(({ pool_id, namespace }) => [
          { topic: 'pools' as const, subject: pool_id },
          { topic: 'namespaces' as const, subject: namespace },
        ]),
      );
      return advance(this.database, releasing, operation, 'released');
    });
  }
}
