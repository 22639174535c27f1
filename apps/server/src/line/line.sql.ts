import type { ClaimState } from '@moorage/contract/claims';
import type { Drift } from '@moorage/core/drift/drift';
import { statement } from '../database/statement';
import { claimsOf } from '../mirror/claim-rows.sql';
import type { PlatformObject } from '../platform/connector';

export interface Chain {
  uid: string;
  namespace: string;
  name: string;
  class_name: string | null;
  class_uid: string | null;
  state: ClaimState;
  pool_id: string | null;
  backend_id: string | null;
  backend_title: string | null;
  backend_reachable: boolean | null;
  volume_name: string | null;
  volume_id: string | null;
  pool_path: string | null;
  /** The instance of the pool that the volume is carved out of, and the one that it is on its way to. */
  instance: string | null;
  instance_to: string | null;
  namespace_uid: string | null;
  volume_uid: string | null;
  degraded: boolean | null;
  reachable: boolean | null;
  missing_since: Date | null;
  copies: { disk: string; node: string; state: string; percent: number }[] | null;
  further: { mode: string; pool: string; volume: string | null; backend: string; reachable: boolean }[];
  /** What differs between declared and actual, and where it says so. */
  drifts: {
    kind: Drift['kind'];
    declared: Drift['declared'];
    actual: Drift['actual'];
    by: Drift['by'];
    since: string;
  }[];
  /** Node that votes and holds no data. */
  witness: string | null;
}

/** The chain of a claim, found by namespace and name or by an identifier of either world. `namespaces`: those alone. */
export const chainOf = statement<
  Chain,
  [namespace: string, name: string, key: string, namespaces: readonly string[] | null]
>(
  `SELECT c.uid, c.namespace, c.name, c.class_name, c.class_uid, c.state, c.pool_id, c.backend_id, c.volume_name, c.volume_id,
     b.title AS backend_title, b.reachable AS backend_reachable, p.path AS pool_path,
     r.instance, r.instance_to, n.uid AS namespace_uid, pv.uid AS volume_uid, v.degraded, v.copies, v.reachable, c.missing_since,
     (SELECT coalesce(jsonb_agg(jsonb_build_object('mode', f.mode, 'pool', f.pool_id, 'volume', f.volume_id, 'backend', fb.id,
        'reachable', fb.reachable) ORDER BY f.mode DESC), '[]')
      FROM further_copies f JOIN pools fp ON fp.id = f.pool_id JOIN backends fb ON fb.id = fp.backend_id
      WHERE f.claim_uid = c.uid) AS further,
     (SELECT coalesce(jsonb_agg(jsonb_build_object('kind', d.kind, 'declared', d.declared, 'actual', d.actual, 'by', d.made_by,
        'since', d.since) ORDER BY d.kind), '[]') FROM drifts d WHERE d.claim_uid = c.uid) AS drifts,
     (SELECT w.node FROM reservation_copies w WHERE w.claim_uid = c.uid AND w.role = 'witness' LIMIT 1) AS witness
   FROM ${claimsOf(`SELECT claim_uid FROM claim_states WHERE (namespace = $1 AND name = $2) OR claim_uid = $3
       UNION SELECT claim_uid FROM reservations WHERE volume_name = $3 OR volume_id = $3`)}
   LEFT JOIN platform_objects n ON n.plural = 'namespaces' AND n.name = c.namespace
   LEFT JOIN platform_objects pv ON pv.plural = 'persistentvolumes' AND pv.name = c.volume_name
   LEFT JOIN reservations r ON r.claim_uid = c.uid
   LEFT JOIN pools p ON p.id = c.pool_id LEFT JOIN backends b ON b.id = c.backend_id
   LEFT JOIN backend_volumes v ON v.backend_id = c.backend_id AND v.volume_id = c.volume_id
   WHERE ($4::text[] IS NULL OR c.namespace = ANY($4))
   ORDER BY c.created_at DESC LIMIT 1`,
);

/** Pods that mount a claim. */
export const podsWith = statement<
  { uid: string; name: string; body: PlatformObject },
  [namespace: string, claim: string]
>(
  `SELECT uid, name, body FROM platform_objects WHERE plural = 'pods' AND namespace = $1
     AND body #> '{spec,volumes}' @> jsonb_build_array(jsonb_build_object('persistentVolumeClaim', jsonb_build_object('claimName', $2::text)))
   ORDER BY name LIMIT 20`,
);

/** What both worlds say of a claim's volume, and when each was last seen. */
export const bothSides = statement<
  {
    requested: number;
    phase: string | null;
    pv: PlatformObject | null;
    platform_seen: Date | null;
    backend_seen: Date | null;
    seen_name: string | null;
    seen_pool: string | null;
    seen_bytes: number | null;
    consumed: number | null;
    encrypted: boolean | null;
    iops_ceiling: number | null;
    throughput_ceiling: number | null;
  },
  [claim: string]
>(
  `SELECT c.size_bytes AS requested, o.phase, pv.body AS pv,
     (SELECT min(m.seen_at) FROM mirror_state m WHERE m.plural IN ('persistentvolumes', 'persistentvolumeclaims')) AS platform_seen,
     b.checked_at AS backend_seen, v.name AS seen_name, v.pool_id AS seen_pool, v.bytes AS seen_bytes, v.consumed, v.encrypted,
     v.iops_ceiling, v.throughput_ceiling
   FROM claims c JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = c.uid
   LEFT JOIN platform_objects pv ON pv.plural = 'persistentvolumes' AND pv.name = c.volume_name
   LEFT JOIN backends b ON b.id = c.backend_id
   LEFT JOIN backend_volumes v ON v.backend_id = c.backend_id AND v.volume_id = c.volume_id WHERE c.uid = $1`,
);
