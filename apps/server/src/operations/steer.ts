import type { Person } from '@moorage/contract/people';
import type { OperationAct } from '@moorage/contract/operations';
import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { mayMove, type Kind, type Work } from './kind';
import { operations, type StoredOperation } from './operation-model';

/** What is of no namespace is seen by who sees everything, and by who began it. */
const isSeen = ({ namespace, person: by }: StoredOperation, sight: Sight, person: Person): boolean =>
  sight.isWhole || by === person.name || (namespace !== null && sight.sees(namespace));

/** What a person may do to an operation as it stands. */
export function actsOn(kind: Kind | undefined, row: StoredOperation, person: Person): OperationAct[] {
  if (!kind || row.endedAt !== null || !kind.steered.includes(person.role)) return [];
  const can: OperationAct[] = [];
  if (row.stopped === 'paused') can.push('resume');
  else if (!row.resting && row.stopped === null) can.push('pause');
  if (row.stopped !== 'paused' && row.error !== null) can.push('retry');
  if (row.cancelledBy === null && kind.undo !== undefined && mayMove(kind, row.state, kind.undo)) can.push('cancel');
  return can;
}

const nowWords: Record<OperationAct, string> = {
  pause: 'paused',
  resume: 'gone on with',
  retry: 'tried again at once',
  cancel: 'called off',
};

const changes: Record<OperationAct, (person: string) => Partial<StoredOperation['_attributes']>> = {
  pause: (person) => ({ stopped: 'paused', stoppedBy: person }),
  resume: () => ({ stopped: null, stoppedBy: null, nextAttemptAt: null }),
  retry: () => ({ stopped: null, nextAttemptAt: null }),
  // what waits for its next try, or for a person, is undone at once
  cancel: (person) => ({ cancelledBy: person, stopped: null, nextAttemptAt: null, attempts: 0 }),
};

/** Pauses an operation, lets it go on, tries it again at once or calls it off; gives its id for whoever carries it. */
export async function steer(
  database: Database,
  works: readonly Work[],
  sight: Sight,
  id: string,
  act: OperationAct,
  person: Person,
): Promise<string> {
  return database.transaction(async () => {
    const row = await operations.in(database).findByPk(id, { lock: true });
    if (!row || !isSeen(row, sight, person)) throw Refusal.notFound('operation', id);
    const work = works.find((w) => w.kind.kind === row.kind);
    if (work && !work.kind.steered.includes(person.role))
      throw new Refusal(
        'forbidden',
        'not-allowed',
        'Not allowed',
        `${work.kind.title} is steered by ${work.kind.steered.join(', ')}. Ask one of them.`,
      );
    if (row.endedAt !== null)
      throw new Refusal(
        'conflict',
        'ended',
        'It has ended',
        'This has ended already; nothing is left to steer. Nothing was changed.',
      );
    if (!actsOn(work?.kind, row, person).includes(act))
      throw new Refusal(
        'conflict',
        'not-now',
        'Not in this state',
        `As it stands it cannot be ${nowWords[act]}. Look at it again; it may have moved on. Nothing was changed.`,
      );
    await row.update(changes[act](person.name));
    const { kind, about } = row;
    await record(database, {
      person: person.name,
      action: 'change',
      kind: 'operation',
      subject: about || row.subject,
      after: { [kind]: nowWords[act] },
    });
    const told = work?.tells({ ...row.get(), state: row.state });
    await announce(database, [...(told ? [told] : []), { topic: 'operations' }]);
    return row.id;
  });
}

const atOnce = 500;

/** Tries again everything that was refused for good and that a person may steer; gives the ids, a bounded number. */
export async function retryRefused(
  database: Database,
  works: readonly Work[],
  person: Person,
): Promise<{ ids: string[]; more: boolean }> {
  const kinds = works.filter((w) => w.kind.steered.includes(person.role)).map((w) => w.kind.kind);
  return database.transaction(async () => {
    const table = operations.in(database);
    const rows = await table.scope('stopped').findAll({
      attributes: ['id'],
      where: { kind: kinds, stopped: 'refused' },
      order: ['createdAt', 'id'],
      limit: atOnce + 1,
      raw: true,
    });
    const ids = rows.slice(0, atOnce).map((r) => r.id);
    await table.update(
      { stopped: null, nextAttemptAt: null },
      { where: { id: { [Op.in]: ids }, stopped: 'refused', endedAt: null } },
    );
    if (ids.length > 0) await announce(database, [{ topic: 'operations' }, { topic: 'claims' }]);
    return { ids, more: rows.length > atOnce };
  });
}
