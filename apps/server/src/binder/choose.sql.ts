import type { ClassManifest } from '@moorage/core/classes/manifest';
import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import type { Mooring } from '@moorage/core/placement/request';
import { statement } from '../database/statement';
import type { PlatformObject } from '../platform/connector';
import { setTo } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { operationFields } from '../operations/operations.sql';
import { binding } from './kinds';

/** Everything about a claim that its decision rests on, pools and quotas aside. */
export interface StoredClaim {
  uid: string;
  namespace: string;
  name: string;
  size_bytes: number;
  phase: string | null;
  body: {
    metadata: { annotations?: Record<string, string>; deletionTimestamp?: string };
    spec: {
      accessModes?: AccessMode[];
      volumeMode?: VolumeMode;
      dataSource?: unknown;
      dataSourceRef?: unknown;
      volumeName?: string;
      selector?: unknown;
    };
  };
  class: ClassManifest | null;
  /** The node the platform chose for the claim's first pod, and its zone. */
  node: string | null;
  zone: string | null;
  moorings: Mooring[];
  /** Whether the class is open to all namespaces, and whether this one was granted it. */
  open: boolean;
  granted: boolean;
  /** Where a plan for many claims puts this one: the pool, and the disks of its copies there. */
  planned: { pool: string; disks: string[] } | null;
  limits: { class_name: string; bytes: number }[];
  /** Of claims and of reserved IOPS. */
  counts: { class_name: string; measure: 'claims' | 'iops'; amount: number }[];
  /** Persistent volumes that the platform may bind to it. */
  beforehand: PlatformObject[];
}

const toDecide = `SELECT o.uid, o.namespace, o.name, o.size_bytes, o.phase, o.body, c.body AS class, at.node,
     (SELECT n.body #>> '{metadata,labels,topology.kubernetes.io/zone}' FROM platform_objects n WHERE n.plural = 'nodes' AND n.name = at.node) AS zone,
     (SELECT coalesce(jsonb_agg(jsonb_build_object('pool', pool_id, 'enabled', enabled, 'order', rank, 'weight', weight) ORDER BY rank, pool_id), '[]')
      FROM (SELECT * FROM moorings WHERE class_name = o.class_name ORDER BY rank, pool_id LIMIT 1000) m) AS moorings,
     coalesce((SELECT open FROM class_access a WHERE a.class_name = o.class_name), true) AS open,
     EXISTS (SELECT 1 FROM grants g WHERE g.class_name = o.class_name AND g.namespace = o.namespace) AS granted,
     (SELECT jsonb_build_object('pool', pool_id, 'disks', disks) FROM planned_places p WHERE p.namespace = o.namespace AND p.claim_name = o.name) AS planned,
     (SELECT coalesce(jsonb_agg(jsonb_build_object('class_name', class_name, 'bytes', bytes)), '[]')
      FROM limits l WHERE l.namespace = o.namespace AND l.class_name IN ('', o.class_name)) AS limits,
     (SELECT coalesce(jsonb_agg(jsonb_build_object('class_name', class_name, 'measure', measure, 'amount', amount)), '[]')
      FROM counted_limits l WHERE l.namespace = o.namespace AND l.class_name IN ('', o.class_name) AND l.measure <> 'snapshots') AS counts,
     (SELECT coalesce(jsonb_agg(v.body), '[]') FROM (
        (SELECT body FROM platform_objects v WHERE v.plural = 'persistentvolumes' AND v.phase = 'Available'
           AND v.class_name = o.class_name AND v.size_bytes >= o.size_bytes ORDER BY v.size_bytes LIMIT 50)
        UNION ALL
        (SELECT body FROM platform_objects v WHERE v.plural = 'persistentvolumes' AND v.phase IN ('Pending', 'Bound')
           AND v.body #>> '{spec,claimRef,namespace}' = o.namespace AND v.body #>> '{spec,claimRef,name}' = o.name
           AND v.name <> 'pvc-' || o.uid LIMIT 10)
      ) v) AS beforehand
   FROM platform_objects o
   LEFT JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
   CROSS JOIN LATERAL (SELECT o.body #>> '{metadata,annotations,volume.kubernetes.io/selected-node}' AS node) at
   WHERE o.plural = 'persistentvolumeclaims'`;

/** What a decision rests on. One statement, since each costs a way to the database and back while pools wait to be locked. */
export const claimToDecide = statement<StoredClaim, [claim: string]>(`${toDecide} AND o.uid = $1`, 'planned once');

/**
 * The same, and the claim stays as it is until the transaction that decides has ended: who hears of a change of it meanwhile waits,
 * and finds the binding where the decision left it. Asked first of all, so that nobody waits for what this one holds.
 */
export const claimHeld = statement<StoredClaim, [claim: string]>(
  `${toDecide} AND o.uid = $1 FOR SHARE OF o`,
  'planned once',
);

/** The same for many claims. */
export const claimsToDecide = statement<StoredClaim, [claims: readonly string[]]>(
  `${toDecide} AND o.uid = ANY($1) ORDER BY o.uid LIMIT 5000`,
);

/** What is reserved in namespaces, by class, for volumes and for buckets. */
export const usedInNamespaces = statement<
  { namespace: string; class_name: string; bytes: number },
  [namespaces: readonly string[]]
>(
  `SELECT namespace, class_name, sum(bytes)::bigint AS bytes FROM (
     SELECT namespace, class_name, bytes FROM reservations WHERE namespace = ANY($1)
     UNION ALL SELECT namespace, class_name, bytes FROM buckets WHERE namespace = ANY($1)
     UNION ALL SELECT namespace, class_name, bytes FROM planned_places WHERE namespace = ANY($1) AND held_until IS NOT NULL
   ) held GROUP BY 1, 2 LIMIT 100000`,
);

/** Renews the time of a claim's last decision when a new one says the same. */
export const renewDecision = statement<
  { id: number },
  [claim: string, trace: string, tookMicros: number, remedies: string]
>(
  `UPDATE decisions SET made_at = now(), took_micros = $3, remedies = $4::jsonb
   WHERE id = (SELECT max(id) FROM decisions WHERE claim_uid = $1) AND trace = $2::jsonb RETURNING id`,
);

/**
 * Keeps a decision, reserves what it says, its copies and the copies elsewhere, moves the binding on and tells of it, all at once: the pools are
 * locked, so each way to the database and back would let others wait.
 */
export const reserveAll = statement<
  Operation,
  [
    claim: string,
    tookMicros: number,
    trace: string,
    reservation: string,
    copies: string,
    further: string,
    operation: string,
    from: string,
    channel: string,
    told: readonly string[],
    instance: string | null,
  ]
>(
  `WITH carved AS (
     -- what is bought, or made larger, before anything is carved out of it
     INSERT INTO instances (pool_id, id, bytes)
     SELECT * FROM jsonb_to_record($11::jsonb) AS i(pool_id text, id text, bytes bigint) WHERE i.id IS NOT NULL
     ON CONFLICT (pool_id, id) DO UPDATE SET bytes = greatest(instances.bytes, excluded.bytes)
   ), held AS (
     INSERT INTO reservations (claim_uid, namespace, claim_name, class_name, reclaim, pool_id, bytes, raw_bytes, iops_floor, iops_ceiling,
       backend_iops, volume_name, throughput_floor, throughput_ceiling, backend_throughput, grace_days, instance)
     SELECT $1, r.* FROM jsonb_to_record($4::jsonb) AS r(namespace text, claim_name text, class_name text, reclaim text, pool_id text,
       bytes bigint, raw_bytes bigint, iops_floor double precision, iops_ceiling double precision, backend_iops double precision,
       volume_name text, throughput_floor double precision, throughput_ceiling double precision, backend_throughput double precision,
       grace_days integer, instance text)
     RETURNING pool_id
   ), decided AS (
     INSERT INTO decisions (claim_uid, took_micros, winner, trace, remedies)
     SELECT $1, $2, pool_id, $3::jsonb, '[]' FROM held RETURNING id
   ), placed AS (
     INSERT INTO reservation_copies (claim_uid, pool_id, disk, node, domain, bytes, role)
     SELECT $1, c.* FROM jsonb_to_recordset($5::jsonb) AS c(pool_id text, disk text, node text, domain text, bytes bigint, role text)
   ), further AS (
     INSERT INTO further_copies (claim_uid, mode, pool_id, bytes, raw_bytes, backend_iops, backend_throughput)
     SELECT $1, f.* FROM jsonb_to_recordset($6::jsonb) AS f(mode text, pool_id text, bytes bigint, raw_bytes bigint,
       backend_iops double precision, backend_throughput double precision)
   )
   UPDATE operations SET ${setTo(binding, 'making')}, decision_id = (SELECT id FROM decided) WHERE id = $7 AND state = $8
   RETURNING ${operationFields}, (SELECT count(pg_notify($9, event)) FROM unnest($10::text[]) event) AS told`,
  'planned once',
);
