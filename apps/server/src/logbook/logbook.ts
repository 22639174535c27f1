import type { Change } from './change';
import type { LogEntry } from '@moorage/contract/logbook';
import { col, fn, Op, where } from 'sequelize';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { logbook } from './logbook-model';

/** Writes who changed what, from what to what; inside the change's own transaction when there is one. */
export async function record(database: Database, change: Change): Promise<void> {
  await logbook
    .in(database)
    .create(
      { ...change, before: change.before ?? null, after: change.after ?? null },
      { returning: false, validate: false, hooks: false },
    );
  await announce(database, [{ topic: 'logbook' }]);
}

/** The same of many changes at once. */
export async function recordAll(database: Database, changes: readonly Change[]): Promise<void> {
  if (changes.length === 0) return;
  const rows = changes.map((change) => ({ ...change, before: change.before ?? null, after: change.after ?? null }));
  await logbook.in(database).bulkCreate(rows, { returning: false });
  await announce(database, [{ topic: 'logbook' }]);
}

/** What concerns namespaces: their claims and limits, whose names begin with theirs. */
const ofNamespaces = (namespaces: readonly string[]) => ({
  kind: ['claim', 'limit', 'limit-request', 'volume', 'bucket', 'bucket-key'],
  [Op.and]: where(fn('split_part', col('subject'), '/', 1), { [Op.in]: [...namespaces] }),
});

/** Newest first. A namespace owner finds what concerns the own namespaces, and what they did themselves. */
export async function listLogbook(
  database: Database,
  sight: Sight,
  person: string,
  cursor: string | undefined,
  limit: number,
) {
  if (cursor !== undefined && !(/^\d{1,16}$/.test(cursor) && Number.isSafeInteger(Number(cursor))))
    throw Refusal.invalid('cursor', 'The cursor is not one that this server gave. Begin again without it.');
  const before = cursor === undefined ? Number.MAX_SAFE_INTEGER : Number(cursor);
  const entries = await logbook.in(database).findAll({
    where: {
      id: { [Op.lt]: before },
      ...(sight.namespaces && { [Op.or]: [{ person }, ofNamespaces(sight.namespaces)] }),
    },
    order: [['id', 'DESC']],
    limit: limit + 1,
  });
  const page = entries.slice(0, limit).map((e): LogEntry => ({ ...e.get(), at: e.at.toISOString() }));
  return { entries: page, next: entries.length > limit ? String(page[page.length - 1]!.id) : null };
}
