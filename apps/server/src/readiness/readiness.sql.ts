import type { PoolFacts } from '@moorage/contract/backends';
import { statement } from '../database/statement';

/** Nodes looked at; a page of more tells nobody anything. */
const mostNodes = 2000;

export interface StoredNode {
  name: string;
  addresses: { type: string; address: string }[] | null;
  labels: Record<string, string> | null;
  initiators: string | null;
  ready: string | null;
  drivers: { name: string; topologyKeys?: string[]; allocatable?: { count?: number } }[] | null;
  attached: number;
}

/** Nodes of the platform with what readiness looks at. */
export const nodesSeen = statement<StoredNode, [initiatorsAnnotation: string]>(
  `SELECT n.name, n.body #> '{status,addresses}' AS addresses, n.body #> '{metadata,labels}' AS labels,
     n.body #>> ARRAY['metadata', 'annotations', $1] AS initiators,
     (SELECT c ->> 'status' FROM jsonb_array_elements(n.body #> '{status,conditions}') c WHERE c ->> 'type' = 'Ready') AS ready,
     d.body #> '{spec,drivers}' AS drivers, coalesce(a.attached, 0) AS attached
   FROM platform_objects n
   LEFT JOIN platform_objects d ON d.plural = 'csinodes' AND d.name = n.name
   LEFT JOIN (
     SELECT p.body #>> '{spec,nodeName}' AS node, count(DISTINCT (p.namespace, v #>> '{persistentVolumeClaim,claimName}')) AS attached
     FROM platform_objects p, jsonb_array_elements(p.body #> '{spec,volumes}') v
     WHERE p.plural = 'pods' AND v ? 'persistentVolumeClaim' GROUP BY 1
   ) a ON a.node = n.name
   WHERE n.plural = 'nodes' ORDER BY n.name LIMIT ${mostNodes}`,
);

/** By which protocols each pool is reached. */
export const protocolsOfPools = statement<{ backend_id: string; protocols: PoolFacts['protocols'] }>(
  `SELECT backend_id, facts -> 'protocols' AS protocols FROM pools WHERE gone_since IS NULL LIMIT 5000`,
);
