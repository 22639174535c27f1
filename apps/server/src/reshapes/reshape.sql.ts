import type { Reshape, ReshapeState } from '@moorage/contract/reshapes';
import { statement } from '../database/statement';
import type { ReshapeNode } from './reshape-model';

export interface Listed {
  id: string;
  backend_id: string;
  pool: string;
  kind: Reshape['kind'];
  person: string;
  created_at: Date;
  ended_at: Date | null;
  cause: string | null;
  total: number | null;
  remaining: number | null;
  moved_since: Date | null;
  state: ReshapeState;
  attempts: number;
  error: Reshape['error'];
  next_attempt_at: Date | null;
  nodes: { node: string; state: ReshapeNode['state']; disks: number }[] | null;
}

const select = `SELECT r.*, op.cause, op.total, op.remaining, op.moved_since, op.state, op.attempts, op.error, op.next_attempt_at,
   (SELECT jsonb_agg(jsonb_build_object('node', n.node, 'state', n.state, 'disks', cardinality(n.disks)) ORDER BY n.role, n.node)
    FROM reshape_nodes n WHERE n.reshape_id = r.id) AS nodes
   FROM reshapes r JOIN operations op ON op.kind = 'reshape' AND op.subject = r.id::text`;

/** Changes to the disks of a backend with where their operations stand, the newest first. */
export const changesOn = statement<Listed, [backend: string]>(
  `${select} WHERE r.backend_id = $1 ORDER BY r.created_at DESC LIMIT 100`,
);

/** One change. */
export const changeNamed = statement<Listed, [id: string]>(`${select} WHERE r.id = $1`);
