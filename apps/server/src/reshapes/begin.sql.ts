import { statement } from '../database/statement';

/** Who else changes one of some disks. */
export const otherHolder = statement<
  { person: string; pool: string; disk: string; kind: string },
  [backend: string, disks: readonly string[], but: string]
>(
  `SELECT r.person, r.pool, r.kind, h.disk FROM disk_holds h JOIN reshapes r ON r.id = h.reshape_id
   WHERE h.backend_id = $1 AND h.disk = ANY($2) AND h.reshape_id <> $3 ORDER BY h.disk LIMIT 1`,
);

/** Holds disks for a change, as far as nobody else has them; gives those that it got. There may be tens of thousands. */
export const holdDisks = statement<{ disk: string }, [backend: string, change: string, disks: readonly string[]]>(
  `INSERT INTO disk_holds (backend_id, disk, reshape_id) SELECT $1, d, $2 FROM unnest($3::text[]) d ORDER BY d
   ON CONFLICT DO NOTHING RETURNING disk`,
);
