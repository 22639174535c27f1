import type { NewRate, RateRow } from '@moorage/contract/prices';
import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { asRecords, first } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { listPools } from '../pools/pools';
import { Refusal } from '../refusals/refusal';
import { rates } from './price-model';
import { noteHeldAs, teamsNow } from './price.sql';
import { siteMoments } from './use.sql';

const micro = 1_000_000;

/** Notes the tiers of pools and the teams of namespaces, where they are others than before. */
export async function noteNames(database: Database): Promise<void> {
  const tiers = (await listPools(database)).map((p) => ({ name: p.id, value: p.tier }));
  await noteHeldAs(database, 'tier', asRecords(tiers));
  await noteHeldAs(database, 'team', asRecords(await teamsNow(database)));
}

/** All prices, by tier and date. */
export async function listRates(database: Database): Promise<RateRow[]> {
  const rows = await rates.in(database).findAll({ raw: true, order: ['tier', 'fromAt'], limit: 10_000 });
  return rows.map((r) => ({
    ...{ tier: r.tier, from: r.fromAt.toISOString(), person: r.person },
    ...{ perGiB: r.microsPerGib / micro, perIops: r.microsPerIops / micro },
  }));
}

/**
 * Sets a price from a day on. What is over keeps its price: only the first of a tier may begin before this month, since there was
 * none then.
 */
export async function setRate(database: Database, asked: NewRate, person: string): Promise<void> {
  const { tier } = asked;
  const fromAt = new Date(`${asked.from}T00:00:00Z`);
  const values = { microsPerGib: Math.round(asked.perGiB * micro), microsPerIops: Math.round(asked.perIops * micro) };
  await database.transaction(async () => {
    const { now } = (await first(siteMoments(database)))!;
    const month = new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth(), 1));
    const table = rates.in(database);
    const before = await table.findOne({ raw: true, where: { tier, fromAt }, lock: true });
    const others = await table.count({ where: { tier, fromAt: { [Op.ne]: fromAt } } });
    if (fromAt < month && (before !== null || others > 0))
      throw Refusal.invalid(
        'from',
        `Statements of months that are over stay as they are: a new price begins on ${month.toISOString().slice(0, 10)} at the earliest.`,
      );
    await table.upsert({ tier, fromAt, ...values, person });
    await record(database, {
      ...{ person, action: before ? 'change' : 'create', kind: 'rate', subject: `${tier} from ${asked.from}` },
      before: before && { perGiB: before.microsPerGib / micro, perIops: before.microsPerIops / micro },
      after: { perGiB: asked.perGiB, perIops: asked.perIops },
    });
    await announce(database, [{ topic: 'namespaces' }]);
  });
}

/** Takes away a price that has not begun. */
export async function dropRate(database: Database, tier: string, from: string, person: string): Promise<void> {
  await database.transaction(async () => {
    const { now } = (await first(siteMoments(database)))!;
    const where = { tier, fromAt: new Date(`${from}T00:00:00Z`) };
    const row = await rates.in(database).findOne({ where, lock: true });
    if (!row) throw Refusal.notFound('price', `${tier} from ${from}`);
    if (row.fromAt <= now)
      throw Refusal.invalid('from', 'It holds already: set another price from a later day in its place.');
    await row.destroy();
    await record(database, {
      ...{ person, action: 'delete', kind: 'rate', subject: `${tier} from ${from}` },
      before: { perGiB: row.microsPerGib / micro, perIops: row.microsPerIops / micro },
      after: null,
    });
    await announce(database, [{ topic: 'namespaces' }]);
  });
}
