import type { NewReshape, Reshape, ReshapeState } from '@moorage/contract/reshapes';
import type { Database } from '../database/database';

/** A change to the disks of a cluster, as stored. */
export interface StoredReshape {
  readonly id: string;
  readonly backend_id: string;
  readonly pool: string;
  readonly kind: Reshape['kind'];
  readonly plan: NewReshape;
  readonly person: string;
  readonly created_at: Date;
  readonly ended_at: Date | null;
  readonly cause: string | null;
  readonly called_off: boolean;
  readonly total: number | null;
  readonly bytes_left: number | null;
  readonly moved_since: Date | null;
}

export interface ReshapeNode {
  readonly node: string;
  readonly role: 'data' | 'metadata' | 'leaving';
  readonly disks: string[];
  readonly state: 'waiting' | 'taken' | 'given' | 'freed';
}

/** Pool that keeps what the cluster must know of itself, beside the pool of a design. */
export const metadataPool = (pool: string): string => `${pool}-meta`;

export const findReshape = (database: Database, id: string): Promise<StoredReshape | undefined> =>
  database.one<StoredReshape>('SELECT * FROM reshapes WHERE id = $1', [id]);

export const nodesOf = (database: Database, id: string): Promise<ReshapeNode[]> =>
  database.rows<ReshapeNode>(
    'SELECT node, role, disks, state FROM reshape_nodes WHERE reshape_id = $1 ORDER BY role, node',
    [id],
  );

type Listed = StoredReshape & {
  state: ReshapeState;
  attempts: number;
  error: Reshape['error'];
  next_attempt_at: Date | null;
  nodes: (Pick<ReshapeNode, 'node' | 'state'> & { disks: number })[] | null;
};

const select = `SELECT r.*, op.state, op.attempts, op.error, op.next_attempt_at,
  (SELECT jsonb_agg(jsonb_build_object('node', n.node, 'state', n.state, 'disks', cardinality(n.disks)) ORDER BY n.role, n.node)
   FROM reshape_nodes n WHERE n.reshape_id = r.id) AS nodes
  FROM reshapes r JOIN operations op ON op.kind = 'reshape' AND op.subject = r.id::text`;

function toRow(r: Listed, now: Date): Reshape {
  const moved = r.total === null || r.bytes_left === null ? 0 : r.total - r.bytes_left;
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
    left: r.bytes_left,
    // by what was moved so far; nothing is said of the first moments
    etaSeconds: moved > 0 && seconds > 1 ? Math.round((r.bytes_left! / moved) * seconds) : null,
    error: r.error,
    cause: r.cause,
    attempts: r.attempts,
    nextAttemptAt: r.error ? (r.next_attempt_at?.toISOString() ?? null) : null,
  };
}

export async function listReshapes(database: Database, backend: string): Promise<Reshape[]> {
  const rows = await database.rows<Listed>(`${select} WHERE r.backend_id = $1 ORDER BY r.created_at DESC LIMIT 100`, [
    backend,
  ]);
  return rows.map((r) => toRow(r, new Date()));
}

export async function getReshape(database: Database, id: string): Promise<Reshape | undefined> {
  const row = await database.one<Listed>(`${select} WHERE r.id = $1`, [id]);
  return row && toRow(row, new Date());
}
