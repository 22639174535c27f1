import type { Backends } from '../backends/backends';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { beginGrowths } from '../growth/growth.sql';
import { announce } from '../live/announce';
import type { LookAgain, Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { advance, noteProgress } from '../operations/operations';
import { OutsideProblem } from '../refusals/outside';
import { BackendProblem } from '../swordfish/connector';
import { providerPath } from '../backends/instances';
import { instances } from '../pools/instance-model';
import { pools } from '../pools/pool-model';
import { leftInside, settleShare, shareOnItsWay, type ShareOnItsWay } from './instances.sql';
import { givingBack, shifting, type GiveBackState, type ShiftState } from './kinds';

const lookEveryS = 1;
type Carried = Promise<Operation | LookAgain | undefined>;

/** What another try does not change: refused for good, or no room where it was to go. */
const isFinal = (error: unknown): boolean =>
  (error instanceof OutsideProblem && error.isForGood) || (error instanceof BackendProblem && error.code === 'full');

/** The volume that a share's operation is about: named after the claim that it was made for, whoever holds it by now. */
const volumeOf = ({ subject }: Operation): string => `pvc-${subject}`;

/** Carries shares to other instances, and gives back those that are empty then. Each step comes to the same when it is done again. */
export class InstanceCarrier {
  constructor(
    private readonly database: Database,
    private readonly backends: Backends,
    private readonly carry: (operations: readonly string[]) => void,
  ) {}

  /** The kinds of operations that this room carries. */
  get works(): [Work<ShiftState>, Work<GiveBackState>] {
    return [
      {
        kind: shifting,
        tells: () => ({ topic: 'claims' }),
        afterFailure: ({ state }, error) => (state === 'moving' && isFinal(error) ? 'undo' : 'again'),
        steps: {
          moving: (o) => this.move(o, 'instance_to', 'moved'),
          returning: (o) => this.move(o, 'instance', 'returned'),
        },
      },
      {
        kind: givingBack,
        tells: () => ({ topic: 'pools' }),
        afterFailure: ({ state }, error) => (state !== 'keeping' && isFinal(error) ? 'undo' : 'again'),
        steps: {
          emptying: (o) => this.seeEmpty(o),
          giving: (o) => this.giveBack(o),
          keeping: (o) => this.keep(o),
        },
      },
    ];
  }

  /** Lets a share lie in one of the two instances that it holds room in, and no longer in the other. */
  private async move(operation: Operation, to: 'instance' | 'instance_to', end: 'moved' | 'returned'): Carried {
    const { database } = this;
    const share = await first(shareOnItsWay(database, volumeOf(operation)));
    if (!share) return advance(database, shifting, operation, 'abandoned');
    const percent = await this.arrived(share, to);
    if (percent === undefined) return { againAfterS: lookEveryS };
    if (percent < 100) {
      await noteProgress(database, operation, Math.round(share.bytes * (1 - percent / 100)), 'bytes');
      return { againAfterS: lookEveryS };
    }
    const ended = await database.transaction(async () => {
      await settleShare(database, share.volume_name, share[to]);
      await announce(database, [
        { topic: 'claims', subject: share.claim },
        { topic: 'pools', subject: share.pool_id },
      ]);
      return advance(database, shifting, operation, end);
    });
    // a size that was asked for meanwhile
    this.carry((await beginGrowths(database, [share.claim_uid])).map((o) => o.id));
    return ended;
  }

  /** How far it has come, percent; undefined where the backend lists no such volume: it was let go of, or is lost, and is told of as that. */
  private async arrived(share: ShareOnItsWay, to: 'instance' | 'instance_to'): Promise<number | undefined> {
    const backend = await this.backends.connector(share.backend_id);
    const row = await instances.in(this.database).findOne({
      raw: true,
      where: { poolId: share.pool_id, id: share[to] },
      rejectOnEmpty: true,
    });
    const at = { pool_id: share.pool_id, path: share.path, instance: row.id, instance_bytes: row.bytes };
    const path = await providerPath(this.database, backend, at);
    try {
      return await backend.ensureMoved(share.volume_name, path);
    } catch (error) {
      if (error instanceof BackendProblem && error.code === 'not-found') return undefined;
      throw error;
    }
  }

  private where({ subject }: Operation): { poolId: string; id: string } {
    const cut = subject.lastIndexOf('/');
    return { poolId: subject.slice(0, cut), id: subject.slice(cut + 1) };
  }

  private async seeEmpty(operation: Operation): Carried {
    const { database } = this;
    const where = this.where(operation);
    if (!(await instances.in(database).findOne({ where }))) return advance(database, givingBack, operation, 'given');
    const [left] = await leftInside(database, where.poolId, where.id);
    if (!left || left.shares === 0) return advance(database, givingBack, operation, 'giving');
    // one of them came back, or never left
    if (left.leaving < left.shares)
      return advance(database, givingBack, operation, 'keeping', { cause: 'A share in it did not move.' });
    await noteProgress(database, operation, left.bytes, 'bytes');
    return { againAfterS: lookEveryS };
  }

  private async giveBack(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    const where = this.where(operation);
    const pool = await pools.in(database).findByPk(where.poolId, { raw: true });
    if (!pool) return advance(database, givingBack, operation, 'given');
    const backend = await this.backends.connector(pool.backendId);
    await backend.ensureInstanceGone(pool.path, where.id);
    const given = await database.transaction(async () => {
      await instances.in(database).destroy({ where: { ...where, used: 0 } });
      await announce(database, [{ topic: 'pools', subject: where.poolId }]);
      return advance(database, givingBack, operation, 'given');
    });
    await this.backends.sync(pool.backendId);
    return given;
  }

  private async keep(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    const where = this.where(operation);
    const before = await pools.in(database).findByPk(where.poolId, { raw: true });
    if (before) await this.backends.sync(before.backendId);
    const sold = (await pools.in(database).findByPk(where.poolId, { raw: true }))?.facts.instances?.sold ?? [];
    const isThere = sold.some((s) => s.name === where.id);
    return database.transaction(async () => {
      // the backend may have taken it back before it was called off; one that was never bought is not missed either
      const gone = isThere ? 0 : await instances.in(database).destroy({ where: { ...where, used: 0 } });
      await instances.in(database).update({ leaving: false }, { where });
      await announce(database, [{ topic: 'pools', subject: where.poolId }]);
      return advance(database, givingBack, operation, gone > 0 ? 'given' : 'kept');
    });
  }
}
