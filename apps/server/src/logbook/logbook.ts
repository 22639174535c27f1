import type { LogEntry } from '@moorage/contract/logbook';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import type { Sight } from '../people/sight';

export interface Change {
  readonly person: string;
  readonly action: 'create' | 'change' | 'delete' | 'sign-in' | 'reorder';
  readonly kind: 'class' | 'mooring' | 'claim' | 'pool' | 'limit' | 'person' | 'backend' | 'finding' | 'grant' | 'plan';
  readonly subject: string;
  readonly before?: unknown;
  readonly after?: unknown;
}

/** Writes who changed what, from what to what; inside the change's own transaction when there is one. */
export async function record(database: Database, change: Change): Promise<void> {
  const { person, action, kind, subject, before, after } = change;
  await database.rows(
    'INSERT INTO logbook (person, action, kind, subject, before, after) VALUES ($1, $2, $3, $4, $5::jsonb, $6::jsonb)',
    [person, action, kind, subject, JSON.stringify(before ?? null), JSON.stringify(after ?? null)],
  );
  await announce(database, [{ topic: 'logbook' }]);
}

/** Newest first. A namespace owner finds what concerns the own namespaces, and what they did themselves. */
export async function listLogbook(
  database: Database,
  sight: Sight,
  person: string,
  cursor: string | undefined,
  limit: number,
) {
  if (cursor !== undefined && !(/^\d{1,16}$/.test(cursor) && Number.isSafeInteger(Number(cursor))))
    throw HttpProblem.invalid('cursor', 'The cursor is not one that this server gave. Begin again without it.');
  const before = cursor === undefined ? Number.MAX_SAFE_INTEGER : Number(cursor);
  const entries = await database.rows<Omit<LogEntry, 'at'> & { at: Date }>(
    `SELECT id, at, person, action, kind, subject, before, after FROM logbook
     WHERE id < $1 AND ($3::text[] IS NULL OR person = $4 OR (kind IN ('claim', 'limit') AND split_part(subject, '/', 1) = ANY($3)))
     ORDER BY id DESC LIMIT $2`,
    [before, limit + 1, sight.namespaces, person],
  );
  const page = entries.slice(0, limit).map((e) => ({ ...e, at: e.at.toISOString() }));
  return { entries: page, next: entries.length > limit ? String(page[page.length - 1]!.id) : null };
}
