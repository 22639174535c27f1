import type { OperationPage, OperationQuery, OperationRow } from '@moorage/contract/operations';
import type { Person } from '@moorage/contract/people';
import { Op, type WhereOptions } from 'sequelize';
import type { Database } from '../database/database';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import type { Work } from './kind';
import { operations, type StoredOperation } from './operation-model';
import { actsOn } from './steer';

function statusOf(row: StoredOperation): OperationRow['status'] {
  if (row.endedAt !== null) return 'ended';
  if (row.stopped !== null) return row.stopped;
  if (row.error !== null) return 'retrying';
  return row.resting ? 'waiting' : 'running';
}

function progressOf({ total, remaining, unit, movedSince }: StoredOperation, now: Date): OperationRow['progress'] {
  if (total === null || remaining === null || unit === null) return null;
  const moved = total - remaining;
  const seconds = movedSince ? (now.getTime() - movedSince.getTime()) / 1000 : 0;
  // by what was moved so far; nothing is said of the first moments
  const etaSeconds = moved > 0 && seconds > 1 ? Math.round((remaining / moved) * seconds) : null;
  return { total, remaining, unit, etaSeconds };
}

function toRow(works: readonly Work[], row: StoredOperation, person: Person): OperationRow {
  const kind = works.find((w) => w.kind.kind === row.kind)?.kind;
  return {
    id: row.id,
    kind: row.kind,
    title: kind?.title ?? row.kind,
    about: row.about || row.subject,
    person: row.person,
    state: row.state,
    words: kind?.states[row.state]?.words ?? row.state,
    status: statusOf(row),
    isUndone: row.cause !== null,
    cause: row.cause,
    progress: progressOf(row, new Date()),
    attempts: row.attempts,
    error: row.error,
    nextAttemptAt: row.error && row.stopped === null ? (row.nextAttemptAt?.toISOString() ?? null) : null,
    stoppedBy: row.stoppedBy,
    createdAt: row.createdAt.toISOString(),
    updatedAt: row.updatedAt.toISOString(),
    endedAt: row.endedAt?.toISOString() ?? null,
    callsOff: kind?.callsOff ?? null,
    can: actsOn(kind, row, person),
  };
}

const scopes = { 'under-way': 'underWay', stopped: 'stopped', ended: 'ended' } as const;
/** What is newest is told by when it began; of what has ended, by when. */
const newest = { 'under-way': 'createdAt', stopped: 'createdAt', ended: 'endedAt' } as const;
const cursorForm = /^(\d{4}-\d\d-\d\dT[\d:.]+Z)\/([0-9a-f-]{36})$/;

/** Operations, newest first, a page at a time; those of other namespaces are left out for who sees only their own. */
export async function listOperations(
  database: Database,
  works: readonly Work[],
  sight: Sight,
  person: Person,
  { show, kind, cursor, limit }: OperationQuery,
): Promise<OperationPage> {
  const seen: WhereOptions = {
    ...(sight.namespaces && { [Op.or]: [{ namespace: [...sight.namespaces] }, { person: person.name }] }),
    ...(kind !== undefined && { kind }),
  };
  const by = newest[show];
  const from = cursor === undefined ? undefined : cursorForm.exec(cursor);
  if (from === null || (from && Number.isNaN(Date.parse(from[1]!))))
    throw Refusal.invalid('cursor', 'The cursor is not one that this server gave. Begin again without it.');
  const after = from && {
    [Op.or]: [{ [by]: { [Op.lt]: new Date(from[1]!) } }, { [by]: new Date(from[1]!), id: { [Op.lt]: from[2]! } }],
  };
  const table = operations.in(database);
  const rows = await table.scope(scopes[show]).findAll({
    where: { [Op.and]: [seen, ...(after ? [after] : [])] },
    order: [
      [by, 'DESC'],
      ['id', 'DESC'],
    ],
    limit: limit + 1,
  });
  const [underWay, stopped] = await Promise.all([
    table.scope('underWay').count({ where: { [Op.and]: [seen, { stopped: null }] } }),
    table.scope('stopped').count({ where: seen }),
  ]);
  const page = rows.slice(0, limit);
  const last = page[page.length - 1];
  return {
    rows: page.map((row) => toRow(works, row, person)),
    next: rows.length > limit && last ? `${last[by]!.toISOString()}/${last.id}` : null,
    underWay,
    stopped,
    kinds: works.map(({ kind: { kind, title } }) => ({ kind, title })),
  };
}

/** One operation as it stands now. */
export async function getOperation(
  database: Database,
  works: readonly Work[],
  id: string,
  person: Person,
): Promise<OperationRow> {
  const row = await operations.in(database).findByPk(id);
  if (!row) throw Refusal.notFound('operation', id);
  return toRow(works, row, person);
}
