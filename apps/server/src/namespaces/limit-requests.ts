import { randomUUID } from 'node:crypto';
import type { LimitAnswer, LimitRequest, LimitRequestState, NewLimit, NewLimitRequest } from '@moorage/contract/limits';
import type { Person } from '@moorage/contract/people';
import type { Database } from '../database/database';
import { lockNamespace } from '../database/locks.sql';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { isMirrored } from '../mirror/mirrored';
import { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { siteMoments } from '../usage/use.sql';
import { limitRequests } from './limit-model';
import { limitsOf, putLimits } from './limits';
import { grantsOver } from './limits.sql';

/** Requests of one namespace that may be open at once: more are no help to those who decide. */
const mostOpen = 20;
const mostListed = 500;
const atOnce = 100;

type Row = Awaited<ReturnType<typeof rowOf>>;
const rowOf = async (database: Database, id: string) =>
  (await limitRequests.in(database).findByPk(id, { lock: true })) ?? undefined;

export const requestOf = (row: NonNullable<Row>): LimitRequest => ({
  ...{ id: row.id, namespace: row.namespace, className: row.className || null, measure: row.measure },
  ...{ was: row.was, asked: row.asked, reason: row.reason, neededBy: row.neededBy, person: row.person },
  ...{ at: row.at.toISOString(), state: row.state, granted: row.granted ?? null },
  ...{ endsAt: row.endsAt?.toISOString() ?? null, answer: row.answer ?? null, answeredBy: row.answeredBy ?? null },
  answeredAt: row.answeredAt?.toISOString() ?? null,
});

const tell = (database: Database, namespace: string) =>
  announce(database, [{ topic: 'limits', subject: namespace }, { topic: 'findings' }]);

const subjectOf = ({ namespace, className }: Pick<NonNullable<Row>, 'namespace' | 'className'>): string =>
  className ? `${namespace}/${className}` : namespace;

/** Newest first; of a state where one is named. */
export async function listRequests(
  database: Database,
  sight: Sight,
  state: LimitRequestState | undefined,
): Promise<{ requests: LimitRequest[]; more: boolean }> {
  const rows = await limitRequests.in(database).findAll({
    where: { ...sight.where('namespace'), ...(state && { state }) },
    order: [
      ['at', 'DESC'],
      ['id', 'ASC'],
    ],
    limit: mostListed + 1,
  });
  return { requests: rows.slice(0, mostListed).map(requestOf), more: rows.length > mostListed };
}

/** Asks for a limit that is higher than the one there is. */
export async function askForLimit(
  database: Database,
  namespace: string,
  asked: NewLimitRequest,
  person: Person,
): Promise<LimitRequest> {
  if (!Sight.of(person).sees(namespace) || !(await isMirrored(database, 'namespaces', namespace)))
    throw Refusal.notFound('namespace', namespace);
  const className = asked.className ?? '';
  if (className !== '' && asked.measure === 'snapshots')
    throw Refusal.invalid('className', 'Snapshots are limited for the namespace as a whole. Ask for that.');
  return database.transaction(async () => {
    await lockNamespace(database, namespace);
    const now = (await limitsOf(database, namespace)).find(
      (l) => l.className === className && l.of === asked.measure,
    )?.amount;
    if (now === undefined) throw Refusal.invalid('measure', 'There is no such limit: nothing has to be asked for.');
    if (asked.asked <= now) throw Refusal.invalid('asked', `The limit is ${now} already. Ask for more than that.`);
    const table = limitRequests.in(database);
    if ((await table.count({ where: { namespace, state: 'open' } })) >= mostOpen)
      throw new Refusal(
        'conflict',
        'too-many-open',
        'Too many are open',
        `${mostOpen} requests of ${namespace} are not answered yet. Withdraw some of them first.`,
      );
    const row = await table.create({
      ...{ id: randomUUID(), namespace, className, measure: asked.measure, was: now, asked: asked.asked },
      ...{ reason: asked.reason, neededBy: asked.neededBy, person: person.name },
    });
    await record(database, {
      ...{ person: person.name, action: 'create', kind: 'limit-request', subject: subjectOf(row) },
      after: { measure: asked.measure, was: now, asked: asked.asked, reason: asked.reason, neededBy: asked.neededBy },
    });
    await tell(database, namespace);
    return requestOf(row);
  });
}

/** The request as long as nobody answered it; else says who did. */
async function openRequest(database: Database, id: string): Promise<NonNullable<Row>> {
  const row = await rowOf(database, id);
  if (!row) throw Refusal.notFound('request', id);
  if (row.state !== 'open')
    throw new Refusal(
      'conflict',
      'answered-already',
      'Answered already',
      row.state === 'withdrawn' ? 'It was withdrawn.' : `${row.answeredBy ?? 'Somebody'} answered it already.`,
    );
  return row;
}

/** Takes back what was asked for; only those who see the namespace can. */
export async function withdrawRequest(database: Database, id: string, person: Person): Promise<void> {
  const sight = Sight.of(person);
  await database.transaction(async () => {
    const seen = await limitRequests.in(database).findByPk(id, { raw: true, attributes: ['namespace'] });
    if (!seen || !sight.sees(seen.namespace)) throw Refusal.notFound('request', id);
    const row = await openRequest(database, id);
    await row.update({ state: 'withdrawn', answeredBy: person.name, answeredAt: new Date() });
    await record(database, {
      ...{ person: person.name, action: 'delete', kind: 'limit-request', subject: subjectOf(row) },
      before: { measure: row.measure, asked: row.asked },
    });
    await tell(database, row.namespace);
  });
}

/** Gives what was asked for, less of it, or nothing; a limit that is given ends with its last day where one is named. */
export async function answerRequest(
  database: Database,
  id: string,
  { granted, until, answer }: LimitAnswer,
  person: string,
): Promise<LimitRequest> {
  const seen = await limitRequests.in(database).findByPk(id, { raw: true, attributes: ['namespace'] });
  if (!seen) throw Refusal.notFound('request', id);
  return database.transaction(async () => {
    await lockNamespace(database, seen.namespace);
    const row = await openRequest(database, id);
    const { now } = (await first(siteMoments(database)))!;
    const endsAt = until === null ? null : new Date(Date.parse(`${until}T00:00:00Z`) + 24 * 3_600_000);
    if (granted !== null && endsAt !== null && endsAt <= now)
      throw Refusal.invalid('until', 'That day is over. Name one that is to come, or none.');
    const at = { namespace: row.namespace, className: row.className };
    const before =
      (await limitsOf(database, row.namespace)).find((l) => l.className === row.className && l.of === row.measure)
        ?.amount ?? null;
    if (granted !== null && granted > row.asked)
      throw Refusal.invalid('granted', 'That is more than was asked for. Set the limit itself for that.');
    if (granted !== null && before !== null && granted <= before)
      throw Refusal.invalid('granted', `The limit is ${before} already: that would not be more.`);
    if (granted !== null) {
      const change: NewLimit = { [row.measure]: granted };
      await putLimits(database, at, change, person);
    }
    await row.update({
      ...{ state: granted === null ? 'refused' : 'granted', granted, before, answer: answer || null },
      ...{ endsAt: granted === null ? null : endsAt, answeredBy: person, answeredAt: new Date() },
    });
    await record(database, {
      ...{ person, action: 'change', kind: 'limit-request', subject: subjectOf(row) },
      before: { measure: row.measure, asked: row.asked },
      after: { granted, until, answer },
    });
    await tell(database, row.namespace);
    return requestOf(row);
  });
}

/** Ends what was granted until a day that is over: the limit is what it was before, unless somebody set another one since. */
export async function endGrants(database: Database): Promise<void> {
  for (const { id, namespace } of await grantsOver(database, atOnce))
    await database.transaction(async () => {
      await lockNamespace(database, namespace);
      const row = await rowOf(database, id);
      if (row?.state !== 'granted') return;
      const now =
        (await limitsOf(database, namespace)).find((l) => l.className === row.className && l.of === row.measure)
          ?.amount ?? null;
      const change: NewLimit = { [row.measure]: row.before ?? null };
      const isItsOwn = now === row.granted;
      if (isItsOwn)
        await putLimits(database, { namespace, className: row.className }, change, row.answeredBy ?? row.person);
      await row.update({ state: 'ended' });
      await record(database, {
        ...{ person: row.answeredBy ?? row.person, action: 'change', kind: 'limit-request', subject: subjectOf(row) },
        ...{ before: { granted: row.granted }, after: isItsOwn ? { ended: row.before } : { leftAsItIs: now } },
      });
      await tell(database, namespace);
    });
}
