import type { KeptPlan } from '@moorage/contract/moorings';
import { statement } from '../database/statement';

/** Plans with claims that are still to come, the newest first. */
export const keptPlans = statement<Omit<KeptPlan, 'at'> & { at: Date }, [namespaces: readonly string[] | null]>(
  `SELECT plan, array_agg(DISTINCT namespace ORDER BY namespace) AS namespaces, min(claim_name) AS first, sum(claims)::int AS claims,
     jsonb_agg(jsonb_build_object('pool', pool_id, 'claims', claims) ORDER BY claims DESC, pool_id) AS pools, min(person) AS person, max(at) AS at
   FROM (SELECT plan, namespace, pool_id, min(claim_name) AS claim_name, min(person) AS person, max(at) AS at, count(*) AS claims
     FROM planned_places WHERE $1::text[] IS NULL OR namespace = ANY($1) GROUP BY 1, 2, 3) p
   GROUP BY 1 ORDER BY max(at) DESC LIMIT 200`,
);
