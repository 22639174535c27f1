import type { PodBody } from '@moorage/core/applications/set-shape';
import type { Taint } from '@moorage/core/applications/pods';
import { statement } from '../database/statement';

/** Nodes as pods are placed on them. */
export const nodesForPods = statement<{
  name: string;
  labels: Record<string, string> | null;
  cordoned: boolean;
  ready: boolean;
  taints: Taint[] | null;
  allocatable: { cpu?: string; memory?: string; pods?: string } | null;
  most_volumes: number | null;
}>(
  `SELECT n.name, n.body #> '{metadata,labels}' AS labels, coalesce((n.body #> '{spec,unschedulable}') = 'true'::jsonb, false) AS cordoned,
     coalesce(n.body @? '$.status.conditions[*] ? (@.type == "Ready" && @.status == "True")', false) AS ready,
     n.body #> '{spec,taints}' AS taints, n.body #> '{status,allocatable}' AS allocatable,
     (SELECT (d #>> '{}')::int FROM platform_objects c, jsonb_path_query(c.body, '$.spec.drivers[*].allocatable.count') d
      WHERE c.plural = 'csinodes' AND c.namespace = '' AND c.name = n.name AND d #>> '{}' ~ '^[0-9]{1,6}$' LIMIT 1) AS most_volumes
   FROM platform_objects n WHERE n.plural = 'nodes' AND NOT n.deleting ORDER BY n.name LIMIT 10000`,
);

/** Pods that are on nodes, with what they ask of them and which claims they mount. */
export const podsOnNodes = statement<{
  namespace: string;
  name: string;
  node: string;
  owner: string | null;
  labels: Record<string, string> | null;
  spec: PodBody;
  claims: string[] | null;
}>(
  `SELECT p.namespace, p.name, p.body #>> '{spec,nodeName}' AS node, p.body #>> '{metadata,ownerReferences,0,uid}' AS owner,
     p.body #> '{metadata,labels}' AS labels,
     jsonb_build_object('containers', (SELECT jsonb_agg(jsonb_build_object('resources', c)) FROM jsonb_path_query(p.body, '$.spec.containers[*].resources') c)) AS spec,
     (SELECT array_agg(v #>> '{}') FROM jsonb_path_query(p.body, '$.spec.volumes[*].persistentVolumeClaim.claimName') v) AS claims
   FROM platform_objects p WHERE p.plural = 'pods' AND p.body #>> '{spec,nodeName}' IS NOT NULL
     AND coalesce(p.phase, '') NOT IN ('Succeeded', 'Failed') LIMIT 200000`,
);

/** Claims of these names that are there, and the volumes that they have. */
export const claimsThere = statement<
  { name: string; volume: string | null },
  [namespace: string, names: readonly string[]]
>(
  `SELECT o.name, coalesce(r.volume_name, o.body #>> '{spec,volumeName}') AS volume FROM platform_objects o
   LEFT JOIN reservations r ON r.claim_uid = o.uid
   WHERE o.plural = 'persistentvolumeclaims' AND o.namespace = $1 AND o.name = ANY($2) LIMIT 20000`,
);
