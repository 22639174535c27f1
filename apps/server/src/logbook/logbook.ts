import type { LogEntry } from '@moorage/contract/logbook';
import type { Database, Transaction } from '../database/database';
import { announce } from '../live/announce';

export interface Change {
  readonly person: string;
  readonly action: 'create' | 'change' | 'delete' | 'sign-in' | 'reorder';
  readonly kind: 'class' | 'mooring' | 'claim' | 'pool' | 'limit' | 'person' | 'backend' | 'finding' | 'grant' | 'plan';
  readonly subject: string;
  readonly before?: unknown;
  readonly after?: unknown;
}

/** Writes who changed what, from what to what; inside the change's own transaction when there is one. */
export async function record(database: Database, change: Change, transaction?: Transaction): Promise<void> {
  const { person, action, kind, subject, before, after } = change;
  await database.rows(
    'INSERT INTO logbook (person, action, kind, subject, before, after) VALUES ($1, $2, $3, $4, $5::jsonb, $6::jsonb)',
    [person, action, kind, subject, JSON.stringify(before ?? null), JSON.stringify(after ?? null)],
    transaction,
  );
  await announce(database, [{ topic: 'logbook' }], transaction);
}

export async function listLogbook(database: Database, cursor: string | undefined, limit: number) {
  const before = cursor && /^\d+$/.test(cursor) ? Number(cursor) : Number.MAX_SAFE_INTEGER;
  const entries = await database.rows<Omit<LogEntry, 'at'> & { at: Date }>(
    'SELECT id, at, person, action, kind, subject, before, after FROM logbook WHERE id < $1 ORDER BY id DESC LIMIT $2',
    [before, limit + 1],
  );
  const page = entries.slice(0, limit).map((e) => ({ ...e, at: e.at.toISOString() }));
  return { entries: page, next: entries.length > limit ? String(page[page.length - 1]!.id) : null };
}
