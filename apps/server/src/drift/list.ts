import type { DriftPage, DriftQuery, MendRequest, MendAnswer } from '@moorage/contract/drift';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { recordAll } from '../logbook/logbook';
import { Sight } from '../people/sight';
import type { Person } from '@moorage/contract/people';
import { Refusal } from '../refusals/refusal';
import { askFor, beginMends, driftCounts, driftPage } from './drift.sql';

const cursorForm = /^(\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\.\d{6}\+00) (\S{1,300}) ([a-z-]{1,40})$/;

/** What differs between declared and actual, the oldest first, a page at a time. */
export async function listDrifts(
  database: Database,
  sight: Sight,
  { claim, kind, cursor, limit }: DriftQuery,
): Promise<DriftPage> {
  const from = cursor === undefined ? undefined : cursorForm.exec(cursor);
  if (from === null || (from && Number.isNaN(Date.parse(from[1]!.replace(' ', 'T').replace('+00', 'Z')))))
    throw Refusal.invalid('cursor', 'The cursor is not one that this server gave. Begin again without it.');
  const [rows, counts] = await Promise.all([
    driftPage(database, sight.namespaces, claim, kind, from?.[1], from?.[2], from?.[3], limit + 1),
    driftCounts(database, sight.namespaces, claim, undefined),
  ]);
  const page = rows.slice(0, limit);
  const last = page[page.length - 1];
  return {
    rows: page.map((d) => ({
      ...{ claimUid: d.claim_uid, kind: d.kind, namespace: d.namespace, name: d.claim_name, className: d.class_name },
      ...{ pool: d.pool_id, backend: d.backend_id, volumeName: d.volume_name, volumeId: d.volume_id },
      ...{ declared: d.declared, actual: d.actual, by: d.made_by, remedy: d.remedy, since: d.since.toISOString() },
      ...{ asked: d.asked_by !== null, problem: d.problem },
    })),
    counts: Object.fromEntries(counts.map((c) => [c.kind, c.count])),
    next: rows.length > limit && last ? `${last.since_text} ${last.claim_uid} ${last.kind}` : null,
  };
}

/** Begins to put right what differs, one operation for each volume; gives what was left out, as it is gone by now or has no remedy. */
export async function mendDrifts(
  database: Database,
  person: Person,
  { drifts }: MendRequest,
): Promise<{ answer: MendAnswer; operations: string[] }> {
  return database.transaction(async () => {
    const asked = await askFor(
      database,
      drifts.map((d) => d.claimUid),
      drifts.map((d) => d.kind),
      person.name,
      Sight.of(person).namespaces,
    );
    const claims = new Map(asked.map((a) => [a.claim_uid, a]));
    const begun = await beginMends(database, [...claims.keys()], person.name);
    await recordAll(
      database,
      [...claims.values()].map(({ claim_uid, namespace, claim_name }) => ({
        ...{ person: person.name, action: 'change', kind: 'volume', subject: `${namespace}/${claim_name}` },
        after: { putRight: asked.filter((a) => a.claim_uid === claim_uid).map((a) => a.kind) },
      })),
    );
    await announce(database, [{ topic: 'operations' }, { topic: 'claims' }]);
    return { answer: { begun: asked.length, left: drifts.length - asked.length }, operations: begun.map((o) => o.id) };
  });
}
