import type { ReshapeState } from '@moorage/contract/reshapes';
import type { Backends } from '../backends/backends';
import { backendDisks } from '../backends/inventory-model';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import { afterFailure, type LookAgain, type Step, type Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { advance, noteProgress } from '../operations/operations';
import { pools } from '../pools/pool-model';
import { BackendProblem, type BackendProblemCode } from '../swordfish/connector';
import { bytesToMove, isAtWork } from './carry.sql';
import { reshaping } from './kind';
import { findReshape, metadataPool, nodesOf } from './reshape';
import { diskHolds, reshapeNodes, type ReshapeNode, type StoredReshape } from './reshape-model';

/** Refusals that another try does not change. */
const final: ReadonlySet<BackendProblemCode> = new Set(['refused', 'full', 'exists', 'not-found']);
const lookEveryS = 1;

type Carried = Promise<Operation | LookAgain | undefined>;

/** Carries a change of a cluster's disks, a node at a time: each step may be repeated without harm, and all of it undone. */
export class ReshapeCarrier {
  constructor(
    private readonly database: Database,
    private readonly backends: Backends,
  ) {}

  /** The kind of operations that this room carries. */
  get work(): Work<ReshapeState> {
    const at =
      (step: (operation: Operation, reshape: StoredReshape) => Carried): Step =>
      async (operation) => {
        const reshape = await findReshape(this.database, operation.subject);
        if (!reshape) return this.advance(operation, 'undone');
        const moved = await step(operation, reshape);
        await announce(this.database, [{ topic: 'reshapes', subject: reshape.backendId }]);
        return moved;
      };
    return {
      kind: reshaping,
      tells: () => ({ topic: 'reshapes' }),
      afterFailure: (operation, error) => {
        // tried until it is done
        if (operation.state === 'undoing') return 'again';
        const isFinal = error instanceof BackendProblem && final.has(error.code);
        return isFinal ? 'undo' : afterFailure(reshaping, operation, error);
      },
      steps: {
        preparing: at((o, r) => this.preparePool(o, r)),
        taking: at((o, r) => this.takeDisks(o, r)),
        giving: at((o, r) => this.giveDisks(o, r)),
        settling: at((o, r) => this.seeSettled(o, r)),
        undoing: at((o, r) => this.undo(o, r)),
      },
    };
  }

  private advance = (operation: Operation, to: ReshapeState) => advance(this.database, reshaping, operation, to);

  private async preparePool(operation: Operation, { plan, backendId }: StoredReshape) {
    if (plan.kind === 'commission') {
      const { design, protocols, encrypted } = plan;
      const connector = await this.backends.connector(backendId);
      const { pool: name, scheme, level } = design;
      await connector.ensurePool({ name, scheme, level, protocols, encrypted, internal: false });
      if (design.metadata.length > 0)
        await connector.ensurePool({
          name: metadataPool(name),
          scheme: { kind: 'copies', copies: 3 },
          level,
          protocols,
          encrypted,
          internal: true,
        });
    }
    return this.advance(operation, 'taking');
  }

  private mark = (node: ReshapeNode, state: ReshapeNode['state']) => node.update({ state });

  private poolOf = (reshape: StoredReshape, { role }: ReshapeNode): string =>
    role === 'metadata' ? metadataPool(reshape.pool) : reshape.pool;

  private at = ({ disks, node }: ReshapeNode) => disks.map((id) => ({ id, node }));

  /** The disks of the next node; the step repeats itself until there is none. */
  private async takeDisks(operation: Operation, reshape: StoredReshape) {
    const next = (await nodesOf(this.database, reshape.id)).find((n) => n.role !== 'leaving' && n.state === 'waiting');
    if (!next) return this.advance(operation, 'giving');
    const connector = await this.backends.connector(reshape.backendId);
    await connector.addDisks(this.poolOf(reshape, next), this.at(next));
    await this.mark(next, 'taken');
    return this.advance(operation, 'taking');
  }

  private async giveDisks(operation: Operation, reshape: StoredReshape) {
    const leaving = (await nodesOf(this.database, reshape.id)).filter((n) => n.role === 'leaving');
    if (leaving.some((n) => n.state === 'waiting')) {
      // all at once: what leaves one of them must not go to another that leaves as well
      const connector = await this.backends.connector(reshape.backendId);
      await connector.removeDisks(reshape.pool, leaving.flatMap(this.at));
      for (const node of leaving) await this.mark(node, 'given');
    }
    return this.advance(operation, 'settling');
  }

  /** Looks whether everything is where it shall be; writes down how much is still to be moved. */
  private async seeSettled(operation: Operation, reshape: StoredReshape): Promise<Operation | LookAgain | undefined> {
    await this.backends.sync(reshape.backendId);
    const left = await this.bytesLeft(reshape);
    const owned = await this.stillOwned(
      reshape,
      (await nodesOf(this.database, reshape.id)).filter((n) => n.role === 'leaving'),
    );
    await noteProgress(this.database, operation, left, 'bytes');
    if (left > 0 || owned > 0 || (await this.isBusy(reshape.pool))) return { againAfterS: lookEveryS };
    return this.end(operation, reshape, 'settled');
  }

  private async bytesLeft({ backendId, pool }: StoredReshape): Promise<number> {
    const row = await first(bytesToMove(this.database, backendId, pool));
    return row?.bytes ?? 0;
  }

  /** Shards move without a figure for each volume: the pool only says that it is at work. */
  private async isBusy(pool: string): Promise<boolean> {
    const row = await first(isAtWork(this.database, pool));
    return row?.busy ?? false;
  }

  private async stillOwned(reshape: StoredReshape, nodes: readonly ReshapeNode[]): Promise<number> {
    return backendDisks.in(this.database).count({
      where: {
        backendId: reshape.backendId,
        id: nodes.flatMap((n) => n.disks),
        owner: [reshape.pool, metadataPool(reshape.pool)],
      },
    });
  }

  private async end(operation: Operation, reshape: StoredReshape, state: 'settled' | 'undone') {
    const moved = await this.database.transaction(async () => {
      await reshape.update({ endedAt: new Date() });
      await noteProgress(this.database, operation, 0, 'bytes');
      await diskHolds.in(this.database).destroy({ where: { reshapeId: reshape.id } });
      // what it keeps from now on was planned: nothing shrank by itself
      const where = { backendId: reshape.backendId, name: reshape.pool };
      await pools.in(this.database).update({ largestUsable: 0 }, { where });
      if (state === 'settled')
        await reshapeNodes
          .in(this.database)
          .update({ state: 'freed' }, { where: { reshapeId: reshape.id, role: 'leaving' } });
      await announce(this.database, [{ topic: 'reshapes', subject: reshape.backendId }]);
      return this.advance(operation, state);
    });
    // the pool is shown from now on, or no longer
    await this.backends.sync(reshape.backendId);
    return moved;
  }

  /**
   * Gives back everything that was, or might have been, taken: also what an answer that never came may have done. What was on
   * its way out is taken back. Tried until it is done.
   */
  private async undo(operation: Operation, reshape: StoredReshape): Promise<Operation | LookAgain | undefined> {
    const connector = await this.backends.connector(reshape.backendId);
    const nodes = await nodesOf(this.database, reshape.id);
    const taken = nodes.filter((n) => n.role !== 'leaving');
    for (const node of taken)
      if (node.state !== 'freed') {
        await connector.removeDisks(this.poolOf(reshape, node), this.at(node));
        await this.mark(node, 'freed');
      }
    for (const node of nodes)
      if (node.role === 'leaving' && node.state === 'given') {
        await connector.addDisks(reshape.pool, this.at(node));
        await this.mark(node, 'waiting');
      }
    await this.backends.sync(reshape.backendId);
    if ((await this.stillOwned(reshape, taken)) > 0) return { againAfterS: lookEveryS };
    if (reshape.plan.kind === 'commission') {
      await connector.ensurePoolDeleted(reshape.pool);
      await connector.ensurePoolDeleted(metadataPool(reshape.pool));
    }
    return this.end(operation, reshape, 'undone');
  }
}
