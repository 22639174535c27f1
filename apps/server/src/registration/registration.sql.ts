import { statement } from '../database/statement';

/** What keeps a backend from being forgotten. */
export const heldBy = statement<{ claims: number; changes: number; instances: number }, [backend: string]>(
  `SELECT (SELECT count(*) FROM (SELECT pool_id FROM reservations UNION ALL SELECT pool_id FROM further_copies
     UNION ALL SELECT pool_id FROM buckets) r
     JOIN pools p ON p.id = r.pool_id WHERE p.backend_id = $1) AS claims,
   (SELECT count(*) FROM reshapes WHERE backend_id = $1 AND ended_at IS NULL) AS changes,
   (SELECT count(*) FROM instances i JOIN pools p ON p.id = i.pool_id WHERE p.backend_id = $1) AS instances`,
);
