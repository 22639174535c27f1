import type { ClassManifest } from '@moorage/core/classes/manifest';
import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import type { Mooring } from '@moorage/core/placement/request';
import { statement } from '../database/statement';

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
  /** The pool that a plan for many claims chose for this one. */
  planned: string | null;
  limits: { class_name: string; bytes: number }[];
}

/** What a decision rests on. One statement, since each costs a way to the database and back while pools wait to be locked. */
export const claimToDecide = statement<StoredClaim, [claim: string]>(
  `SELECT o.uid, o.namespace, o.name, o.size_bytes, o.phase, o.body, c.body AS class, at.node,
     (SELECT n.body #>> '{metadata,labels,topology.kubernetes.io/zone}' FROM platform_objects n WHERE n.plural = 'nodes' AND n.name = at.node) AS zone,
     (SELECT coalesce(jsonb_agg(jsonb_build_object('pool', pool_id, 'enabled', enabled, 'order', rank, 'weight', weight) ORDER BY rank, pool_id), '[]')
      FROM (SELECT * FROM moorings WHERE class_name = o.class_name ORDER BY rank, pool_id LIMIT 1000) m) AS moorings,
     coalesce((SELECT open FROM class_access a WHERE a.class_name = o.class_name), true) AS open,
     EXISTS (SELECT 1 FROM grants g WHERE g.class_name = o.class_name AND g.namespace = o.namespace) AS granted,
     (SELECT pool_id FROM planned_places p WHERE p.namespace = o.namespace AND p.claim_name = o.name) AS planned,
     (SELECT coalesce(jsonb_agg(jsonb_build_object('class_name', class_name, 'bytes', bytes)), '[]')
      FROM limits l WHERE l.namespace = o.namespace AND l.class_name IN ('', o.class_name)) AS limits
   FROM platform_objects o
   LEFT JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
   CROSS JOIN LATERAL (SELECT o.body #>> '{metadata,annotations,volume.kubernetes.io/selected-node}' AS node) at
   WHERE o.plural = 'persistentvolumeclaims' AND o.uid = $1`,
);

/** What is reserved in a namespace, by class. */
export const usedInNamespace = statement<{ class_name: string; bytes: number }, [namespace: string]>(
  'SELECT class_name, sum(bytes)::bigint AS bytes FROM reservations WHERE namespace = $1 GROUP BY 1',
);

/** Renews the time of a claim's last decision when a new one says the same. */
export const renewDecision = statement<
  { id: number },
  [claim: string, trace: string, tookMicros: number, remedies: string]
>(
  `UPDATE decisions SET made_at = now(), took_micros = $3, remedies = $4::jsonb
   WHERE id = (SELECT max(id) FROM decisions WHERE claim_uid = $1) AND trace = $2::jsonb RETURNING id`,
);
