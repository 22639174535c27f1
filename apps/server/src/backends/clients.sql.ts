import { statement } from '../database/statement';

/** The node of the platform that has an address. */
export const nodesAt = statement<{ name: string }, [address: string]>(
  `SELECT name FROM platform_objects WHERE plural = 'nodes'
   AND body #> '{status,addresses}' @> jsonb_build_array(jsonb_build_object('type', 'InternalIP', 'address', $1::text)) LIMIT 1`,
);

/** A pod on a node that uses a claim on a backend. */
export const usersThere = statement<{ pod: string; claim: string }, [node: string, backend: string]>(
  `SELECT p.namespace || '/' || p.name AS pod, r.claim_name AS claim
   FROM platform_objects p, jsonb_array_elements(p.body #> '{spec,volumes}') v, reservations r, pools o
   WHERE p.plural = 'pods' AND p.body #>> '{spec,nodeName}' = $1
     AND r.namespace = p.namespace AND r.claim_name = v #>> '{persistentVolumeClaim,claimName}'
     AND o.id = r.pool_id AND o.backend_id = $2 LIMIT 1`,
);
