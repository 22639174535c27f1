import type { PodBody } from '@moorage/core/applications/set-shape';
import { statement } from '../database/statement';

export interface PodOnNode {
  namespace: string;
  name: string;
  uid: string;
  owner: string | null;
  owner_kind: string | null;
  owner_name: string | null;
  labels: Record<string, string> | null;
  spec: PodBody;
  /** It keeps data on the node itself. */
  local: boolean;
  deleting: boolean;
  claims: string[] | null;
  volumes: string[] | null;
}

/** Pods on a node that have not ended, with what they ask of another and which volumes they take along. */
export const podsOnNode = statement<PodOnNode, [node: string]>(
  `SELECT p.namespace, p.name, p.uid, p.deleting, o.value ->> 'uid' AS owner, o.value ->> 'kind' AS owner_kind, o.value ->> 'name' AS owner_name,
     p.body #> '{metadata,labels}' AS labels,
     coalesce(p.body @? '$.spec.volumes[*] ? (exists(@.emptyDir) || exists(@.hostPath))', false) AS local,
     jsonb_strip_nulls(jsonb_build_object('nodeSelector', p.body #> '{spec,nodeSelector}', 'tolerations', p.body #> '{spec,tolerations}',
       'topologySpreadConstraints', p.body #> '{spec,topologySpreadConstraints}',
       'containers', (SELECT jsonb_agg(jsonb_build_object('resources', c)) FROM jsonb_path_query(p.body, '$.spec.containers[*].resources') c))) AS spec,
     c.claims, v.volumes
   FROM platform_objects p
   LEFT JOIN LATERAL (SELECT q AS value FROM jsonb_path_query(p.body, '$.metadata.ownerReferences[*]') q LIMIT 1) o ON true
   LEFT JOIN LATERAL (SELECT array_agg(q #>> '{}') AS claims FROM jsonb_path_query(p.body, '$.spec.volumes[*].persistentVolumeClaim.claimName') q) c ON true
   LEFT JOIN LATERAL (SELECT array_agg(coalesce(r.volume_name, k.body #>> '{spec,volumeName}')) AS volumes FROM platform_objects k
     LEFT JOIN reservations r ON r.claim_uid = k.uid
     WHERE k.plural = 'persistentvolumeclaims' AND k.namespace = p.namespace AND k.name = ANY(c.claims)) v ON true
   WHERE p.plural = 'pods' AND p.body #>> '{spec,nodeName}' = $1 AND coalesce(p.phase, '') NOT IN ('Succeeded', 'Failed')
   ORDER BY p.namespace, p.name LIMIT 5000`,
);

/** Disruption budgets of these namespaces. */
export const budgetsOf = statement<
  {
    namespace: string;
    name: string;
    labels: Record<string, string> | null;
    allowed: number | null;
    expected: number | null;
    desired: number | null;
  },
  [namespaces: readonly string[]]
>(
  `SELECT namespace, name, body #> '{spec,selector,matchLabels}' AS labels, (substring(body #>> '{status,disruptionsAllowed}' FROM '^[0-9]{1,6}$'))::int AS allowed,
     (substring(body #>> '{status,expectedPods}' FROM '^[0-9]{1,6}$'))::int AS expected,
     (substring(body #>> '{status,desiredHealthy}' FROM '^[0-9]{1,6}$'))::int AS desired
   FROM platform_objects WHERE plural = 'poddisruptionbudgets' AND namespace = ANY($1) ORDER BY namespace, name LIMIT 5000`,
);

/** Claims whose last copy in step lies on a node: without it their data is out of reach. */
export const lastCopiesOn = statement<{ claim: string }, [node: string]>(
  `SELECT DISTINCT r.namespace || '/' || r.claim_name AS claim FROM reservation_copies c JOIN reservations r ON r.claim_uid = c.claim_uid
   JOIN pools p ON p.id = c.pool_id JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
   WHERE c.node = $1 AND c.role = 'data' AND p.facts #>> '{redundancy,scheme,kind}' IS DISTINCT FROM 'erasure'
     AND EXISTS (SELECT 1 FROM jsonb_path_query(v.copies, '$[*] ? (@.state == "Synchronized")') q WHERE q ->> 'node' = $1)
     AND NOT EXISTS (SELECT 1 FROM jsonb_path_query(v.copies, '$[*] ? (@.state == "Synchronized")') q WHERE q ->> 'node' <> $1)
   ORDER BY 1 LIMIT 200`,
);

/** What a pod says of how long it endures a mark of its node. */
const endures = (mark: string) =>
  `'$.spec.tolerations[*] ? ((@.key == "node.kubernetes.io/${mark}" || !exists(@.key)) && (@.effect == "NoExecute" || !exists(@.effect)))'::jsonpath`;

/** Nodes as one empties and opens them. */
export const nodesListed = statement<{
  name: string;
  zone: string | null;
  rack: string | null;
  cordoned: boolean;
  ready: boolean;
  since: string | null;
  off: boolean;
  ending: number;
  staying: number;
  never: number;
  tainted_at: string | null;
  first_s: number | null;
  last_s: number | null;
}>(
  `SELECT n.name, n.body #>> '{metadata,labels,topology.kubernetes.io/zone}' AS zone,
     (SELECT l ->> 'value' FROM jsonb_path_query(n.body, '$.metadata.labels.keyvalue()') l WHERE l ->> 'key' LIKE '%/rack' ORDER BY l ->> 'key' LIMIT 1) AS rack,
     coalesce((n.body #> '{spec,unschedulable}') = 'true'::jsonb, false) AS cordoned,
     coalesce(n.body @? '$.status.conditions[*] ? (@.type == "Ready" && @.status == "True")', false) AS ready,
     coalesce(n.body @? '$.spec.taints[*] ? (@.key == "node.kubernetes.io/out-of-service")', false) AS off,
     -- of nodes that are well, pods end by themselves: only the others are asked for
     CASE WHEN n.body @? '$.status.conditions[*] ? (@.type == "Ready" && @.status == "True")' THEN 0
       ELSE (SELECT count(*)::int FROM platform_objects p WHERE p.plural = 'pods' AND p.body #>> '{spec,nodeName}' = n.name AND p.deleting) END AS ending,
     (SELECT c ->> 'lastTransitionTime' FROM jsonb_path_query(n.body, '$.status.conditions[*] ? (@.type == "Ready")') c LIMIT 1) AS since,
     coalesce(stays.pods, 0)::int AS staying, coalesce(stays.never, 0)::int AS never, lost.at AS tainted_at, stays.first_s, stays.last_s
   FROM platform_objects n
   -- the platform's own mark of a node that is not heard of, or not ready
   LEFT JOIN LATERAL (SELECT t ->> 'key' AS key, t ->> 'timeAdded' AS at FROM jsonb_path_query(n.body,
       '$.spec.taints[*] ? (@.effect == "NoExecute" && (@.key == "node.kubernetes.io/unreachable" || @.key == "node.kubernetes.io/not-ready"))') t LIMIT 1) lost ON true
   -- how long its pods endure that, seconds, by what they say
   LEFT JOIN LATERAL (SELECT count(*) AS pods, count(*) FILTER (WHERE e.seconds IS NULL) AS never, min(e.seconds) AS first_s, max(e.seconds) AS last_s
     FROM (SELECT CASE WHEN count(t) = 0 THEN 0 ELSE min((t #>> '{tolerationSeconds}')::double precision) END AS seconds
       FROM platform_objects p LEFT JOIN LATERAL jsonb_path_query(p.body,
           CASE WHEN lost.key = 'node.kubernetes.io/unreachable' THEN ${endures('unreachable')} ELSE ${endures('not-ready')} END) t ON true
       WHERE p.plural = 'pods' AND p.body #>> '{spec,nodeName}' = n.name AND NOT p.deleting GROUP BY p.uid) e) stays ON lost.key IS NOT NULL
   WHERE n.plural = 'nodes' AND NOT n.deleting ORDER BY n.name LIMIT 10000`,
);

/** How long ways took so far, of whatever class and backend, seconds. */
export const allMeasured = statement<{ count: number; half: number; most: number }>(
  `SELECT count(*) AS count, coalesce(percentile_cont(0.5) WITHIN GROUP (ORDER BY t.seconds), 0) AS half,
     coalesce(percentile_cont(0.9) WITHIN GROUP (ORDER BY t.seconds), 0) AS most
   FROM (SELECT extract(epoch FROM ready_at - ended_at)::float8 AS seconds FROM moves WHERE ready_at IS NOT NULL ORDER BY id DESC LIMIT 500) t`,
);
