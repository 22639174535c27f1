import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { binding } from '../binder/kinds';
import { statement } from '../database/statement';
import { setTo } from '../operations/kind';

export interface StoredAdrift {
  id: string;
  origin: 'kept' | 'grace' | 'foreign';
  namespace: string | null;
  name: string | null;
  class_name: string | null;
  backend_id: string;
  pool_id: string;
  volume_name: string;
  volume_id: string;
  bytes: number;
  consumed: number;
  modes: AccessMode[] | null;
  volume_mode: VolumeMode | null;
  since: Date;
  /** The same as text, exact, to go on from. */
  since_text: string;
  keep_until: Date | null;
  degraded: boolean | null;
  reachable: boolean | null;
  missing_since: Date | null;
  name_taken: boolean;
  operation_id: string | null;
  /** Of the persistent volume that stands for it, where there is one. */
  pv_name: string | null;
}

/** Volumes of ours that no claim holds, and volumes that nobody here made; `$1`: those of these namespaces alone, and none of others. */
const adrift = `SELECT * FROM (
   SELECT r.claim_uid AS id, CASE WHEN r.keep_until IS NULL THEN 'kept' ELSE 'grace' END AS origin, r.namespace, r.claim_name AS name,
     r.class_name, p.backend_id, r.pool_id, r.volume_name, coalesce(r.volume_id, '') AS volume_id, r.bytes, coalesce(v.consumed, 0) AS consumed,
     r.modes, r.volume_mode, coalesce(r.adrift_since, r.created_at) AS since, r.keep_until, v.degraded, v.reachable, r.missing_since,
     EXISTS (SELECT 1 FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims' AND o.namespace = r.namespace AND o.name = r.claim_name)
       AS name_taken, op.id AS operation_id, r.pv_name
   FROM reservations r JOIN pools p ON p.id = r.pool_id
   LEFT JOIN LATERAL (SELECT * FROM backend_volumes v WHERE v.backend_id = p.backend_id AND v.volume_id = r.volume_id OFFSET 0) v ON true
   LEFT JOIN operations op ON op.holds = 'salvage' AND op.subject = r.claim_uid
   WHERE r.state IN ('adrift', 'returning') AND ($1::text[] IS NULL OR r.namespace = ANY($1))
   UNION ALL
   SELECT v.backend_id || '/' || v.volume_id, 'foreign', NULL, NULL, NULL, v.backend_id, v.pool_id, v.name, v.volume_id, v.bytes, v.consumed,
     NULL, NULL, v.seen_at, NULL, v.degraded, v.reachable, NULL, false, NULL, o.name
   FROM backend_volumes v
   LEFT JOIN LATERAL (SELECT * FROM platform_objects o WHERE o.plural = 'persistentvolumes'
     AND o.body #>> '{spec,csi,volumeHandle}' = v.backend_id || '/' || v.volume_id OFFSET 0) o ON true
   WHERE $1::text[] IS NULL AND NOT v.ours
     -- one that a persistent volume offers to claims, or that one holds, is not adrift
     AND coalesce(o.body #>> '{status,phase}', 'Released') IN ('Released', 'Failed')
 ) a WHERE ($2::text IS NULL OR a.namespace || '/' || a.name ILIKE $2 OR a.class_name ILIKE $2 OR a.pool_id ILIKE $2 OR a.id ILIKE $2
   OR a.volume_name ILIKE $2 OR a.volume_id ILIKE $2) AND ($3::text IS NULL OR a.origin = $3)`;

type Filter = [namespaces: readonly string[] | null, like: string | undefined, origin: string | undefined];

/** One page of volumes that no claim holds, newest first. */
export const adriftPage = statement<
  StoredAdrift,
  [...Filter, afterSince: string | undefined, afterId: string | undefined, limit: number]
>(
  `SELECT b.*, to_char(b.since AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI:SS.US') || '+00' AS since_text FROM (${adrift}) b
   WHERE $4::text IS NULL OR (b.since, b.id) < ($4::timestamptz, $5) ORDER BY b.since DESC, b.id DESC LIMIT $6`,
);

/** How many they are, and how large together. */
export const adriftTotals = statement<{ count: number; bytes: number }, Filter>(
  `SELECT count(*) AS count, coalesce(sum(b.bytes), 0)::bigint AS bytes FROM (${adrift}) b`,
);

/** Some of them by their ids, whoever may see them. */
export const adriftByIds = statement<StoredAdrift, [namespaces: readonly string[] | null, ids: readonly string[]]>(
  `SELECT b.*, '' AS since_text FROM (${adrift.replace(/\$2/g, 'NULL').replace(/\$3/g, 'NULL')}) b WHERE b.id = ANY($2) LIMIT 1000`,
);

/** Locks what is reserved for volumes until the transaction ends; gives their states. */
export const lockReserved = statement<{ claim_uid: string; state: string }, [claims: readonly string[]]>(
  'SELECT claim_uid, state FROM reservations WHERE claim_uid = ANY($1) ORDER BY claim_uid FOR UPDATE',
);

/** Of these claims, those whose volumes are being let go of at this moment. */
export const beingReleased = statement<{ subject: string }, [claims: readonly string[]]>(
  `SELECT subject FROM operations WHERE kind = 'release' AND subject = ANY($1) AND ended_at IS NULL`,
);

/** Takes a volume that nobody here made into what is reserved, with its copies, under a name of its own. It is never destroyed. */
export const adopt = statement<
  { claim_uid: string },
  [
    id: string,
    backend: string,
    volume: string,
    namespace: string,
    claim: string,
    className: string,
    pvName: string,
    modes: string,
    volumeMode: string,
  ]
>(
  `WITH taken AS (
     INSERT INTO reservations (claim_uid, namespace, claim_name, class_name, reclaim, pool_id, bytes, raw_bytes, iops_floor, backend_iops,
       volume_name, volume_id, state, pv_name, modes, volume_mode, adrift_since, made_at, adopted)
     SELECT $1, $4, $5, $6, 'Retain', v.pool_id, v.bytes, v.raw_bytes, 0, 0, v.name, v.volume_id, 'returning', $7, $8::jsonb, $9, v.seen_at,
       v.seen_at, true
     FROM backend_volumes v WHERE v.backend_id = $2 AND v.volume_id = $3 RETURNING claim_uid, pool_id, bytes
   ), copied AS (
     INSERT INTO reservation_copies (claim_uid, pool_id, disk, node, domain, bytes)
     SELECT taken.claim_uid, taken.pool_id, c ->> 'disk', c ->> 'node', c ->> 'node', taken.bytes
     FROM taken, backend_volumes v, jsonb_array_elements(v.copies) c WHERE v.backend_id = $2 AND v.volume_id = $3 ON CONFLICT DO NOTHING
   )
   SELECT claim_uid FROM taken`,
);

/** Lets a claim hold what was reserved by another; zero rows when that is not on its way back. */
export const handOver = statement<
  { claim_uid: string; pool_id: string },
  [source: string, claim: string, namespace: string, name: string, className: string]
>(
  `UPDATE reservations SET claim_uid = $2, namespace = $3, claim_name = $4, class_name = $5, state = 'bound', keep_until = NULL,
     adrift_since = NULL WHERE claim_uid = $1 AND state = 'returning' RETURNING claim_uid, pool_id`,
);

/** Ends the binding of a claim that has not got as far as a volume of its own. */
export const setBindingAside = statement<object, [claim: string]>(
  `UPDATE operations SET ${setTo(binding, 'abandoned')} WHERE kind = '${binding.kind}' AND subject = $1 AND state IN ('deciding', 'waiting')`,
);

/** Keeps volumes longer whose grace has not ended; gives those that are. */
export const lengthen = statement<{ claim_uid: string; keep_until: Date }, [claim: string, days: number]>(
  `UPDATE reservations SET keep_until = keep_until + make_interval(days => $2)
   WHERE claim_uid = $1 AND state = 'adrift' AND keep_until IS NOT NULL AND keep_until > now() RETURNING claim_uid, keep_until`,
);
