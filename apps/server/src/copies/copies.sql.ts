import { statement } from '../database/statement';

export interface StoredCopy {
  disk: string;
  node: string;
  domain: string;
  role: 'data' | 'witness';
  /** As the backend told of it last; null where it did not yet. */
  state: string | null;
  percent: number | null;
}

/** The copies of a claim's volume on its own pool, and the vote beside them, with what the backend says of each. */
export const copiesOfClaim = statement<StoredCopy, [claim: string]>(
  `SELECT c.disk, c.node, c.domain, c.role, s.state, s.percent
   FROM reservations r JOIN pools p ON p.id = r.pool_id
   JOIN reservation_copies c ON c.claim_uid = r.claim_uid AND c.pool_id = r.pool_id
   LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
   LEFT JOIN LATERAL (SELECT x ->> 'state' AS state, (x ->> 'percent')::double precision AS percent
     FROM jsonb_array_elements(v.copies) x WHERE x ->> 'disk' = c.disk LIMIT 1) s ON true
   WHERE r.claim_uid = $1 ORDER BY c.role, c.node, c.disk LIMIT 20`,
);

/**
 * Changes what is held for a claim and on which disk, if it holds what it was thought to hold; zero rows when it does not. A disk
 * that is null neither comes nor goes.
 */
export const holdCopies = statement<
  { claim_uid: string },
  [
    claim: string,
    heldRaw: number,
    raw: number,
    backendIops: number,
    backendThroughput: number,
    gone: string | null,
    disk: string | null,
    node: string | null,
    domain: string | null,
  ]
>(
  `WITH main AS (
     UPDATE reservations SET raw_bytes = $3, backend_iops = $4, backend_throughput = $5
     WHERE claim_uid = $1 AND raw_bytes = $2 RETURNING claim_uid, pool_id, bytes
   ), dropped AS (
     DELETE FROM reservation_copies c USING main
     WHERE c.claim_uid = main.claim_uid AND c.pool_id = main.pool_id AND c.disk = $6 AND c.role = 'data'
   ), added AS (
     INSERT INTO reservation_copies (claim_uid, pool_id, disk, node, domain, bytes, role)
     SELECT claim_uid, pool_id, $7, $8, $9, bytes, 'data' FROM main WHERE $7::text IS NOT NULL
     ON CONFLICT (claim_uid, disk) DO UPDATE SET role = 'data', bytes = excluded.bytes
   )
   SELECT claim_uid FROM main`,
);
