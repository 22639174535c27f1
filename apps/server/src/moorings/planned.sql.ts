import type { KeptPlan } from '@moorage/contract/moorings';
import { statement } from '../database/statement';

/** Plans with claims that are still to come, the newest first. */
export const keptPlans = statement<
  Omit<KeptPlan, 'at' | 'until'> & { at: Date; until: Date | null },
  [namespaces: readonly string[] | null]
>(
  `SELECT plan, array_agg(DISTINCT namespace ORDER BY namespace) AS namespaces, min(claim_name) AS first, sum(claims)::int AS claims,
     jsonb_agg(jsonb_build_object('pool', pool_id, 'claims', claims) ORDER BY claims DESC, pool_id) AS pools, min(person) AS person, max(at) AS at,
     sum(raw_bytes)::bigint AS held, max(held_until) AS until
   FROM (SELECT plan, namespace, pool_id, min(claim_name) AS claim_name, min(person) AS person, max(at) AS at, count(*) AS claims,
       sum(raw_bytes) AS raw_bytes, max(held_until) AS held_until
     FROM planned_places WHERE $1::text[] IS NULL OR namespace = ANY($1) GROUP BY 1, 2, 3) p
   GROUP BY 1 ORDER BY max(at) DESC LIMIT 200`,
);

/** Lets go of the places that claims had in plans before. */
export const forgetPlaces = statement<object, [places: string]>(
  `DELETE FROM planned_places p USING jsonb_to_recordset($1::jsonb) AS x(namespace text, claim text)
   WHERE p.namespace = x.namespace AND p.claim_name = x.claim`,
);

/** Keeps places that are held against others for so many minutes. Their pools are locked, and places that the claims had are gone. */
export const holdPlaces = statement<object, [places: string, person: string, plan: string, minutes: number]>(
  `INSERT INTO planned_places (namespace, claim_name, pool_id, disks, person, plan, class_name, bytes, raw_bytes, backend_iops,
     backend_throughput, copies, held_until)
   SELECT namespace, claim, pool, disks, $2, $3, class_name, bytes, raw_bytes, backend_iops, backend_throughput, copies,
     now() + make_interval(mins => $4)
   FROM jsonb_to_recordset($1::jsonb) AS x(namespace text, claim text, pool text, disks text[], class_name text, bytes bigint,
     raw_bytes bigint, backend_iops double precision, backend_throughput double precision, copies integer) ORDER BY pool, namespace, claim`,
);

/** Lets go of some places on these pools that were held until now; gives their pools. */
export const letHeldGo = statement<{ pool: string }, [pools: readonly string[]]>(
  `WITH gone AS (
     DELETE FROM planned_places WHERE (namespace, claim_name) IN (
       SELECT namespace, claim_name FROM planned_places WHERE held_until < now() AND pool_id = ANY($1) LIMIT 500) RETURNING pool_id
   ) SELECT DISTINCT pool_id AS pool FROM gone`,
);

/** Pools on which places were held until now, and those on which a plan has its places: locked before either is let go of. */
export const poolsOver = statement<{ pool: string }>(
  'SELECT DISTINCT pool_id AS pool FROM planned_places WHERE held_until < now() ORDER BY 1 LIMIT 500',
);
export const poolsOfPlan = statement<{ pool: string }, [plan: string]>(
  'SELECT DISTINCT pool_id AS pool FROM planned_places WHERE plan = $1 ORDER BY 1 LIMIT 5000',
);

export const poolsOfClaims = statement<{ pool: string }, [claims: string]>(
  `SELECT DISTINCT p.pool_id AS pool FROM planned_places p JOIN jsonb_to_recordset($1::jsonb) AS x(namespace text, claim text)
     ON p.namespace = x.namespace AND p.claim_name = x.claim LIMIT 5000`,
);

/** Pools to which classes are moored. */
export const pooledFor = statement<{ pool: string }, [classes: readonly string[]]>(
  'SELECT DISTINCT pool_id AS pool FROM moorings WHERE class_name = ANY($1) ORDER BY 1 LIMIT 5000',
);

/** Keeps the places of a plan, in the place of those that claims had before. There may be tens of thousands. */
export const keepPlaces = statement<object, [places: string, person: string, plan: string]>(
  `INSERT INTO planned_places (namespace, claim_name, pool_id, disks, person, plan)
   SELECT namespace, claim, pool, disks, $2, $3
   FROM jsonb_to_recordset($1::jsonb) AS x(namespace text, claim text, pool text, disks text[])
   ON CONFLICT (namespace, claim_name) DO UPDATE
     SET pool_id = excluded.pool_id, disks = excluded.disks, person = excluded.person, plan = excluded.plan, at = now()
   WHERE planned_places.held_until IS NULL`,
);

/** Lets a plan go; gives what it held. */
export const dropPlaces = statement<{ namespace: string; claim: string; pool: string }, [plan: string]>(
  'DELETE FROM planned_places WHERE plan = $1 RETURNING namespace, claim_name AS claim, pool_id AS pool',
);
