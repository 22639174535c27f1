import type { Database } from '../database/database';
import { afterFailure, mayMove, type Work } from '../operations/kind';
import { operations } from '../operations/operation-model';
import { advance } from '../operations/operations';

/** Carries an operation as a runner does, until it rests; `dies` says after which step the server is killed. */
export async function carryByHand(database: Database, work: Work, id: string, dies: () => boolean): Promise<void> {
  for (let tries = 0; tries < 40; tries++) {
    const row = await operations.in(database).findByPk(id);
    // a step may drop its operation
    if (!row) return;
    const perform = work.steps[row.state];
    if (row.endedAt !== null || row.stopped !== null || !perform) return;
    try {
      const moved = await perform({ ...row.get(), state: row.state });
      if (work.kind.states[row.state]?.stays === 'wait' && moved === undefined) return;
      // there is more to see in a while
      if (moved !== undefined && 'againAfterS' in moved) return;
    } catch (error) {
      const then = await (work.afterFailure?.(row.get(), error) ?? afterFailure(work.kind, row.get(), error));
      if (then === 'undo' && mayMove(work.kind, row.state, work.kind.undo!))
        await advance(database, work.kind, row, work.kind.undo!, { cause: String(error) });
    }
    if (dies()) return;
  }
  throw new Error('it comes to no end');
}
