import { randomUUID } from 'node:crypto';
import type { z } from 'zod';
import type { KeptPlan, plannedPlacesSchema } from '@moorage/contract/moorings';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import type { Sight } from '../people/sight';
import { record } from '../logbook/logbook';

/** Keeps a plan for many claims: each goes to its pool when it comes, as long as every rule still passes there. */
export async function planPlaces(
  database: Database,
  { places }: z.infer<typeof plannedPlacesSchema>,
  person: string,
): Promise<void> {
  const claims = new Set<string>();
  for (const { namespace, claim } of places) {
    if (claims.has(`${namespace}/${claim}`))
      throw HttpProblem.invalid('places', `The claim ${namespace}/${claim} is placed twice. Name each claim once.`);
    claims.add(`${namespace}/${claim}`);
  }
  const pools = new Set((await database.rows<{ id: string }>('SELECT id FROM pools LIMIT 5000')).map((p) => p.id));
  const strange = places.find((p) => !pools.has(p.pool));
  if (strange) throw HttpProblem.notFound('pool', strange.pool);
  await database.transaction(async () => {
    await database.rows(
      `INSERT INTO planned_places (namespace, claim_name, pool_id, person, plan)
       SELECT namespace, claim, pool, $2, $3 FROM jsonb_to_recordset($1::jsonb) AS x(namespace text, claim text, pool text)
       ON CONFLICT (namespace, claim_name) DO UPDATE
         SET pool_id = excluded.pool_id, person = excluded.person, plan = excluded.plan, at = now()`,
      [JSON.stringify(places), person, randomUUID()],
    );
    const subject = `${places[0]!.namespace}/${places[0]!.claim}`;
    await record(database, { person, action: 'create', kind: 'plan', subject, after: places.slice(0, 200) });
    await announce(database, [{ topic: 'moorings' }]);
  });
}

/** Plans that claims are still to come for; those that came took their place out of it. */
export async function listPlans(database: Database, sight: Sight): Promise<KeptPlan[]> {
  const rows = await database.rows<Omit<KeptPlan, 'at'> & { at: Date }>(
    `SELECT plan, array_agg(DISTINCT namespace ORDER BY namespace) AS namespaces, min(claim_name) AS first, sum(claims)::int AS claims,
       jsonb_agg(jsonb_build_object('pool', pool_id, 'claims', claims) ORDER BY claims DESC, pool_id) AS pools, min(person) AS person, max(at) AS at
     FROM (SELECT plan, namespace, pool_id, min(claim_name) AS claim_name, min(person) AS person, max(at) AS at, count(*) AS claims
       FROM planned_places WHERE $1::text[] IS NULL OR namespace = ANY($1) GROUP BY 1, 2, 3) p
     GROUP BY 1 ORDER BY max(at) DESC LIMIT 200`,
    [sight.namespaces],
  );
  return rows.map((r) => ({ ...r, at: r.at.toISOString() }));
}

/** Lets a plan go. */
export async function dropPlan(database: Database, plan: string, person: string): Promise<void> {
  await database.transaction(async () => {
    const gone = await database.rows<{ namespace: string; claim_name: string; pool_id: string }>(
      'DELETE FROM planned_places WHERE plan = $1 RETURNING namespace, claim_name, pool_id',
      [plan],
    );
    const [first] = gone;
    if (!first) throw HttpProblem.notFound('plan', plan);
    const subject = `${first.namespace}/${first.claim_name}`;
    await record(database, { person, action: 'delete', kind: 'plan', subject, before: gone.slice(0, 200) });
    await announce(database, [{ topic: 'moorings' }]);
  });
}

/** The claim came: its place in a plan has served. */
export const placeTaken = (database: Database, claim: { namespace: string; name: string }) =>
  database.rows('DELETE FROM planned_places WHERE namespace = $1 AND claim_name = $2', [claim.namespace, claim.name]);
