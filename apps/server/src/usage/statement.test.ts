import type { Statement } from '@moorage/contract/prices';
import type { Database } from '../database/database';
import { platformObjects } from '../mirror/mirror-model';
import { Sight } from '../people/sight';
import { reservations } from '../reservations/reservation-model';
import { migratedDatabase } from '../testing/databases';
import { seedUse } from '../testing/used';
import { heldAs } from './price-model';
import { dropRate, listRates, setRate } from './prices';
import { getStatement } from './statement';
import { statementText } from './statement-export';
import { siteClock } from './use-model';
import { keepDays } from './use';

const GiB = 2 ** 30;
let database: Database;
let end: () => Promise<void>;
/** Claims are made before October; the site is in November. */
beforeEach(async () => {
  ({ database, end } = await migratedDatabase());
  await seedUse(database, new Date('2026-09-20T00:00:00Z'));
  await at('2026-11-05T12:00:00Z');
  await heldAs.in(database).bulkCreate(
    [
      ['tier', 'p0', 'fast'],
      ['tier', 'p1', 'deep'],
      ['team', 'n0', 'shore'],
      ['team', 'n1', 'sea'],
    ].map(([kind, name, value]) => ({
      kind: kind as 'tier',
      name: name!,
      value: value!,
      fromAt: new Date('2026-09-20'),
      untilAt: null,
    })),
  );
});
afterEach(() => end());

const at = (moment: string) =>
  siteClock.in(database).update({ aheadMs: Date.parse(moment) - Date.now() }, { where: { id: 1 } });
const rate = (tier: 'fast' | 'deep', perGiB: number, from: string, perIops = 0) =>
  setRate(database, { tier, from, perGiB, perIops }, 'tom');
const october = (sight = Sight.everything) => getStatement(database, sight, '2026-10', 'EUR');
const cents = ({ lines }: Statement) =>
  Object.fromEntries(lines.map((l) => [`${l.namespace} ${l.team} ${l.tier}`, l.cents]));

test('a month costs what was promised in it, at the rates of its time', async () => {
  await rate('fast', 310, '2026-09-01');
  await rate('deep', 31, '2026-09-01');
  const told = await october();
  // one GiB each: the whole of October
  expect(cents(told)).toEqual({ 'n0 shore fast': 31_000, 'n1 sea fast': 31_000, 'n1 sea deep': 3100 });
  expect([told.cents, told.isOver, told.unpriced, told.lines[0]!.gib]).toEqual([65_100, true, [], 1]);
});

test('what grew and what went is counted by its days, and the same is told later, whatever became of it since', async () => {
  await rate('fast', 310, '2026-09-01');
  await at('2026-10-11T00:00:00Z');
  await reservations.in(database).update({ bytes: 4 * GiB, rawBytes: 4 * GiB }, { where: { claimUid: 'u0' } });
  await at('2026-10-21T00:00:00Z');
  await platformObjects.in(database).destroy({ where: { uid: 'u1' } });
  await reservations.in(database).destroy({ where: { claimUid: 'u1' } });
  await at('2026-11-05T12:00:00Z');
  const told = await october();
  // 10 days of 1 GiB and 21 of 4; 20 days of 1
  expect(cents(told)).toMatchObject({ 'n0 shore fast': 94_000, 'n1 sea fast': 20_000 });
  await keepDays(database);
  await rate('fast', 999, '2026-11-01');
  await at('2026-12-24T00:00:00Z');
  await reservations.in(database).update({ bytes: 9 * GiB, rawBytes: 9 * GiB }, { where: { claimUid: 'u0' } });
  await heldAs.in(database).update({ untilAt: new Date('2026-11-20') }, { where: { name: 'n0' } });
  await heldAs
    .in(database)
    .create({ kind: 'team', name: 'n0', value: 'other', fromAt: new Date('2026-11-20'), untilAt: null });
  expect(await october()).toEqual(told);
});

test('a tier or a team that changed in the month has a line for each', async () => {
  await rate('fast', 310, '2026-09-01');
  await rate('deep', 31, '2026-09-01');
  const middle = new Date('2026-10-11T00:00:00Z');
  await heldAs.in(database).update({ untilAt: middle }, { where: { name: ['p0', 'n0'] } });
  await heldAs.in(database).bulkCreate([
    { kind: 'tier', name: 'p0', value: 'deep', fromAt: middle, untilAt: null },
    { kind: 'team', name: 'n0', value: 'sea', fromAt: middle, untilAt: null },
  ]);
  expect(cents(await october())).toMatchObject({ 'n0 shore fast': 10_000, 'n0 sea deep': 2100 });
});

test('who owns a namespace is told of its lines alone, to the same cent as everybody', async () => {
  await rate('fast', 0.1, '2026-09-01');
  await rate('deep', 0.07, '2026-09-01');
  const whole = await october();
  const owner = Sight.of({ name: 'ivo', title: '', role: 'namespace-owner', namespaces: ['n1'] });
  const own = await october(owner);
  expect(own.lines).toEqual(whole.lines.filter((l) => l.namespace === 'n1'));
  expect(own.cents).toBe(own.lines.reduce((sum, l) => sum + l.cents, 0));
});

test('months that are over keep their prices, and one that has not begun can be taken back', async () => {
  await rate('fast', 310, '2026-09-01');
  await expect(rate('fast', 1, '2026-10-15')).rejects.toMatchObject({ field: 'from' });
  await expect(rate('fast', 1, '2026-09-01')).rejects.toMatchObject({ field: 'from' });
  await rate('fast', 2, '2026-11-01');
  await rate('fast', 3, '2027-01-01', 0.5);
  await expect(dropRate(database, 'fast', '2026-11-01', 'tom')).rejects.toMatchObject({ field: 'from' });
  await dropRate(database, 'fast', '2027-01-01', 'tom');
  await expect(dropRate(database, 'fast', '2027-01-01', 'tom')).rejects.toMatchObject({ kind: 'not-found' });
  expect((await listRates(database)).map((r) => [r.from.slice(0, 10), r.perGiB])).toEqual([
    ['2026-09-01', 310],
    ['2026-11-01', 2],
  ]);
});

test('a month that lasts is told up to now, one to come is refused, and a tier without a price is named', async () => {
  await rate('fast', 300, '2026-11-01');
  const november = await getStatement(database, Sight.everything, '2026-11', 'EUR');
  // four and a half of thirty days
  expect([november.isOver, cents(november)['n0 shore fast'], november.unpriced]).toEqual([false, 4500, ['deep']]);
  expect((await october()).unpriced.sort()).toEqual(['deep', 'fast']);
  await expect(getStatement(database, Sight.everything, '2026-12', 'EUR')).rejects.toMatchObject({ field: 'month' });
});

test('as CSV its amounts add up, and nothing in it is a formula', async () => {
  await rate('fast', 310, '2026-09-01');
  const told = await october();
  const lines = statementText({ ...told, lines: [{ ...told.lines[0]!, team: '=1+1' }, ...told.lines.slice(1)] }, 'csv')
    .trim()
    .split('\r\n');
  expect(lines[0]).toBe('namespace,team,class,tier,pool,application,mean_gib,mean_reserved_iops,amount_EUR');
  expect(lines[1]).toContain("'=1+1");
  const sum = lines.slice(1).reduce((a, l) => a + Math.round(100 * Number(l.split(',').at(-1))), 0);
  expect(sum).toBe(told.cents);
  expect(JSON.parse(statementText(told, 'json'))).toEqual(told);
});
