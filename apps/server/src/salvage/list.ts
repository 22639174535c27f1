import type { SalvagePage, SalvageQuery, SalvageRow } from '@moorage/contract/salvage';
import { ordinalOf } from '@moorage/core/claims/static';
import { createHash } from 'node:crypto';
import { anywhere } from '../database/cursor';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { adriftPage, adriftTotals, type StoredAdrift } from './salvage.sql';

function copiesOf({ missing_since, reachable, degraded }: StoredAdrift): SalvageRow['copies'] {
  if (missing_since) return 'missing';
  if (reachable === false) return 'unreachable';
  return degraded ? 'degraded' : 'whole';
}

export function toRow(v: StoredAdrift): SalvageRow {
  const at = v.name === null ? undefined : ordinalOf(v.name);
  const fingerprint = createHash('sha256').update(`${v.backend_id}/${v.volume_id}/${v.consumed}`).digest('hex');
  return {
    ...{ id: v.id, origin: v.origin, namespace: v.namespace, name: v.name, className: v.class_name },
    ...{ set: at?.set ?? null, ordinal: at?.ordinal ?? null, backend: v.backend_id, pool: v.pool_id },
    ...{ volumeName: v.volume_name, volumeId: v.volume_id, bytes: v.bytes, consumed: v.consumed },
    ...{ modes: v.modes ?? ['ReadWriteOnce'], volumeMode: v.volume_mode ?? 'Filesystem' },
    ...{ since: v.since.toISOString(), destroyedAt: v.keep_until?.toISOString() ?? null, copies: copiesOf(v) },
    ...{ fingerprint: fingerprint.slice(0, 12), nameTaken: v.name_taken, operation: v.operation_id },
  };
}

const cursorForm = /^(\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\.\d{6}\+00) (.{1,300})$/s;

/** Volumes that no claim holds, newest first, a page at a time. */
export async function listSalvage(
  database: Database,
  sight: Sight,
  { q, origin, cursor, limit }: SalvageQuery,
): Promise<SalvagePage> {
  const from = cursor === undefined ? undefined : cursorForm.exec(cursor);
  if (from === null || (from && Number.isNaN(Date.parse(from[1]!.replace(' ', 'T').replace('+00', 'Z')))))
    throw Refusal.invalid('cursor', 'The cursor is not one that this server gave. Begin again without it.');
  const like = q ? anywhere(q) : undefined;
  const [rows, totals] = await Promise.all([
    adriftPage(database, sight.namespaces, like, origin, from?.[1], from?.[2], limit + 1),
    first(adriftTotals(database, sight.namespaces, like, origin)),
  ]);
  const page = rows.slice(0, limit);
  const last = page[page.length - 1];
  return {
    rows: page.map(toRow),
    next: rows.length > limit && last ? `${last.since_text} ${last.id}` : null,
    total: totals?.count ?? 0,
    bytes: totals?.bytes ?? 0,
  };
}
