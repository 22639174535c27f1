import type { Backends } from '../backends/backends';
import { BackendProblem, type BackendProblemCode } from '../backends/connector';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { advance } from '../operations/operations';
import type { Operation, Step } from '../operations/operation';
import type { LookAgain } from '../operations/runner';
import { findReshape, metadataPool, nodesOf, type ReshapeNode, type StoredReshape } from './reshape';

/** Refusals that another try does not change. */
const final: ReadonlySet<BackendProblemCode> = new Set(['refused', 'full', 'exists', 'not-found']);
/** Tries of one step before the whole is undone. */
const mostAttempts = 6;
const lookEveryS = 1;

/** Carries a change of a cluster's disks, a node at a time: each step may be repeated without harm, and all of it undone. */
export class ReshapeCarrier {
  constructor(
    private readonly database: Database,
    private readonly backends: Backends,
  ) {}

  perform = async (operation: Operation, step: Step['do']): Promise<Operation | LookAgain | undefined> => {
    const reshape = await findReshape(this.database, operation.subject);
    if (!reshape) return advance(this.database, operation, 'undone');
    if (step === 'undo-reshape') return this.undo(operation, reshape);
    if (reshape.called_off) return this.turnBack(operation, reshape, reshape.cause ?? 'called off');
    try {
      const moved = await this.forward(operation, reshape, step);
      await announce(this.database, [{ topic: 'reshapes', subject: reshape.backend_id }]);
      return moved;
    } catch (error) {
      if (!(error instanceof BackendProblem)) throw error;
      if (!final.has(error.code) && operation.attempts + 1 < mostAttempts) throw error;
      return this.turnBack(operation, reshape, error.message);
    }
  };

  private forward(operation: Operation, reshape: StoredReshape, step: Step['do']) {
    switch (step) {
      case 'prepare-pool':
        return this.preparePool(operation, reshape);
      case 'take-disks':
        return this.takeDisks(operation, reshape);
      case 'give-disks':
        return this.giveDisks(operation, reshape);
      case 'see-settled':
        return this.seeSettled(operation, reshape);
      default:
        throw new Error(`${step} is no step of a reshape`);
    }
  }

  private async turnBack(operation: Operation, reshape: StoredReshape, cause: string): Promise<Operation | undefined> {
    await this.database.rows('UPDATE reshapes SET cause = $2 WHERE id = $1', [reshape.id, cause]);
    await announce(this.database, [{ topic: 'reshapes', subject: reshape.backend_id }]);
    return advance(this.database, operation, 'undoing');
  }

  private async preparePool(operation: Operation, { plan, backend_id }: StoredReshape) {
    if (plan.kind === 'commission') {
      const { design, protocols, encrypted } = plan;
      const connector = await this.backends.connector(backend_id);
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
    return advance(this.database, operation, 'taking');
  }

  private mark = (reshape: string, { node, role }: ReshapeNode, state: ReshapeNode['state']) =>
    this.database.rows('UPDATE reshape_nodes SET state = $4 WHERE reshape_id = $1 AND node = $2 AND role = $3', [
      reshape,
      node,
      role,
      state,
    ]);

  private poolOf = (reshape: StoredReshape, { role }: ReshapeNode): string =>
    role === 'metadata' ? metadataPool(reshape.pool) : reshape.pool;

  private at = ({ disks, node }: ReshapeNode) => disks.map((id) => ({ id, node }));

  /** The disks of the next node; the step repeats itself until there is none. */
  private async takeDisks(operation: Operation, reshape: StoredReshape) {
    const next = (await nodesOf(this.database, reshape.id)).find((n) => n.role !== 'leaving' && n.state === 'waiting');
    if (!next) return advance(this.database, operation, 'giving');
    const connector = await this.backends.connector(reshape.backend_id);
    await connector.addDisks(this.poolOf(reshape, next), this.at(next));
    await this.mark(reshape.id, next, 'taken');
    return advance(this.database, operation, 'taking');
  }

  private async giveDisks(operation: Operation, reshape: StoredReshape) {
    const leaving = (await nodesOf(this.database, reshape.id)).filter((n) => n.role === 'leaving');
    if (leaving.some((n) => n.state === 'waiting')) {
      // all at once: what leaves one of them must not go to another that leaves as well
      const connector = await this.backends.connector(reshape.backend_id);
      await connector.removeDisks(reshape.pool, leaving.flatMap(this.at));
      for (const node of leaving) await this.mark(reshape.id, node, 'given');
    }
    return advance(this.database, operation, 'settling');
  }

  /** Looks whether everything is where it shall be; writes down how much is still to be moved. */
  private async seeSettled(operation: Operation, reshape: StoredReshape): Promise<Operation | LookAgain | undefined> {
    await this.backends.sync(reshape.backend_id);
    const left = await this.bytesLeft(reshape);
    const owned = await this.stillOwned(
      reshape,
      (await nodesOf(this.database, reshape.id)).filter((n) => n.role === 'leaving'),
    );
    await this.database.rows(
      `UPDATE reshapes SET bytes_left = $2, total = greatest(coalesce(total, 0), $2),
         moved_since = CASE WHEN $2 > coalesce(total, 0) THEN now() ELSE moved_since END WHERE id = $1`,
      [reshape.id, left],
    );
    if (left > 0 || owned > 0 || (await this.isBusy(reshape.pool))) return { againAfterS: lookEveryS };
    return this.end(operation, reshape, 'settled');
  }

  private async bytesLeft({ backend_id, pool }: StoredReshape): Promise<number> {
    const row = await this.database.one<{ bytes: number }>(
      `SELECT coalesce(sum(v.consumed * (100 - (c ->> 'percent')::numeric) / 100), 0)::bigint AS bytes
       FROM backend_volumes v, jsonb_array_elements(v.copies) c
       WHERE v.backend_id = $1 AND v.pool_id = $2 AND c ->> 'state' = 'Synchronizing'`,
      [backend_id, pool],
    );
    return row?.bytes ?? 0;
  }

  /** Shards move without a figure for each volume: the pool only says that it is at work. */
  private async isBusy(pool: string): Promise<boolean> {
    const row = await this.database.one<{ busy: boolean | null }>(
      `SELECT (facts ->> 'busy')::boolean AS busy FROM pools WHERE id = $1`,
      [pool],
    );
    return row?.busy ?? false;
  }

  private async stillOwned(reshape: StoredReshape, nodes: readonly ReshapeNode[]): Promise<number> {
    const row = await this.database.one<{ count: number }>(
      'SELECT count(*) FROM backend_disks WHERE backend_id = $1 AND id = ANY($2) AND owner = ANY($3)',
      [reshape.backend_id, nodes.flatMap((n) => n.disks), [reshape.pool, metadataPool(reshape.pool)]],
    );
    return row?.count ?? 0;
  }

  private async end(operation: Operation, reshape: StoredReshape, state: 'settled' | 'undone') {
    const moved = await this.database.transaction(async () => {
      await this.database.rows('UPDATE reshapes SET ended_at = now(), bytes_left = 0 WHERE id = $1', [reshape.id]);
      await this.database.rows('DELETE FROM disk_holds WHERE reshape_id = $1', [reshape.id]);
      // what it keeps from now on was planned: nothing shrank by itself
      await this.database.rows('UPDATE pools SET largest_usable = 0 WHERE backend_id = $1 AND name = $2', [
        reshape.backend_id,
        reshape.pool,
      ]);
      if (state === 'settled')
        await this.database.rows(
          `UPDATE reshape_nodes SET state = 'freed' WHERE reshape_id = $1 AND role = 'leaving'`,
          [reshape.id],
        );
      await announce(this.database, [{ topic: 'reshapes', subject: reshape.backend_id }]);
      return advance(this.database, operation, state, {});
    });
    // the pool is shown from now on, or no longer
    await this.backends.sync(reshape.backend_id);
    return moved;
  }

  /**
   * Gives back everything that was, or might have been, taken: also what an answer that never came may have done. What was on
   * its way out is taken back. Tried until it is done.
   */
  private async undo(operation: Operation, reshape: StoredReshape): Promise<Operation | LookAgain | undefined> {
    const connector = await this.backends.connector(reshape.backend_id);
    const nodes = await nodesOf(this.database, reshape.id);
    const taken = nodes.filter((n) => n.role !== 'leaving');
    for (const node of taken)
      if (node.state !== 'freed') {
        await connector.removeDisks(this.poolOf(reshape, node), this.at(node));
        await this.mark(reshape.id, node, 'freed');
      }
    for (const node of nodes)
      if (node.role === 'leaving' && node.state === 'given') {
        await connector.addDisks(reshape.pool, this.at(node));
        await this.mark(reshape.id, node, 'waiting');
      }
    await this.backends.sync(reshape.backend_id);
    if ((await this.stillOwned(reshape, taken)) > 0) return { againAfterS: lookEveryS };
    if (reshape.plan.kind === 'commission') {
      await connector.ensurePoolDeleted(reshape.pool);
      await connector.ensurePoolDeleted(metadataPool(reshape.pool));
    }
    return this.end(operation, reshape, 'undone');
  }
}
