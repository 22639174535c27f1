import { statement } from '../database/statement';

/** Who else changes one of some disks. */
export const otherHolder = statement<
  { person: string; pool: string; disk: string; kind: string },
  [backend: string, disks: readonly string[], but: string]
>(
  `SELECT r.person, r.pool, r.kind, h.disk FROM disk_holds h JOIN reshapes r ON r.id = h.reshape_id
   WHERE h.backend_id = $1 AND h.disk = ANY($2) AND h.reshape_id <> $3 ORDER BY h.disk LIMIT 1`,
);
