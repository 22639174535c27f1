import type { z } from 'zod';
import type { plannedPlacesSchema } from '@moorage/contract/moorings';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { record } from '../logbook/logbook';

/** Keeps a plan for many claims: each goes to its pool when it comes, as long as every rule still passes there. */
export async function planPlaces(
  database: Database,
  { places }: z.infer<typeof plannedPlacesSchema>,
  person: string,
): Promise<void> {
  const pools = new Set((await database.rows<{ id: string }>('SELECT id FROM pools LIMIT 5000')).map((p) => p.id));
  const strange = places.find((p) => !pools.has(p.pool));
  if (strange) throw HttpProblem.notFound('pool', strange.pool);
  await database.transaction(async (tx) => {
    await database.rows(
      `INSERT INTO planned_places (namespace, claim_name, pool_id, person)
       SELECT n, c, p, $4 FROM unnest($1::text[], $2::text[], $3::text[]) AS x(n, c, p)
       ON CONFLICT (namespace, claim_name) DO UPDATE SET pool_id = excluded.pool_id, person = excluded.person, at = now()`,
      [places.map((p) => p.namespace), places.map((p) => p.claim), places.map((p) => p.pool), person],
      tx,
    );
    const subject = `${places[0]!.namespace}/${places[0]!.claim}`;
    await record(database, { person, action: 'create', kind: 'plan', subject, after: places.slice(0, 200) }, tx);
  });
}
