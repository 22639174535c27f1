import type { Reshape } from '@moorage/contract/reshapes';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { reshapeNodes, reshapes, type StoredReshape, type ReshapeNode } from './reshape-model';
import { changeNamed, changesOn, type Listed } from './reshape.sql';

/** Pool that keeps what the cluster must know of itself, beside the pool of a design. */
export const metadataPool = (pool: string): string => `${pool}-meta`;

export const findReshape = async (database: Database, id: string): Promise<StoredReshape | undefined> =>
  (await reshapes.in(database).findByPk(id)) ?? undefined;

/** What a change takes and gives on each node. */
export const nodesOf = (database: Database, id: string): Promise<ReshapeNode[]> =>
  reshapeNodes.in(database).findAll({ where: { reshapeId: id }, order: ['role', 'node'], limit: 30_000 });

function toRow(r: Listed, now: Date): Reshape {
  const moved = r.total === null || r.remaining === null ? 0 : r.total - r.remaining;
  const seconds = r.moved_since ? (now.getTime() - r.moved_since.getTime()) / 1000 : 0;
  return {
    id: r.id,
    backend: r.backend_id,
    pool: r.pool,
    kind: r.kind,
    state: r.state,
    person: r.person,
    createdAt: r.created_at.toISOString(),
    endedAt: r.ended_at?.toISOString() ?? null,
    nodes: r.nodes ?? [],
    total: r.total,
    left: r.remaining,
    // by what was moved so far; nothing is said of the first moments
    etaSeconds: moved > 0 && seconds > 1 ? Math.round((r.remaining! / moved) * seconds) : null,
    error: r.error,
    cause: r.cause,
    attempts: r.attempts,
    nextAttemptAt: r.error ? (r.next_attempt_at?.toISOString() ?? null) : null,
  };
}

export async function listReshapes(database: Database, backend: string): Promise<Reshape[]> {
  const rows = await changesOn(database, backend);
  return rows.map((r) => toRow(r, new Date()));
}

export async function getReshape(database: Database, id: string): Promise<Reshape | undefined> {
  const row = await first(changeNamed(database, id));
  return row && toRow(row, new Date());
}
