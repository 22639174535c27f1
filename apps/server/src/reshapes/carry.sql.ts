import { statement } from '../database/statement';

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
