import type { FindingRow } from '@moorage/contract/findings';
import { rankFindings, type Finding } from '@moorage/core/findings/finding';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { factsOf, findStuckClaims, stuckFinding } from './stuck';
import { announce } from '../live/announce';
import type { Sight } from '../people/sight';
import { record } from '../logbook/logbook';

/** Writes down what was found: what is new begins to age, what is gone is forgotten. Tells the pages when something changed. */
export async function storeFindings(database: Database, found: readonly Finding[]): Promise<void> {
  await database.transaction(async () => {
    const changed = await database.rows(
      `WITH fresh AS (
         SELECT * FROM jsonb_to_recordset($1::jsonb) AS f(id text, kind text, subject text, weight double precision, facts jsonb)
       ), gone AS (
         DELETE FROM findings WHERE NOT EXISTS (SELECT 1 FROM fresh f WHERE f.id = findings.id) RETURNING id
       ), kept AS (
         INSERT INTO findings (id, kind, subject, weight, facts) SELECT id, kind, subject, weight, facts FROM fresh
         ON CONFLICT (id) DO UPDATE SET weight = excluded.weight, facts = excluded.facts
         WHERE (findings.weight, findings.facts) IS DISTINCT FROM (excluded.weight, excluded.facts) RETURNING id
       )
       SELECT id FROM gone UNION ALL SELECT id FROM kept`,
      [JSON.stringify(found)],
    );
    if (changed.length > 0) await announce(database, [{ topic: 'findings' }]);
  });
}

/**
 * Findings, worst first; those set aside until a day not yet come carry who did it and why. A namespace owner finds what is the
 * matter with the own claims: the rest is about things they cannot touch, and tells of others.
 */
export async function listFindings(database: Database, sight: Sight): Promise<FindingRow[]> {
  if (!sight.isWhole) return rankFindings(await ownFindings(database, sight));
  const rows = await database.rows<
    Omit<FindingRow, 'since' | 'aside'> & {
      since: Date;
      reason: string | null;
      until: string | null;
      person: string | null;
    }
  >(
    `SELECT f.id, f.kind, f.subject, f.weight, f.facts, f.since, a.reason, a.until::text AS until, a.person
     FROM findings f LEFT JOIN findings_aside a ON a.id = f.id AND a.until >= current_date LIMIT 2000`,
  );
  const shaped = rows.map(({ since, reason, until, person, ...f }) => ({
    ...f,
    since: since.toISOString(),
    aside: reason === null ? null : { reason, until: until!, person: person! },
  }));
  return rankFindings(shaped);
}

async function ownFindings(database: Database, sight: Sight): Promise<FindingRow[]> {
  const stuck = await findStuckClaims(database, sight);
  return stuck.map((s) => ({ ...stuckFinding(s), facts: factsOf(s), since: s.since.toISOString(), aside: null }));
}

export async function setAside(
  database: Database,
  id: string,
  { reason, until }: { reason: string; until: string },
  person: string,
): Promise<void> {
  if (until < new Date().toISOString().slice(0, 10))
    throw HttpProblem.invalid('until', 'This day is over. Choose one that is still to come.');
  await database.transaction(async () => {
    const known = await database.one('SELECT 1 FROM findings WHERE id = $1', [id]);
    if (!known) throw HttpProblem.notFound('finding', id);
    await database.rows(
      `INSERT INTO findings_aside (id, reason, until, person) VALUES ($1, $2, $3, $4)
       ON CONFLICT (id) DO UPDATE SET reason = excluded.reason, until = excluded.until, person = excluded.person, at = now()`,
      [id, reason, until, person],
    );
    await record(database, { person, action: 'change', kind: 'finding', subject: id, after: { reason, until } });
    await announce(database, [{ topic: 'findings' }]);
  });
}

export async function takeUp(database: Database, id: string, person: string): Promise<void> {
  await database.transaction(async () => {
    const [before] = await database.rows<{ reason: string; until: string }>(
      'DELETE FROM findings_aside WHERE id = $1 RETURNING reason, until::text AS until',
      [id],
    );
    if (!before) return;
    await record(database, { person, action: 'change', kind: 'finding', subject: id, before });
    await announce(database, [{ topic: 'findings' }]);
  });
}
