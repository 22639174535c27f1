import type { ClassManifest } from '@moorage/core/classes/manifest';
import type { BackendWays } from '@moorage/core/nodes/readiness';
import type { SharePod } from '@moorage/core/shares/use';
import { statement } from '../database/statement';

/** Pods told of one share. */
export const mostPods = 500;

/** Where the volume of a claim lies, and whether files are reached there. */
export const shareOf = statement<
  {
    backend_id: string | null;
    volume_name: string | null;
    class: ClassManifest | null;
    ways: BackendWays | null;
    is_file: boolean;
    modes: readonly string[] | null;
  },
  [namespace: string, name: string]
>(
  `SELECT c.backend_id, (SELECT r.volume_name FROM reservations r WHERE r.claim_uid = c.uid) AS volume_name,
     (SELECT s.body FROM platform_objects s WHERE s.plural = 'storageclasses' AND s.name = c.class_name) AS class, b.ways, coalesce(p.facts -> 'access' ? 'file', false) AS is_file,
     (SELECT o.body #> '{spec,accessModes}' FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims' AND o.uid = c.uid) AS modes
   FROM claims c LEFT JOIN backends b ON b.id = c.backend_id LEFT JOIN pools p ON p.id = c.pool_id
   WHERE c.namespace = $1 AND c.name = $2 ORDER BY c.created_at DESC LIMIT 1`,
);

/** Pods that name a claim, and whether each mounts it for reading alone: the pod says so, or every container does. */
export const sharePods = statement<
  SharePod & { addresses: { type: string; address: string }[] | null },
  [string, string]
>(
  `SELECT p.name AS pod, p.body #>> '{metadata,ownerReferences,0,name}' AS owner, p.body #>> '{spec,nodeName}' AS node,
     coalesce(p.body #>> '{status,phase}', 'Pending') AS phase,
     coalesce((v.volume #>> '{persistentVolumeClaim,readOnly}')::boolean, false)
       OR coalesce((SELECT bool_and(coalesce((m ->> 'readOnly')::boolean, false))
          FROM jsonb_array_elements(p.body #> '{spec,containers}') k, jsonb_array_elements(k -> 'volumeMounts') m
          WHERE m ->> 'name' = v.volume ->> 'name'), false) AS "readOnly",
     (SELECT n.body #> '{status,addresses}' FROM platform_objects n WHERE n.plural = 'nodes' AND n.name = p.body #>> '{spec,nodeName}') AS addresses
   FROM platform_objects p
   CROSS JOIN LATERAL (SELECT x AS volume FROM jsonb_array_elements(p.body #> '{spec,volumes}') x
     WHERE x #>> '{persistentVolumeClaim,claimName}' = $2 LIMIT 1) v
   WHERE p.plural = 'pods' AND p.namespace = $1
     AND p.body #> '{spec,volumes}' @> jsonb_build_array(jsonb_build_object('persistentVolumeClaim', jsonb_build_object('claimName', $2::text)))
   ORDER BY p.name LIMIT ${mostPods + 1}`,
);
