import { statement } from '../database/statement';

/** Lets an instance be at least so large, as a claim that grows in it needs; it is bought when the backend is asked. */
export const enlargeInstance = statement<object, [pool: string, id: string, bytes: number]>(
  'UPDATE instances SET bytes = greatest(bytes, $3) WHERE pool_id = $1 AND id = $2',
);

/**
 * Takes back what a backend did not sell: an instance that was never bought and that nobody waits for goes, and those that were to be
 * larger are as large as the backend says, where that holds all that is promised of them.
 */
export const settleInstances = statement<object, [pool: string]>(
  `WITH gone AS (DELETE FROM instances WHERE pool_id = $1 AND path IS NULL AND used = 0)
   UPDATE instances i SET bytes = s.bytes
   FROM pools p, jsonb_to_recordset(p.facts #> '{instances,sold}') AS s(name text, bytes bigint)
   WHERE i.pool_id = $1 AND p.id = $1 AND s.name = i.id AND i.path IS NOT NULL AND s.bytes >= i.used AND s.bytes < i.bytes`,
);
