import { randomUUID } from 'node:crypto';
import type { KeptPlan, plannedPlacesSchema } from '@moorage/contract/moorings';
import type { z } from 'zod';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import type { Sight } from '../people/sight';
import { pools } from '../pools/pool-model';
import { Refusal } from '../refusals/refusal';
import { lockPools } from '../pools/pools.sql';
import { plannedPlaces } from './planned-model';
import { asRecords } from '../database/statement';
import {
  dropPlaces,
  forgetPlaces,
  holdPlaces,
  keepPlaces,
  keptPlans,
  letHeldGo,
  poolsOfClaims,
  pooledFor,
  poolsOfPlan,
  poolsOver,
} from './planned.sql';

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
    const before = (await poolsOfClaims(database, asRecords(places))).map((p) => p.pool);
    if (before.length > 0) await lockPools(database, before);
    await forgetPlaces(database, asRecords(places));
    await keepPlaces(database, asRecords(places), person, randomUUID());
    const subject = `${places[0]!.namespace}/${places[0]!.claim}`;
    await record(database, { person, action: 'create', kind: 'plan', subject, after: places.slice(0, 200) });
    await announce(database, [{ topic: 'moorings' }]);
  });
}

/** How long places are held for claims that are to come at once, minutes: as long as replicas that start one after the other take. */
export const holdMinutes = 60;

export interface HeldPlace {
  readonly namespace: string;
  readonly claim: string;
  readonly class_name: string;
  readonly pool: string;
  readonly disks: readonly string[];
  /** Of the disks, the first so many hold data. */
  readonly copies: number;
  readonly bytes: number;
  readonly raw_bytes: number;
  readonly backend_iops: number;
  readonly backend_throughput: number;
}

/**
 * Plans under the locks of the pools to which these classes are moored, and holds what was planned: whoever plans or decides at the
 * same time finds it taken.
 */
export function holdPlanned<T>(
  database: Database,
  classes: readonly string[] | 'any',
  person: string,
  name: string,
  plan: () => Promise<{ readonly places: readonly HeldPlace[]; readonly outcome: T }>,
): Promise<T> {
  return database.transaction(async () => {
    const named = classes === 'any' ? null : (await pooledFor(database, [...new Set(classes)])).map((p) => p.pool);
    if (named?.length !== 0) await lockPools(database, named);
    const { places, outcome } = await plan();
    if (places.length > 0) {
      await forgetPlaces(database, asRecords(places));
      await holdPlaces(database, asRecords(places), person, name, holdMinutes);
    }
    return outcome;
  });
}

/** What is held for a claim; asked once its pools are locked. */
export const heldFor = async (database: Database, namespace: string, name: string) => {
  const held = await plannedPlaces.in(database).findOne({ raw: true, where: { namespace, claimName: name } });
  return held?.heldUntil ? held : undefined;
};

/** Lets go of what was held too long: its claims did not come. */
export async function endHolds(database: Database): Promise<void> {
  const over = (await poolsOver(database)).map((p) => p.pool);
  if (over.length === 0) return;
  await database.transaction(async () => {
    await lockPools(database, over);
    const gone = await letHeldGo(database, over);
    if (gone.length > 0)
      await announce(database, [
        { topic: 'moorings' },
        ...gone.map(({ pool: subject }) => ({ topic: 'pools' as const, subject })),
      ]);
  });
}

/** Plans that claims are still to come for; those that came took their place out of it. */
export async function listPlans(database: Database, sight: Sight): Promise<KeptPlan[]> {
  const rows = await keptPlans(database, sight.namespaces);
  return rows.map((r) => ({ ...r, at: r.at.toISOString(), until: r.until?.toISOString() ?? null }));
}

/** Lets go of what a plan holds, under the locks of its pools. */
async function letGo(database: Database, plan: string) {
  const named = (await poolsOfPlan(database, plan)).map((p) => p.pool);
  if (named.length > 0) await lockPools(database, named);
  return dropPlaces(database, plan);
}

/** What was held for something that did not come about is free again. */
export const releaseHeld = (database: Database, plan: string): Promise<unknown> =>
  database.transaction(async () => {
    const gone = await letGo(database, plan);
    if (gone.length > 0)
      await announce(
        database,
        [...new Set(gone.map((g) => g.pool))].map((subject) => ({ topic: 'pools' as const, subject })),
      );
  });

/** Claims that are not to come any more leave what was held for them. */
export const releaseClaims = (
  database: Database,
  claims: readonly { readonly namespace: string; readonly claim: string }[],
): Promise<unknown> =>
  database.transaction(async () => {
    const named = [...new Set((await poolsOfClaims(database, asRecords(claims))).map((p) => p.pool))].sort();
    if (named.length === 0) return;
    await lockPools(database, named);
    await forgetPlaces(database, asRecords(claims));
    await announce(
      database,
      named.map((subject) => ({ topic: 'pools' as const, subject })),
    );
  });

/** Lets a plan go. */
export async function dropPlan(database: Database, plan: string, person: string): Promise<void> {
  await database.transaction(async () => {
    const gone = await letGo(database, plan);
    const [one] = gone;
    if (!one) throw Refusal.notFound('plan', plan);
    const subject = `${one.namespace}/${one.claim}`;
    await record(database, { person, action: 'delete', kind: 'plan', subject, before: gone.slice(0, 200) });
    await announce(database, [
      { topic: 'moorings' },
      // room that was held is free again
      ...[...new Set(gone.map((g) => g.pool))].map((subject) => ({ topic: 'pools' as const, subject })),
    ]);
  });
}

/** The claim came: its place in a plan has served. */
export const placeTaken = (database: Database, { namespace, name }: { namespace: string; name: string }) =>
  plannedPlaces.in(database).destroy({ where: { namespace, claimName: name } });
