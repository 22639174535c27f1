import { randomUUID } from 'node:crypto';
import type { KeptPlan, plannedPlacesSchema } from '@moorage/contract/moorings';
import type { z } from 'zod';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import type { Sight } from '../people/sight';
import { pools } from '../pools/pool-model';
import { Refusal } from '../refusals/refusal';
import { plannedPlaces } from './planned-model';
import { asRecords } from '../database/statement';
import { dropPlaces, keepPlaces, keptPlans } from './planned.sql';

/** Keeps a plan for many claims: each goes to its pool when it comes, as long as every rule still passes there. */
export async function planPlaces(
  database: Database,
  { places }: z.infer<typeof plannedPlacesSchema>,
  person: string,
): Promise<void> {
  const claims = new Set<string>();
  for (const { namespace, claim } of places) {
    if (claims.has(`${namespace}/${claim}`))
      throw Refusal.invalid('places', `The claim ${namespace}/${claim} is placed twice. Name each claim once.`);
    claims.add(`${namespace}/${claim}`);
  }
  const named = [...new Set(places.map((p) => p.pool))];
  const known = await pools
    .in(database)
    .findAll({ raw: true, attributes: ['id'], where: { id: named }, limit: named.length });
  const strange = places.find(({ pool }) => !known.some((k) => k.id === pool));
  if (strange) throw Refusal.notFound('pool', strange.pool);
  await database.transaction(async () => {
    await keepPlaces(database, asRecords(places), person, randomUUID());
    const subject = `${places[0]!.namespace}/${places[0]!.claim}`;
    await record(database, { person, action: 'create', kind: 'plan', subject, after: places.slice(0, 200) });
    await announce(database, [{ topic: 'moorings' }]);
  });
}

/** Plans that claims are still to come for; those that came took their place out of it. */
export async function listPlans(database: Database, sight: Sight): Promise<KeptPlan[]> {
  const rows = await keptPlans(database, sight.namespaces);
  return rows.map((r) => ({ ...r, at: r.at.toISOString() }));
}

/** Lets a plan go. */
export async function dropPlan(database: Database, plan: string, person: string): Promise<void> {
  await database.transaction(async () => {
    const gone = await dropPlaces(database, plan);
    const [one] = gone;
    if (!one) throw Refusal.notFound('plan', plan);
    const subject = `${one.namespace}/${one.claim}`;
    await record(database, { person, action: 'delete', kind: 'plan', subject, before: gone.slice(0, 200) });
    await announce(database, [{ topic: 'moorings' }]);
  });
}

/** The claim came: its place in a plan has served. */
export const placeTaken = (database: Database, { namespace, name }: { namespace: string; name: string }) =>
  plannedPlaces.in(database).destroy({ where: { namespace, claimName: name } });
