import { statement } from '../database/statement';
import { mayGoTo, setTo } from '../operations/kind';
import { growing } from './kind';

/**
 * Begins the growth of bound claims that ask for more than is reserved for them, or wakes one that waits; gives the operations.
 * What a person called off is not begun again until the claim asks for something else.
 */
export const beginGrowths = statement<{ id: string }, [claims: readonly string[]]>(
  `INSERT INTO operations AS op (kind, subject, state, holds, namespace, about)
   SELECT '${growing.kind}', o.uid, '${growing.begins}', '${growing.holds}', o.namespace, o.namespace || '/' || o.name
   FROM platform_objects o JOIN reservations r ON r.claim_uid = o.uid
   WHERE o.plural = 'persistentvolumeclaims' AND o.uid = ANY($1) AND o.phase = 'Bound' AND o.size_bytes > r.bytes
     AND r.state = 'bound' AND o.body #>> '{metadata,deletionTimestamp}' IS NULL
     AND NOT EXISTS (SELECT 1 FROM growths g JOIN operations e ON e.id = g.operation_id
       WHERE g.claim_uid = o.uid AND g.wanted = o.size_bytes AND e.state = 'returned')
   ORDER BY o.uid
   ON CONFLICT (holds, subject) DO UPDATE SET ${setTo(growing, 'waiting', 'op.waiting_for', 'op.')} WHERE op.kind = '${growing.kind}' AND op.state = 'waiting'
   RETURNING id`,
  'planned once',
);

/** Ends the growths of claims that the platform says have their size now, in bytes: the node has grown the file system. Gives those claims. */
export const noteGrown = statement<{ subject: string }, [claims: readonly string[], capacities: readonly number[]]>(
  `UPDATE operations op SET ${setTo(growing, 'grown', 'NULL', 'op.')}
   FROM growths g, unnest($1::text[], $2::bigint[]) AS seen (uid, bytes)
   WHERE op.holds = '${growing.holds}' AND op.subject = seen.uid AND op.state = 'seeing' AND g.operation_id = op.id
     AND seen.bytes >= g.to_bytes RETURNING op.subject`,
  'planned once',
);

/** Ends the growths of claims that are gone. */
export const giveUpGrowths = statement<object, [claims: readonly string[]]>(
  `UPDATE operations SET ${setTo(growing, 'abandoned')} WHERE ${mayGoTo(growing, 'abandoned')} AND holds = '${growing.holds}' AND subject = ANY($1)`,
  'planned once',
);

/** Changes what is reserved for a claim, its disks and its copies elsewhere, if it holds what it was thought to hold; zero rows when it does not. */
export const reserveMore = statement<
  { claim_uid: string },
  [
    claim: string,
    held: number,
    parts: string,
    iopsFloor: number,
    iopsCeiling: number | null,
    throughputFloor: number,
    throughputCeiling: number | null,
  ]
>(
  `WITH part AS (
     SELECT * FROM jsonb_to_recordset($3::jsonb) AS p(pool_id text, bytes bigint, raw_bytes bigint, backend_iops double precision,
       backend_throughput double precision)
   ), main AS (
     UPDATE reservations r SET bytes = p.bytes, raw_bytes = p.raw_bytes, backend_iops = p.backend_iops,
       backend_throughput = p.backend_throughput, iops_floor = $4, iops_ceiling = $5, throughput_floor = $6, throughput_ceiling = $7
     FROM part p WHERE r.claim_uid = $1 AND r.bytes = $2 AND p.pool_id = r.pool_id RETURNING r.claim_uid
   ), copied AS (
     UPDATE reservation_copies c SET bytes = p.bytes FROM part p, main
     WHERE c.claim_uid = main.claim_uid AND c.pool_id = p.pool_id AND c.role = 'data'
   ), further AS (
     UPDATE further_copies f SET bytes = p.bytes, raw_bytes = p.raw_bytes, backend_iops = p.backend_iops,
       backend_throughput = p.backend_throughput
     FROM part p, main WHERE f.claim_uid = main.claim_uid AND f.pool_id = p.pool_id
   )
   SELECT claim_uid FROM main`,
);

/** Notes the sizes of volumes as their backends just told them, and the ceilings that these took for a claim's own. */
export const noteSizes = statement<object, [volumes: string, claim: string]>(
  `UPDATE backend_volumes v SET bytes = s.bytes, raw_bytes = CASE WHEN v.bytes > 0 THEN (v.raw_bytes::numeric * s.bytes / v.bytes)::bigint ELSE v.raw_bytes END,
     iops_ceiling = coalesce(r.iops_ceiling, v.iops_ceiling), throughput_ceiling = coalesce(r.throughput_ceiling, v.throughput_ceiling)
   FROM jsonb_to_recordset($1::jsonb) AS s(backend text, volume text, bytes bigint)
     LEFT JOIN reservations r ON r.claim_uid = $2 AND r.volume_id = s.volume
   WHERE v.backend_id = s.backend AND v.volume_id = s.volume`,
);
