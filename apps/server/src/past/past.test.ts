import type { Past } from '@moorage/contract/past';
import fc from 'fast-check';
import type { Database } from '../database/database';
import { platformObjects } from '../mirror/mirror-model';
import { moorings } from '../moorings/mooring-model';
import { Sight } from '../people/sight';
import { pools } from '../pools/pool-model';
import { reservations } from '../reservations/reservation-model';
import { migratedDatabase } from '../testing/databases';
import { keepDays } from '../usage/use';
import { siteClock } from '../usage/use-model';
import { getPast, listPastClaims } from './past';

const GiB = 2 ** 30;
const hourMs = 3_600_000;
let database: Database;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
  await database.rows(
    `INSERT INTO backends (id, title, address, username, secret) VALUES ('kelp', 'K', 'http://k', 'u', '')`,
  );
});
afterAll(() => end());
const clear = async () => {
  await database.rows('DELETE FROM reservations');
  await database.rows('DELETE FROM moorings');
  await database.rows('DELETE FROM pools');
  await database.rows(`DELETE FROM platform_objects`);
  await database.rows('TRUNCATE uses, use_changes, use_sums, use_days, used_claims, facts_held');
};
beforeEach(clear);

const ahead = (byMs: number) => siteClock.in(database).increment('aheadMs', { by: byMs, where: { id: 1 } });
/** A moment of its own: those are whole milliseconds. */
async function moment(): Promise<string> {
  await ahead(2);
  const [row] = await database.rows<{ now: Date }>('SELECT site_now() AS now');
  await ahead(2);
  return row!.now.toISOString();
}
const facts = (capacity: number) => ({ redundancy: { kind: 'inner', usable: capacity }, iops: 500 }) as never;

const kinds = ['pool', 'resize', 'mark', 'lose', 'moor', 'turn', 'drop', 'days'] as const;
type Act = readonly [kind: (typeof kinds)[number], which: number, n: number];
async function carry([kind, which, n]: Act): Promise<void> {
  const [id, poolId] = [`p${which}`, `p${which}`];
  const className = `c${n % 2}`;
  const where = { className, poolId };
  const known = await pools.in(database).findByPk(id);
  if (kind === 'pool' && !known)
    await pools
      .in(database)
      .create({ id, backendId: 'kelp', name: id, path: `/${id}`, facts: facts(n * GiB) } as never);
  if (kind === 'days') {
    await ahead(n * 9 * hourMs);
    await keepDays(database);
  }
  if (!known) return;
  if (kind === 'resize') await known.update({ facts: facts(n * GiB) });
  // what changes all the time is nothing that is kept
  if (kind === 'resize') await known.update({ reservedRaw: n });
  if (kind === 'mark') await known.update({ softMark: n / 20 });
  if (kind === 'lose') await known.update({ goneSince: known.goneSince ? null : new Date() });
  if (kind === 'moor') await moorings.in(database).upsert({ ...where, rank: n });
  if (kind === 'turn') await moorings.in(database).update({ enabled: n % 3 === 0 }, { where });
  if (kind === 'drop') await moorings.in(database).destroy({ where });
}
/** What is there now, straight from its tables. */
async function there(): Promise<Pick<Past, 'moorings'> & { pools: object[] }> {
  const [rows, known] = [await moorings.in(database).findAll(), await pools.in(database).findAll({ order: ['id'] })];
  return {
    moorings: rows
      .map(({ className, poolId, enabled, rank, weight }) => ({
        className,
        pool: poolId,
        enabled,
        order: rank,
        weight,
      }))
      .sort((a, b) => (`${a.className}/${a.pool}` < `${b.className}/${b.pool}` ? -1 : 1)),
    pools: known
      .filter((p) => p.goneSince === null)
      .map((p) => ({ id: p.id, capacity: (p.facts.redundancy as { usable: number }).usable, softMark: p.softMark })),
  };
}
const told = ({ moorings: rows, pools: known }: Past) => ({
  moorings: rows,
  pools: known.filter((p) => !p.isGuess).map(({ id, capacity, softMark }) => ({ id, capacity, softMark })),
});

test('pools and moorings of a past moment are what they were at that moment, whatever came after', async () => {
  const acts = fc.array(fc.tuple(fc.constantFrom(...kinds), fc.nat(2), fc.integer({ min: 1, max: 9 })), {
    minLength: 10,
    maxLength: 40,
  });
  const property = fc.asyncProperty(acts, async (done) => {
    const seen: { at: string; was: object }[] = [];
    for (const act of done) {
      await carry(act);
      const was = await there();
      seen.push({ at: await moment(), was });
    }
    for (const { at, was } of seen) expect(told(await getPast(database, Sight.everything, at))).toEqual(was);
  });
  await fc.assert(property.beforeEach(clear), { numRuns: 25 });
});

async function hold(uid: string, namespace: string, poolId: string, gib: number): Promise<void> {
  await platformObjects.in(database).create({
    ...({ plural: 'persistentvolumeclaims', uid, namespace, name: uid, version: '1', className: 'c0' } as const),
    ...{ body: { metadata: {} } as never, phase: 'Bound', sizeBytes: gib * GiB, createdAt: new Date('2040-01-01') },
  });
  await reservations.in(database).create({
    ...{ claimUid: uid, namespace, claimName: uid, className: 'c0', reclaim: 'Delete', poolId, volumeName: uid },
    ...{ bytes: gib * GiB, rawBytes: 2 * gib * GiB, iopsFloor: 10, backendIops: 0, createdAt: new Date('2040-01-01') },
  } as never);
}

test('what was kept where, and the claims that made it, are those of the moment; of others an owner learns nothing', async () => {
  for (const id of ['p0', 'p1'])
    await pools
      .in(database)
      .create({ id, backendId: 'kelp', name: id, path: `/${id}`, facts: facts(100 * GiB) } as never);
  await hold('a', 'tides', 'p0', 3);
  await hold('b', 'tides', 'p1', 5);
  await hold('c', 'ferries', 'p0', 7);
  const at = await moment();
  await reservations.in(database).destroy({ where: { claimUid: 'a' } });
  await platformObjects.in(database).destroy({ where: { uid: 'a' } });
  const later = await moment();
  const past = await getPast(database, Sight.everything, at);
  expect(past.held).toEqual([
    { className: 'c0', pool: 'p0', claims: 2, bytes: 10 * GiB, raw: 20 * GiB },
    { className: 'c0', pool: 'p1', claims: 1, bytes: 5 * GiB, raw: 10 * GiB },
  ]);
  expect(past.pools[0]).toMatchObject({
    id: 'p0',
    provisioned: 10 * GiB,
    footprint: 20 * GiB,
    reserved: 20,
    written: null,
  });
  const of = (namespace: string, sight = Sight.everything, part: object = {}) =>
    listPastClaims(database, sight, { at, namespace, ...part });
  const tides = await of('tides');
  expect(tides.claims.map((c) => [c.name, c.pool, c.provisioned, c.isThere])).toEqual([
    ['a', 'p0', 3 * GiB, false],
    ['b', 'p1', 5 * GiB, true],
  ]);
  expect(tides.total).toEqual({ claims: 2, provisioned: 8 * GiB, footprint: 16 * GiB });
  expect((await of('tides', Sight.everything, { pool: 'p1' })).claims.map((c) => c.name)).toEqual(['b']);
  expect((await of('tides', Sight.everything, { backend: 'kelp', q: 'A' })).claims.map((c) => c.name)).toEqual(['a']);
  expect((await listPastClaims(database, Sight.everything, { at: later, namespace: 'tides' })).claims).toHaveLength(1);
  const ferry = Sight.of({ name: 'ivo', role: 'namespace-owner', namespaces: ['ferries'] } as never);
  expect(await of('tides', ferry)).toEqual({ ...(await of('nowhere', ferry)) });
  expect((await getPast(database, ferry, at)).held).toEqual([
    { className: 'c0', pool: 'p0', claims: 1, bytes: 7 * GiB, raw: 14 * GiB },
  ]);
});

test('claims of a moment come page by page, each once', async () => {
  await pools.in(database).create({ id: 'p0', backendId: 'kelp', name: 'p0', path: '/p0', facts: facts(GiB) } as never);
  for (let i = 0; i < 130; i++) await hold(`claim-${i}`, 'tides', 'p0', 1);
  const at = await moment();
  const one = await listPastClaims(database, Sight.everything, { at, namespace: 'tides' });
  const two = await listPastClaims(database, Sight.everything, { at, namespace: 'tides', cursor: one.next! });
  expect(two.next).toBeNull();
  expect(new Set([...one.claims, ...two.claims].map((c) => c.uid)).size).toBe(130);
  expect(one.total.claims).toBe(130);
});

test('a pool of which another size is told with each look, by next to nothing, is noted once', async () => {
  const pool = await pools
    .in(database)
    .create({ id: 'p0', backendId: 'kelp', name: 'p0', path: '/p0', facts: facts(1000 * GiB) } as never);
  for (let i = 1; i < 9; i++) await pool.update({ facts: facts(1000 * GiB - i) });
  const noted = () => database.rows('SELECT 1 FROM facts_held');
  expect(await noted()).toHaveLength(1);
  await pool.update({ facts: facts(998 * GiB) });
  expect(await noted()).toHaveLength(2);
});

test('where the clock of the site turns out to be behind, what is there begins with its time', async () => {
  await pools
    .in(database)
    .create({ id: 'p0', backendId: 'kelp', name: 'p0', path: '/p0', facts: facts(9 * GiB) } as never);
  await ahead(-1000 * hourMs);
  const at = await moment();
  expect((await getPast(database, Sight.everything, at)).pools).toMatchObject([{ id: 'p0', isGuess: false }]);
  await ahead(1000 * hourMs);
});

test('before a pool was noted it is shown as it was first, and marked so; a moment to come is refused', async () => {
  const before = await moment();
  await ahead(hourMs);
  await pools
    .in(database)
    .create({ id: 'p0', backendId: 'kelp', name: 'p0', path: '/p0', facts: facts(9 * GiB) } as never);
  expect((await getPast(database, Sight.everything, before)).pools).toMatchObject([
    { capacity: 9 * GiB, isGuess: true },
  ]);
  await expect(getPast(database, Sight.everything, '2999-01-01T00:00:00Z')).rejects.toThrow(/yet to come/);
});
