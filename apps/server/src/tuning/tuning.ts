import type { ClaimRow } from '@moorage/contract/claims';
import type { Rates, TuningAnswer, TuningRequest } from '@moorage/contract/tuning';
import { readTuned } from '@moorage/core/classes/manifest';
import { tunableRates, tune, type Tuning } from '@moorage/core/placement/tuning';
import { tunables, type Tuned } from '@moorage/core/classes/tunable';
import type { GrowthInput } from '@moorage/core/placement/growth';
import { getClaim } from '../claims/claims';
import type { StoredClaim } from '../claims/claims.sql';
import type { Database } from '../database/database';
import { boundClaim, isHeld } from '../growth/bound';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { beginOperations } from '../operations/operations';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import type { Reserved } from '../reservations/reservation.sql';
import { tuning } from './kind';
import { tunings } from './tuning-model';

interface At {
  readonly namespace: string;
  readonly name: string;
}

export const ratesOf = (reserved: Reserved): Rates => ({
  ...{ iopsFloor: reserved.iops_floor, iopsCeiling: reserved.iops_ceiling },
  ...{ throughputFloor: reserved.throughput_floor, throughputCeiling: reserved.throughput_ceiling },
});

const isRate = (setting: string): boolean => (tunableRates as readonly string[]).includes(setting);

/** What the claim tunes afterwards: its rates as they are asked, and whatever else it tunes as it stands. */
export const withRates = (tuned: Tuned | undefined, rates: Tuned): Tuned => ({
  ...Object.fromEntries(Object.entries(tuned ?? {}).filter(([setting]) => !isRate(setting))),
  ...rates,
});

/** The same claim, asking for these rates. */
export const asking = (input: GrowthInput, wanted: Tuned): GrowthInput => ({
  ...input,
  claim: { ...input.claim, tuned: withRates(input.claim.tuned, wanted) },
});

const refused = { code: 'cannot-tune', title: 'It cannot be tuned' };

/** The rates among what a claim tunes. */
export const ratesIn = (tuned: Tuned | undefined): TuningRequest['tuned'] =>
  Object.fromEntries(Object.entries(tuned ?? {}).filter(([s, v]) => isRate(s) && typeof v === 'number'));

/** The rates that a claim says it tunes. */
export function ownRates({ body }: StoredClaim): TuningRequest['tuned'] {
  const { annotations } = body.metadata as { annotations?: Record<string, string> };
  return ratesIn(readTuned(annotations));
}

async function look(database: Database, site: string, sight: Sight, at: At, wanted: Tuned) {
  const { row, facts } = await boundClaim(database, site, sight, at, refused);
  const answer = tune(asking(facts.input, wanted));
  return { row, answer, reply: { now: ratesOf(facts.reserved), tuned: ownRates(row), tuning: answer } };
}

/** What tuning would come to, as things stand; throws when there is no such claim, or no volume of ours. */
export const planTuning = async (
  database: Database,
  site: string,
  sight: Sight,
  at: At,
  { tuned }: TuningRequest,
): Promise<TuningAnswer> => (await look(database, site, sight, at, tuned)).reply as TuningAnswer;

const refuse = (detail: string) =>
  new Refusal('conflict', refused.code, `${refused.title} so`, `${detail} Nothing was changed.`);

/** Why a claim cannot be tuned so, in a sentence; undefined when it can. */
export function objectionTo(answer: Tuning): string | undefined {
  if (answer.kind === 'pool-gone') return `The pool ${answer.pool} is not known any more.`;
  if (answer.kind === 'floor-above-ceiling')
    return `The ${answer.of} floor of ${answer.floor} would be above its ceiling of ${answer.ceiling}: the pool would have to give more than it lets through.`;
  const failed = answer.on.flatMap((t) => t.checks.filter((c) => !c.passed).map((c) => ({ ...c, pool: t.pool })))[0];
  return (
    failed &&
    `The pool ${failed.pool} refuses it by the rule "${failed.rule}": needs ${failed.need}, has ${failed.have}.`
  );
}

/** Begins the operation that tunes a claim, inside a transaction; refused while something else is under way that its rates depend on. Gives its id. */
export async function beginTuning(
  database: Database,
  { namespace, name, uid }: At & { readonly uid: string },
  tuned: TuningRequest['tuned'],
  person: string,
): Promise<string[]> {
  const about = `${namespace}/${name}`;
  if (await isHeld(database, uid, 'size'))
    throw refuse(`${about} is growing, or its copies change: its rates follow both. Tune it when that has ended.`);
  const made = await beginOperations(database, tuning, [uid], { about, namespace, person });
  if (made.length === 0) throw refuse(`${about} is being tuned already.`);
  await tunings.in(database).create({ operationId: made[0]!, claimUid: uid, wanted: tuned });
  await record(database, { person, action: 'change', kind: 'claim', subject: about, after: { tuned } });
  await announce(database, [{ topic: 'claims', subject: about }, { topic: 'operations' }]);
  return made;
}

/** Begins to tune a claim. What its class does not allow, or its pool cannot promise, is refused before anything is done. */
export async function tuneClaim(
  database: Database,
  site: string,
  sight: Sight,
  at: At,
  { tuned }: TuningRequest,
  person: string,
  carry: (operations: readonly string[]) => void,
): Promise<ClaimRow> {
  const { row, answer } = await look(database, site, sight, at, tuned);
  const objection = objectionTo(answer);
  if (objection !== undefined) throw refuse(objection);
  const begun = await database.transaction(() => beginTuning(database, { ...at, uid: row.uid }, tuned, person));
  carry(begun);
  return (await getClaim(database, sight, at.namespace, at.name)).claim;
}

/** Annotations that say what a claim tunes: those of its rates, null where one goes. */
export const annotationsOf = (tuned: Tuned): Record<string, string | null> =>
  Object.fromEntries(
    tunables.filter(isRate).map((setting) => [setting, tuned[setting] === undefined ? null : String(tuned[setting])]),
  );
