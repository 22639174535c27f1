import { statement } from '../database/statement';

/**
 * Takes the copies of a backend's volumes that were not in step at a moment in the place of those known to be behind; gives those
 * that are new, have come further or are in step again.
 */
export const noteBehind = statement<{ disk: string }, [backend: string, behind: string, at: Date]>(
  `WITH now AS (
     SELECT * FROM jsonb_to_recordset($2::jsonb) AS n(volume_id text, disk text, node text, state text, percent double precision, bytes bigint)
   ), done AS (
     DELETE FROM copies_behind b WHERE backend_id = $1 AND NOT EXISTS (SELECT 1 FROM now n WHERE n.volume_id = b.volume_id AND n.disk = b.disk) RETURNING disk
   ), kept AS (
     INSERT INTO copies_behind AS b (backend_id, volume_id, disk, node, state, bytes, percent, since, at)
     SELECT DISTINCT ON (volume_id, disk) $1, volume_id, disk, node, state, bytes, percent, $3, $3 FROM now
     ON CONFLICT (backend_id, volume_id, disk) DO UPDATE SET state = excluded.state, bytes = excluded.bytes, percent = excluded.percent,
       node = excluded.node, at = excluded.at,
       bytes_per_second = CASE WHEN excluded.percent > b.percent AND b.state = excluded.state AND excluded.at > b.at
         THEN excluded.bytes * (excluded.percent - b.percent) / 100 / extract(epoch FROM excluded.at - b.at) END
     WHERE (b.state, b.percent) IS DISTINCT FROM (excluded.state, excluded.percent) RETURNING disk
   )
   SELECT disk FROM done UNION ALL SELECT disk FROM kept`,
);

export interface BehindRow {
  claim: string;
  pool: string;
  disk: string;
  node: string;
  state: string;
  bytes: number;
  percent: number;
  since: Date;
  at: Date;
  bytes_per_second: number | null;
}

/** Copies of these claims' volumes that are not in step, those longest so first. */
export const behindOf = statement<BehindRow, [claims: readonly string[]]>(
  `SELECT o.name AS claim, h.pool_id AS pool, b.disk, b.node, b.state, b.bytes, b.percent, b.since, b.at, b.bytes_per_second
   FROM (SELECT claim_uid, pool_id, volume_id FROM reservations WHERE claim_uid = ANY($1)
     UNION ALL SELECT claim_uid, pool_id, volume_id FROM further_copies WHERE claim_uid = ANY($1)) h
   JOIN pools p ON p.id = h.pool_id JOIN copies_behind b ON b.backend_id = p.backend_id AND b.volume_id = h.volume_id
   JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = h.claim_uid
   ORDER BY b.since, o.name, b.disk LIMIT 500`,
);
