import { statement } from '../database/statement';

/** Notes how many bytes are still to be moved; more than ever before begins the reckoning of the time anew. */
export const noteLeft = statement<object, [id: string, left: number]>(
  `UPDATE reshapes SET bytes_left = $2, total = greatest(coalesce(total, 0), $2),
   moved_since = CASE WHEN $2 > coalesce(total, 0) THEN now() ELSE moved_since END WHERE id = $1`,
);

/** Bytes that copies on a pool still have to take over. */
export const bytesToMove = statement<{ bytes: number }, [backend: string, pool: string]>(
  `SELECT coalesce(sum(v.consumed * (100 - (c ->> 'percent')::numeric) / 100), 0)::bigint AS bytes
   FROM backend_volumes v, jsonb_array_elements(v.copies) c
   WHERE v.backend_id = $1 AND v.pool_id = $2 AND c ->> 'state' = 'Synchronizing'`,
);

/** Whether a pool says that it is at work. */
export const isAtWork = statement<{ busy: boolean | null }, [pool: string]>(
  `SELECT (facts ->> 'busy')::boolean AS busy FROM pools WHERE id = $1`,
);
