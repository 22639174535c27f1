import { prefix } from '@moorage/core/classes/manifest';
import { withCopies } from '@moorage/core/placement/copies';
import type { Backends } from '../backends/backends';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { claimOf, sayInClaim } from '../growth/bound';
import { factsToGrow } from '../growth/facts';
import { beginGrowths } from '../growth/growth.sql';
import { announce } from '../live/announce';
import type { Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { advance } from '../operations/operations';
import type { PlatformConnector } from '../platform/connector';
import { OutsideProblem } from '../refusals/outside';
import { BackendProblem } from '../swordfish/connector';
import { onceFree } from '../tuning/begin';
import { reservedFor, type Reserved } from '../reservations/reservation.sql';
import { reckonCopies } from './copies';
import { copiesOfClaim, holdCopies } from './copies.sql';
import { copyChanges, type CopyTarget } from './copy-change-model';
import { changingCopies, type CopiesState } from './kind';

const annotationName = `${prefix}copies`;

const raises = ({ before, after }: CopyTarget): boolean => after.copies > before.copies;

/**
 * Carries volumes to one copy more or fewer: what is added is reserved before the backend is asked, and what goes is given back
 * only when the backend let it go. Each step comes to the same when it is done again.
 */
export class CopiesCarrier {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly backends: Backends,
    private readonly site: string,
    private readonly carry: (operations: readonly string[]) => void,
  ) {}

  /** The kind of operations that this room carries. */
  get work(): Work<CopiesState> {
    return {
      kind: changingCopies,
      tells: () => ({ topic: 'claims' }),
      afterFailure: (_o, error) => (error instanceof OutsideProblem && error.isForGood ? 'undo' : 'again'),
      steps: {
        deciding: (o) => this.decide(o),
        telling: (o) => this.tell(o),
        asking: (o) => this.ask(o),
        returning: (o) => this.goBack(o),
      },
    };
  }

  private advance = (operation: Operation, to: CopiesState) => advance(this.database, changingCopies, operation, to);
  private asked = ({ id }: Operation) => copyChanges.in(this.database).findByPk(id, { rejectOnEmpty: true });

  private decide(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    return database.transaction(async () => {
      const facts = await factsToGrow(database, this.site, operation.subject, 'lock');
      if (typeof facts === 'string') return this.advance(operation, 'abandoned');
      const asked = await this.asked(operation);
      const copies = await copiesOfClaim(database, operation.subject);
      const plan = reckonCopies(facts, copies, asked.change);
      if (plan.kind !== 'reckoned' || !plan.fits) return this.advance(operation, 'refused');
      const { reserved } = facts;
      const { disk, node, domain } = plan.copy;
      const target: CopyTarget = {
        copy: { disk, node, domain },
        before: {
          copies: copies.filter((c) => c.role === 'data').length,
          raw: reserved.raw_bytes,
          ...{ backendIops: reserved.backend_iops, backendThroughput: reserved.backend_throughput },
        },
        after: {
          ...{ copies: plan.copies, raw: plan.raw },
          ...{ backendIops: plan.backendIops, backendThroughput: plan.backendThroughput },
        },
      };
      await asked.update({ target });
      if (asked.change.kind === 'raise') await this.hold(reserved, target, 'after');
      return this.advance(operation, 'telling');
    });
  }

  /** Holds what the volume has before or after; a copy that is not held then leaves its disk. */
  private async hold(reserved: Reserved, target: CopyTarget, at: 'before' | 'after'): Promise<void> {
    const { raw, backendIops, backendThroughput } = target[at];
    const { disk, node, domain } = target.copy;
    const isHeld = raises(target) === (at === 'after');
    const { claim_uid, raw_bytes, pool_id } = reserved;
    const [held] = await holdCopies(
      this.database,
      claim_uid,
      raw_bytes,
      raw,
      backendIops,
      backendThroughput,
      isHeld ? null : disk,
      isHeld ? disk : null,
      isHeld ? node : null,
      isHeld ? domain : null,
    );
    if (!held) throw new Error(`what is reserved for claim ${claim_uid} was changed by something else than its copies`);
    await announce(this.database, [{ topic: 'claims' }, { topic: 'pools', subject: pool_id }]);
  }

  private async tell(operation: Operation): Promise<Operation | undefined> {
    const asked = await this.asked(operation);
    const facts = await factsToGrow(this.database, this.site, operation.subject);
    if (typeof facts === 'string' || asked.target === null) return this.advance(operation, 'returning');
    const there = await claimOf(this.platform, facts.reserved);
    // what is held for a copy that is not made goes back, also where the volume is kept without its claim
    if (!there) return this.advance(operation, 'returning');
    const { copies } = withCopies(facts.input, asked.target.after.copies);
    // written before it is changed: whoever takes it back knows what it was
    if (asked.annotation === null)
      await asked.update({ annotation: { before: there.metadata.annotations?.[annotationName] ?? null } });
    const said = copies === undefined ? null : String(copies);
    await sayInClaim(this.database, this.platform, facts.reserved, { copies: said });
    return this.advance(operation, 'asking');
  }

  /** The backend is asked for what is decided about this one copy: where others lie may have changed since. */
  private async ask(operation: Operation): Promise<Operation | undefined> {
    const { target } = await this.asked(operation);
    const reserved = await first(reservedFor(this.database, operation.subject));
    if (!reserved?.volume_id || target === null) return this.advance(operation, 'abandoned');
    const copies = await this.lay(reserved, target, 'after');
    // the copy that was to go had gone by itself and another one was made in its place, or the volume is gone
    if (copies !== target.after.copies) return this.advance(operation, 'returning');
    const ended = await this.database.transaction(async () => {
      // its room is given back now that it is gone
      if (!raises(target)) await this.hold(reserved, target, 'after');
      return this.advance(operation, 'changed');
    });
    await this.afterwards(reserved);
    return ended;
  }

  /** Lets the one copy be there, or not, as it is before or after; gives how many there are then, of a volume that is gone none. */
  private async lay(
    { backend_id, volume_name }: Reserved,
    target: CopyTarget,
    at: 'before' | 'after',
  ): Promise<number> {
    const backend = await this.backends.connector(backend_id);
    const { disk, node } = target.copy;
    try {
      return raises(target) === (at === 'after')
        ? await backend.ensureCopy(volume_name, { id: disk, node })
        : await backend.ensureCopyGone(volume_name, disk);
    } catch (error) {
      // let go of meanwhile, or lost: that is told of the volume itself
      if (error instanceof BackendProblem && error.code === 'not-found') return 0;
      throw error;
    }
  }

  /** The backend is looked at again, and a size or rates that were asked for meanwhile are taken up. */
  private async afterwards(reserved: Reserved): Promise<void> {
    await this.backends.sync(reserved.backend_id);
    this.carry((await beginGrowths(this.database, [reserved.claim_uid])).map((o) => o.id));
    this.carry(await onceFree(this.database, reserved));
  }

  /** A copy that was made goes, one that went is made again; where as many lie as before, none is made beside them. */
  private async layBack(reserved: Reserved, target: CopyTarget): Promise<void> {
    if (!raises(target)) {
      const backend = await this.backends.connector(reserved.backend_id);
      const now = await backend.findVolume(reserved.volume_name);
      if ((now?.copies.length ?? 0) >= target.before.copies) return;
    }
    await this.lay(reserved, target, 'before');
  }

  private async goBack(operation: Operation): Promise<Operation | undefined> {
    const { target, annotation } = await this.asked(operation);
    const reserved = await first(reservedFor(this.database, operation.subject));
    if (!reserved) return this.advance(operation, 'abandoned');
    // nothing was decided yet
    if (target === null) return this.advance(operation, 'returned');
    if (annotation !== null) {
      if (await claimOf(this.platform, reserved))
        await sayInClaim(this.database, this.platform, reserved, { copies: annotation.before });
      if (reserved.volume_id) await this.layBack(reserved, target);
    }
    const ended = await this.database.transaction(async () => {
      await this.hold(reserved, target, 'before');
      return this.advance(operation, 'returned');
    });
    await this.afterwards(reserved);
    return ended;
  }
}
