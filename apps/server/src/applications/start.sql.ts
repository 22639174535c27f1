import { statement } from '../database/statement';

/** Claims of these names with what their volumes hold, and what becomes of those when they are deleted. */
export const claimsGoing = statement<
  { name: string; bytes: number; written: number | null; reclaim: string | null },
  [namespace: string, names: readonly string[]]
>(
  `SELECT o.name, coalesce(r.bytes, o.size_bytes) AS bytes, v.consumed AS written, r.reclaim FROM platform_objects o
   LEFT JOIN reservations r ON r.claim_uid = o.uid LEFT JOIN pools p ON p.id = r.pool_id
   LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
   WHERE o.plural = 'persistentvolumeclaims' AND o.namespace = $1 AND o.name = ANY($2) ORDER BY o.name LIMIT 10000`,
);
