import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import { bytes } from '@moorage/core/sizes/bytes';
import { refusedBy, type StaticRule } from '@moorage/core/claims/static';
import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { persistentVolume } from '../binder/volume-manifest';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { knownVersion, noteChanged, noteMade } from '../mirror/mirror';
import type { LookAgain, Step, Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { operations } from '../operations/operation-model';
import { advance } from '../operations/operations';
import { PlatformProblem, type PlatformConnector, type PlatformObject } from '../platform/connector';
import { reservations } from '../reservations/reservation-model';
import { reservedFor, type Reserved } from '../reservations/reservation.sql';
import { salvaging, type SalvageState } from './kind';
import { salvages, type ClaimRef, type StoredSalvage } from './salvage-model';
import { handOver, setBindingAside } from './salvage.sql';

const lookEveryS = 1;
const claimKind = { apiVersion: 'v1', kind: 'PersistentVolumeClaim' };
const volumeKind = { apiVersion: 'v1', kind: 'PersistentVolume' };
const refused = (detail: string) => new PlatformProblem('invalid', detail);

const ruleWords: Record<StaticRule, string> = {
  class: 'it names another class',
  modes: 'it asks for other access modes',
  'volume-mode': 'it asks for another volume mode',
  capacity: 'it asks for more than the volume has',
  selector: 'its selector does not match',
  named: 'it names another volume',
  free: 'the volume is not free',
};

const parseSize = (text: unknown): number => {
  const size = typeof text === 'string' ? parseQuantity(text) : undefined;
  return size?.ok ? size.bytes : 0;
};

type Held = Reserved;
type Carried = Promise<Operation | LookAgain | undefined>;

/** Gives volumes to claims: the persistent volume is kept for the claim, the claim is made, the platform binds them, and what is reserved goes over. */
export class SalvageCarrier {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
  ) {}

  /** The kind of operations that this room carries. */
  get work(): Work<SalvageState> {
    const at =
      (step: (operation: Operation, salvage: StoredSalvage, held: Held | undefined) => Carried): Step =>
      async (operation) => {
        const salvage = await salvages.in(this.database).findByPk(operation.id);
        const held = await first(reservedFor(this.database, operation.subject));
        if (!salvage) throw new Error(`nobody said where volume ${operation.subject} is to go`);
        return step(operation, salvage, held);
      };
    return {
      kind: salvaging,
      tells: () => ({ topic: 'claims' }),
      steps: {
        freeing: at((o, s, held) => this.freeVolume(o, s, this.there(held))),
        asking: at((o, s, held) => this.askForClaim(o, s, this.there(held))),
        seeing: at((o, s, held) => this.seeBound(o, s, this.there(held))),
        keeping: at((o, s) => this.keep(o, s)),
        undoing: at((o, s, held) => this.undo(o, s, held)),
      },
    };
  }

  private there(held: Held | undefined): Held {
    if (held?.state !== 'returning') throw refused('The volume is not held for a claim any more.');
    return held;
  }

  private advance = (operation: Operation, to: SalvageState) => advance(this.database, salvaging, operation, to);
  private findClaim = ({ namespace, name }: StoredSalvage) => this.platform.find('v1', claimKind.kind, name, namespace);
  private findVolume = (held: Held) => this.platform.find('v1', volumeKind.kind, held.pv_name);

  /** Lets the persistent volume name the claim, by name: the platform binds it to that one and to no other. */
  private async freeVolume(operation: Operation, salvage: StoredSalvage, held: Held): Promise<Operation | undefined> {
    const { namespace, name } = salvage;
    const volume = await this.findVolume(held);
    if (!volume) {
      await salvage.update({ volumeWritten: true });
      await this.writeVolume(salvage, held);
      return this.advance(operation, 'asking');
    }
    const before = volume.spec?.claimRef as ClaimRef | undefined;
    const isOurs = before?.namespace === namespace && before.name === name && before.uid === undefined;
    if (!isOurs && volume.status?.phase === 'Bound')
      throw refused(`The platform says that ${held.pv_name} is bound to ${before?.namespace}/${before?.name}.`);
    if (volume.metadata.deletionTimestamp)
      throw refused(`The platform is taking the persistent volume ${held.pv_name} away; wait until it is gone.`);
    if (!isOurs) {
      // written before it is asked: whoever takes it back knows what it was
      if (salvage.claimRef === null) await salvage.update({ claimRef: before ?? null });
      await this.platform.mergePatch({
        ...volumeKind,
        metadata: { name: held.pv_name },
        spec: { claimRef: { ...claimKind, namespace, name, uid: null, resourceVersion: null } },
      });
    }
    return this.advance(operation, 'asking');
  }

  private async writeVolume(salvage: StoredSalvage, held: Held): Promise<void> {
    const manifest = persistentVolume({
      ...{ volumeName: held.pv_name, volumeId: held.volume_id!, bytes: held.bytes, pool: held.pool_id },
      ...{ backend: held.backend_id, protocol: held.facts.protocols[0] ?? '', className: salvage.className },
      ...{ reclaim: held.reclaim, modes: salvage.modes, volumeMode: salvage.volumeMode, zones: [] },
      ...{ share: held.share, claim: { namespace: salvage.namespace, name: salvage.name } },
    });
    try {
      await this.platform.create(manifest);
    } catch (error) {
      // written by an attempt whose answer was lost
      if (!(error instanceof PlatformProblem && error.code === 'exists')) throw error;
    }
  }

  private async askForClaim(operation: Operation, salvage: StoredSalvage, held: Held): Promise<Operation | undefined> {
    const { namespace, name } = salvage;
    const there = await this.findClaim(salvage);
    if (there) {
      await this.assertFits(there, salvage, held);
      if (!there.spec?.volumeName) await this.nameVolume(there, held);
      await this.assertUnmade(there);
      await salvage.update({ claimUid: there.metadata.uid! });
      return this.advance(operation, 'seeing');
    }
    // written before it is asked: a claim of that name is then ours to take away again
    await salvage.update({ claimMade: true });
    const made = await this.platform.create({
      ...claimKind,
      metadata: { name, namespace },
      spec: {
        accessModes: salvage.modes,
        volumeMode: salvage.volumeMode,
        storageClassName: salvage.className,
        volumeName: held.pv_name,
        resources: { requests: { storage: formatQuantity(bytes(held.bytes)) } },
      },
    });
    await noteMade(this.database, 'persistentvolumeclaims', made);
    await salvage.update({ claimUid: made.metadata.uid! });
    return this.advance(operation, 'seeing');
  }

  /** A claim that is there takes the volume only when the platform would bind the two, and nothing else is being made for it. */
  private async assertFits(claim: PlatformObject, salvage: StoredSalvage, held: Held): Promise<void> {
    const { uid, name, namespace = '' } = claim.metadata;
    const at = `${namespace}/${name}`;
    const { spec = {}, status } = claim;
    if (status?.phase === 'Bound') {
      if (spec.volumeName === held.pv_name) return;
      throw refused(`${at} is bound to ${String(spec.volumeName)} already.`);
    }
    const storage = parseSize(spec.resources?.requests?.storage);
    const wrong = refusedBy(
      {
        ...{ name: held.pv_name, className: salvage.className, modes: salvage.modes, volumeMode: salvage.volumeMode },
        ...{ capacity: held.bytes, labels: {}, createdAt: '', phase: 'Available' },
        reservedFor: { namespace, name },
      },
      {
        ...{ namespace, name, uid, size: storage, className: String(spec.storageClassName ?? '') },
        modes: (spec.accessModes ?? []) as AccessMode[],
        volumeMode: (spec.volumeMode ?? 'Filesystem') as VolumeMode,
        ...(spec.volumeName && { volumeName: spec.volumeName }),
      },
    );
    if (wrong.length > 0) throw refused(`${at} cannot take it: ${wrong.map((rule) => ruleWords[rule]).join(', ')}.`);
  }

  /** The claim names the volume from here on, and no other is looked for. */
  private async nameVolume({ metadata: { name, namespace, uid } }: PlatformObject, held: Held): Promise<void> {
    const before = await knownVersion(this.database, 'persistentvolumeclaims', name, namespace);
    const changed = await this.platform.mergePatch({
      ...claimKind,
      metadata: { name, namespace, uid },
      spec: { volumeName: held.pv_name },
    });
    await this.database.transaction(async () => {
      await noteChanged(this.database, 'persistentvolumeclaims', changed, before);
      await setBindingAside(this.database, uid!);
    });
  }

  private async assertUnmade({ metadata: { name, namespace, uid } }: PlatformObject): Promise<void> {
    const making = await operations.in(this.database).count({
      where: { kind: 'bind', subject: uid!, state: ['making', 'made', 'written'] },
    });
    if (making > 0) throw refused(`A new volume is being made for ${namespace}/${name} at this moment.`);
  }

  private async seeBound(operation: Operation, salvage: StoredSalvage, held: Held): Carried {
    const claim = await this.findClaim(salvage);
    if (claim?.metadata.uid !== salvage.claimUid)
      throw refused(`${salvage.namespace}/${salvage.name} was taken away before it was bound.`);
    if (claim?.status?.phase !== 'Bound') return { againAfterS: lookEveryS };
    if (claim.spec?.volumeName !== held.pv_name)
      throw refused(`The platform bound ${salvage.namespace}/${salvage.name} to ${String(claim.spec?.volumeName)}.`);
    return this.advance(operation, 'keeping');
  }

  /** What is reserved is the claim's from here on. */
  private keep(operation: Operation, salvage: StoredSalvage): Promise<Operation | undefined> {
    const { database } = this;
    const { namespace, name, claimUid, className, person } = salvage;
    return database.transaction(async () => {
      const [given] = await handOver(database, operation.subject, claimUid!, namespace, name, className);
      if (given) {
        const subject = `${namespace}/${name}`;
        await record(database, {
          person,
          action: 'create',
          kind: 'claim',
          subject,
          after: { salvaged: operation.subject },
        });
        await announce(database, [
          { topic: 'claims', subject },
          { topic: 'namespaces', subject: namespace },
          { topic: 'findings' },
        ]);
      }
      return this.advance(operation, 'given');
    });
  }

  /** Leaves the volume adrift as it was; one that was bound by then goes over all the same. */
  private async undo(
    operation: Operation,
    salvage: StoredSalvage,
    held: Held | undefined,
  ): Promise<Operation | undefined> {
    const { database, platform } = this;
    if (held?.state !== 'returning') return this.advance(operation, 'undone');
    const claim = salvage.claimUid === null && !salvage.claimMade ? undefined : await this.findClaim(salvage);
    if (claim?.status?.phase === 'Bound' && claim.spec?.volumeName === held.pv_name) {
      await salvage.update({ claimUid: claim.metadata.uid! });
      return this.advance(operation, 'keeping');
    }
    const isMade = salvage.claimMade && claim?.spec?.volumeName === held.pv_name;
    if (isMade) await platform.ensureDeleted('v1', claimKind.kind, salvage.name, salvage.namespace, claim.metadata.uid);
    if (salvage.volumeWritten) await platform.ensureDeleted('v1', volumeKind.kind, held.pv_name);
    else if (salvage.claimRef && (await this.findVolume(held)))
      await platform.mergePatch({
        ...volumeKind,
        metadata: { name: held.pv_name },
        spec: { claimRef: { ...claimKind, ...salvage.claimRef } },
      });
    return database.transaction(async () => {
      const where = { claimUid: operation.subject, state: 'returning' as const };
      if (held.adopted) await reservations.in(database).destroy({ where });
      else await reservations.in(database).update({ state: 'adrift' }, { where });
      await announce(database, [{ topic: 'claims' }, { topic: 'findings' }]);
      return this.advance(operation, 'undone');
    });
  }
}
