import type { ClassManifest } from '@moorage/core/classes/manifest';
import type { Drift } from '@moorage/core/drift/drift';
import { statement } from '../database/statement';
import { setTo } from '../operations/kind';
import { mending } from './kind';
import type { PlatformObject } from '../platform/connector';

/** A volume as we hold it, with what its two worlds said last. */
export interface Compared {
  claim_uid: string;
  namespace: string;
  claim_name: string;
  pool_id: string;
  backend_id: string;
  allowed: boolean;
  bytes: number;
  iops_ceiling: number | null;
  throughput_ceiling: number | null;
  reclaim: string;
  adopted: boolean;
  volume_id: string;
  class: ClassManifest | null;
  annotations: Record<string, string> | null;
  under_way: boolean;
  listed: boolean;
  seen_pool: string | null;
  seen_bytes: number | null;
  seen_copies: number | null;
  seen_encrypted: boolean | null;
  seen_iops_ceiling: number | null;
  seen_throughput_ceiling: number | null;
  pv: PlatformObject | null;
}

/** Those that `which` names, each with what is known of it by its keys. */
const compared = (
  which: string,
) => `SELECT r.claim_uid, r.namespace, r.claim_name, r.pool_id, p.backend_id, r.bytes, r.iops_ceiling, r.throughput_ceiling,
     r.reclaim, r.adopted, r.volume_id, cls.body AS class, c.body #> '{metadata,annotations}' AS annotations,
     EXISTS (SELECT 1 FROM moorings m WHERE m.class_name = r.class_name AND m.pool_id = r.pool_id AND m.enabled) AS allowed,
     EXISTS (SELECT 1 FROM operations op WHERE op.subject = r.claim_uid AND op.ended_at IS NULL AND op.kind IN ('grow', 'bind', 'salvage', 'tune')) AS under_way,
     -- a backend that does not answer is not said to have lost anything
     v.volume_id IS NOT NULL OR r.missing_since IS NULL AS listed, v.pool_id AS seen_pool, v.bytes AS seen_bytes,
     jsonb_array_length(v.copies) AS seen_copies, v.encrypted AS seen_encrypted, v.iops_ceiling AS seen_iops_ceiling,
     v.throughput_ceiling AS seen_throughput_ceiling, pv.body AS pv
   FROM (SELECT * FROM reservations WHERE state = 'bound' AND volume_id IS NOT NULL AND ${which}) r JOIN pools p ON p.id = r.pool_id
   LEFT JOIN LATERAL (SELECT * FROM backend_volumes v WHERE v.backend_id = p.backend_id AND v.volume_id = r.volume_id OFFSET 0) v ON true
   LEFT JOIN LATERAL (SELECT body FROM platform_objects pv WHERE pv.plural = 'persistentvolumes' AND pv.namespace = '' AND pv.name = coalesce(r.pv_name, r.volume_name) OFFSET 0) pv ON true
   LEFT JOIN platform_objects cls ON cls.plural = 'storageclasses' AND cls.name = r.class_name
   LEFT JOIN LATERAL (SELECT body FROM platform_objects c WHERE c.plural = 'persistentvolumeclaims' AND c.uid = r.claim_uid OFFSET 0) c ON true ORDER BY r.claim_uid`;

/** A page of bound volumes, by claim. */
export const comparedAfter = statement<Compared, [after: string, limit: number]>(
  compared('claim_uid > $1 ORDER BY claim_uid LIMIT $2'),
);
/** Some of them. */
export const comparedOf = statement<Compared, [claims: readonly string[]]>(
  compared('claim_uid = ANY($1) ORDER BY claim_uid LIMIT 1000'),
);

/** Takes what was found of these claims in the place of what was known; what stays so keeps its age. Gives what is news. */
export const takeDrifts = statement<{ namespace: string }, [claims: readonly string[], found: string]>(
  `WITH fresh AS (
     SELECT * FROM jsonb_to_recordset($2::jsonb) AS f(claim_uid text, kind text, namespace text, declared jsonb, actual jsonb,
       made_by text, remedy text)
   ), gone AS (
     DELETE FROM drifts d WHERE d.claim_uid = ANY($1)
       AND NOT EXISTS (SELECT 1 FROM fresh f WHERE f.claim_uid = d.claim_uid AND f.kind = d.kind) RETURNING d.namespace
   ), kept AS (
     INSERT INTO drifts (claim_uid, kind, namespace, declared, actual, made_by, remedy)
     SELECT claim_uid, kind, namespace, coalesce(declared, 'null'), coalesce(actual, 'null'), made_by, remedy FROM fresh
     ON CONFLICT (claim_uid, kind) DO UPDATE SET declared = excluded.declared, actual = excluded.actual, made_by = excluded.made_by,
       remedy = excluded.remedy
     WHERE (drifts.declared, drifts.actual, drifts.made_by, drifts.remedy)
       IS DISTINCT FROM (excluded.declared, excluded.actual, excluded.made_by, excluded.remedy)
     RETURNING namespace
   )
   SELECT namespace FROM gone UNION ALL SELECT namespace FROM kept`,
);

export interface ListedDrift {
  claim_uid: string;
  kind: Drift['kind'];
  namespace: string;
  claim_name: string;
  class_name: string;
  pool_id: string;
  volume_name: string;
  volume_id: string;
  backend_id: string;
  declared: Drift['declared'];
  actual: Drift['actual'];
  made_by: Drift['by'];
  remedy: Drift['remedy'];
  since: Date;
  since_text: string;
  asked_by: string | null;
  problem: string | null;
}

const listed = `FROM drifts d JOIN reservations r ON r.claim_uid = d.claim_uid JOIN pools p ON p.id = r.pool_id
   LEFT JOIN operations op ON op.holds = 'drift' AND op.subject = d.claim_uid AND op.ended_at IS NULL
   WHERE ($1::text[] IS NULL OR d.namespace = ANY($1)) AND ($2::text IS NULL OR d.claim_uid = $2)
     AND ($3::text IS NULL OR d.kind = $3)`;
type Filter = [namespaces: readonly string[] | null, claim: string | undefined, kind: string | undefined];

/** A page of what differs, the oldest first. */
export const driftPage = statement<
  ListedDrift,
  [...Filter, since: string | undefined, afterClaim: string | undefined, afterKind: string | undefined, limit: number]
>(
  `SELECT d.*, r.claim_name, r.class_name, r.pool_id, r.volume_name, r.volume_id, p.backend_id, op.error ->> 'detail' AS problem,
     to_char(d.since AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI:SS.US') || '+00' AS since_text ${listed}
     AND ($4::text IS NULL OR (d.since, d.claim_uid, d.kind) > ($4::timestamptz, $5, $6))
   ORDER BY d.since, d.claim_uid, d.kind LIMIT $7`,
);
/** How many differ in each way. */
export const driftCounts = statement<{ kind: Drift['kind']; count: number }, Filter>(
  `SELECT d.kind, count(*) AS count ${listed} GROUP BY 1`,
);

/** Notes who wants what differs put right; gives the claims. */
export const askFor = statement<
  { claim_uid: string; kind: Drift['kind']; namespace: string; claim_name: string },
  [claims: readonly string[], kinds: readonly string[], person: string, namespaces: readonly string[] | null]
>(
  `UPDATE drifts d SET asked_by = $3 FROM unnest($1::text[], $2::text[]) AS w (claim_uid, kind), reservations r
   WHERE d.claim_uid = w.claim_uid AND d.kind = w.kind AND d.remedy IS NOT NULL AND r.claim_uid = d.claim_uid
     AND ($4::text[] IS NULL OR d.namespace = ANY($4))
   RETURNING d.claim_uid, d.kind, d.namespace, r.claim_name`,
);

/** Counts a volume as its backend has it: its pool, its size, and what that takes of the pool. */
export const countAsItIs = statement<{ claim_uid: string }, [claim: string]>(
  `UPDATE reservations r SET pool_id = v.pool_id, bytes = v.bytes, raw_bytes = v.raw_bytes
   FROM pools was, pools p, backend_volumes v
   WHERE r.claim_uid = $1 AND was.id = r.pool_id AND v.backend_id = was.backend_id AND v.volume_id = r.volume_id AND p.id = v.pool_id
   RETURNING r.claim_uid`,
);

/** Begins to put volumes right, one operation for each claim, or looks again at one that has not come to its end. */
export const beginMends = statement<{ id: string }, [claims: readonly string[], person: string]>(
  `INSERT INTO operations AS op (kind, subject, state, holds, namespace, about, person)
   SELECT '${mending.kind}', r.claim_uid, '${mending.begins}', '${mending.holds}', r.namespace, r.namespace || '/' || r.claim_name, $2
   FROM reservations r WHERE r.claim_uid = ANY($1) ORDER BY r.claim_uid
   ON CONFLICT (holds, subject) DO UPDATE SET ${setTo(mending, 'mending', 'NULL', 'op.')} WHERE op.state = 'mending' RETURNING id`,
);
