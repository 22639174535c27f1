import type { FindingRow } from '@moorage/contract/findings';
import { rankFindings, type Finding } from '@moorage/core/findings/finding';
import { col, literal, Op, where } from 'sequelize';
import type { Database } from '../database/database';
import { asRecords } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { bucketFinding, bucketsInNeed } from './buckets.sql';
import { togetherFindings } from './detect';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { asides, findings } from './finding-model';
import { replaceFindings } from './findings.sql';
import { factsOf, stuckFinding } from './stuck';
import { stuckClaims } from './stuck.sql';

/** Writes down what was found: what is new begins to age, what is gone is forgotten. Tells the pages when something changed. */
export async function storeFindings(database: Database, found: readonly Finding[]): Promise<void> {
  await database.transaction(async () => {
    const changed = await replaceFindings(database, asRecords(found));
    if (changed.length > 0) await announce(database, [{ topic: 'findings' }]);
  });
}

/**
 * Findings, worst first; those set aside until a day not yet come carry who did it and why. A namespace owner finds what is the
 * matter with the own claims: the rest is about things they cannot touch, and tells of others.
 */
export async function listFindings(database: Database, sight: Sight): Promise<FindingRow[]> {
  if (!sight.isWhole) return rankFindings(await ownFindings(database, sight));
  const rows = await findings.in(database).findAll({ raw: true, limit: 2000 });
  const today = where(col('until'), { [Op.gte]: literal('current_date') });
  const aside = await asides.in(database).findAll({ raw: true, where: today, limit: 2000 });
  const asideOf = new Map(aside.map(({ id, reason, until, person }) => [id, { reason, until, person }]));
  const shaped = rows.map(({ id, kind, subject, weight, facts, since }) => ({
    ...{ id, kind, subject, weight, facts },
    since: since.toISOString(),
    aside: asideOf.get(id) ?? null,
  }));
  return rankFindings(shaped);
}

async function ownFindings(database: Database, sight: Sight): Promise<FindingRow[]> {
  const stuck = await stuckClaims(database, sight.namespaces);
  const needs = await bucketsInNeed(database, sight.namespaces);
  const together = await togetherFindings(database, sight.namespaces);
  // it began for somebody then; with theirs alone nobody kept when
  const kept = await findings
    .in(database)
    .findAll({ raw: true, attributes: ['id', 'since'], where: { id: together.map((t) => t.id) }, limit: 50 });
  const sinceOf = new Map(kept.map(({ id, since }) => [id, since]));
  return [
    ...together.map(({ facts, ...t }) => ({
      ...t,
      facts: { ...facts, some: [...(facts.some as readonly string[])] } as FindingRow['facts'],
      since: (sinceOf.get(t.id) ?? new Date()).toISOString(),
      aside: null,
    })),
    ...stuck.map((s) => ({ ...stuckFinding(s), facts: factsOf(s), since: s.since.toISOString(), aside: null })),
    ...needs.map((n) => ({
      ...bucketFinding(n),
      facts: { buckets: n.count, some: n.some },
      since: n.since.toISOString(),
      aside: null,
    })),
  ];
}

export async function setAside(
  database: Database,
  id: string,
  { reason, until }: { reason: string; until: string },
  person: string,
): Promise<void> {
  if (until < new Date().toISOString().slice(0, 10))
    throw Refusal.invalid('until', 'This day is over. Choose one that is still to come.');
  await database.transaction(async () => {
    if ((await findings.in(database).count({ where: { id } })) === 0) throw Refusal.notFound('finding', id);
    await asides.in(database).upsert({ id, reason, until, person, at: new Date() });
    await record(database, { person, action: 'change', kind: 'finding', subject: id, after: { reason, until } });
    await announce(database, [{ topic: 'findings' }]);
  });
}

export async function takeUp(database: Database, id: string, person: string): Promise<void> {
  await database.transaction(async () => {
    const table = asides.in(database);
    const before = await table.findByPk(id, { attributes: ['reason', 'until'], lock: true });
    if (!before) return;
    await table.destroy({ where: { id } });
    await record(database, { person, action: 'change', kind: 'finding', subject: id, before: before.get() });
    await announce(database, [{ topic: 'findings' }]);
  });
}
