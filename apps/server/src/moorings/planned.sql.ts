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

/** Keeps the places of a plan, in the place of those that claims had before. There may be tens of thousands. */
export const keepPlaces = statement<object, [places: string, person: string, plan: string]>(
  `INSERT INTO planned_places (namespace, claim_name, pool_id, disks, person, plan)
   SELECT namespace, claim, pool, disks, $2, $3
   FROM jsonb_to_recordset($1::jsonb) AS x(namespace text, claim text, pool text, disks text[])
   ON CONFLICT (namespace, claim_name) DO UPDATE
     SET pool_id = excluded.pool_id, disks = excluded.disks, person = excluded.person, plan = excluded.plan, at = now()`,
);

/** Lets a plan go; gives what it held. */
export const dropPlaces = statement<{ namespace: string; claim: string; pool: string }, [plan: string]>(
  'DELETE FROM planned_places WHERE plan = $1 RETURNING namespace, claim_name AS claim, pool_id AS pool',
);
