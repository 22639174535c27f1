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

/**
 * A backend may move shares between instances by itself: what we hold follows where it says they lie. What we moved after it was
 * asked is not gone back to.
 */
export const followShares = statement<object, [backend: string, asked: Date]>(
  `UPDATE reservations r SET instance = v.instance
   FROM backend_volumes v JOIN instances i ON i.pool_id = v.pool_id AND i.id = v.instance
   WHERE v.backend_id = $1 AND r.volume_id = v.volume_id AND r.pool_id = v.pool_id AND r.instance <> v.instance AND r.instance_to IS NULL
     AND NOT EXISTS (SELECT 1 FROM operations o WHERE o.kind = 'shift' AND 'pvc-' || o.subject = r.volume_name
       AND coalesce(o.ended_at, 'infinity') > $2)`,
);

/** Instances that were bought are as large as their backend says at least; one that is empty and that it lists no more is gone. */
export const followInstances = statement<object, [backend: string, asked: Date]>(
  `WITH sold AS (
     SELECT p.id AS pool_id, s.name, s.bytes
     FROM pools p, jsonb_to_recordset(p.facts #> '{instances,sold}') AS s(name text, bytes bigint) WHERE p.backend_id = $1
   ), gone AS (
     DELETE FROM instances i USING pools p
     WHERE p.id = i.pool_id AND p.backend_id = $1 AND i.used = 0 AND i.path IS NOT NULL AND NOT i.leaving AND i.created_at < $2
       AND NOT EXISTS (SELECT 1 FROM sold s WHERE s.pool_id = i.pool_id AND s.name = i.id)
   )
   UPDATE instances i SET bytes = s.bytes FROM sold s WHERE i.pool_id = s.pool_id AND i.id = s.name AND s.bytes > i.bytes`,
);
