import type { UseColumn, UseFlows, UseGrid, UseRow } from '@moorage/contract/usage';
import fc from 'fast-check';
import pg from 'pg';
import type { Database } from '../database/database';
import { Sight } from '../people/sight';
import { migratedDatabase } from '../testing/databases';
import { furtherCopies, reservations } from '../reservations/reservation-model';
import { platformObjects } from '../mirror/mirror-model';
import { getFlows } from './flows';
import { heldAs, rates } from './price-model';
import { siteClock, useDays } from './use-model';
import { followClock, getUse, keepDays, noteApplications } from './use';

const GiB = 2 ** 30;
const hourMs = 3_600_000;
let database: Database;
let url: string;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ database, url, end } = await migratedDatabase());
  await database.rows(`INSERT INTO backends (id, title, address, username, secret)
    VALUES ('basalt', 'B', 'http://b', 'u', ''), ('kelp', 'K', 'http://k', 'u', '')`);
  await database.rows(`INSERT INTO pools (id, backend_id, name, path, facts)
    VALUES ('p0', 'basalt', 'p0', '/p0', '{}'), ('p1', 'basalt', 'p1', '/p1', '{}'), ('p2', 'kelp', 'p2', '/p2', '{}')`);
  for (const [name, tier] of [
    ['p0', 'fast'],
    ['p1', 'standard'],
    ['p2', 'standard'],
  ] as const)
    await heldAs
      .in(database)
      .create({ kind: 'tier', name, value: tier, fromAt: new Date('2030-01-01'), untilAt: null });
  // odd amounts, so that what is rounded shows; the second tier becomes dearer while the clock goes on
  const rate = { microsPerIops: 333_333, person: 'ada' };
  const later = new Date(Date.now() + 60 * hourMs);
  await rates.in(database).bulkCreate([
    { ...rate, tier: 'fast', fromAt: new Date('2020-01-01'), microsPerGib: 1_234_567 },
    { ...rate, tier: 'standard', fromAt: new Date('2020-01-01'), microsPerGib: 77_777 },
    { ...rate, tier: 'standard', fromAt: later, microsPerGib: 99_991 },
  ]);
  for (const [name, team] of [
    ['n0', 'shore'],
    ['n1', 'shore'],
    ['n2', 'sea'],
  ])
    await platformObjects.in(database).create({
      ...{ plural: 'namespaces', uid: `ns-${name}`, name: name!, version: '1', createdAt: new Date() },
      body: { metadata: { name, labels: { 'orrin-sound.example/team': team } } },
    } as never);
});
afterAll(() => end());
beforeEach(async () => {
  await database.rows('DELETE FROM reservations');
  await database.rows(`DELETE FROM platform_objects WHERE plural = 'persistentvolumeclaims'`);
  await database.rows('TRUNCATE uses, use_changes, use_sums, use_days, used_claims, limits_held');
  await database.rows('DELETE FROM limits');
  await siteClock.in(database).update({ aheadMs: 0 }, { where: { id: 1 } });
});

const ahead = async (byMs: number) => siteClock.in(database).increment('aheadMs', { by: byMs, where: { id: 1 } });
const grid = (rows: UseRow, columns: UseColumn, at?: string, sight = Sight.everything) =>
  getUse(database, sight, { rows, columns, ...(at && { at }) }, 'EUR');
const measures = ['claims', 'unbound', 'requested', 'provisioned', 'footprint', 'iops'] as const;
type Sums = Record<(typeof measures)[number], number>;
const totals = ({ cells }: UseGrid): Sums =>
  Object.fromEntries(measures.map((m) => [m, cells[m].reduce((a, b) => a + b, 0)])) as Sums;

const priceOf = ({ cells }: UseGrid): number => cells.price.reduce<number>((a, b) => a + b!, 0);

/** What a claim has, as whoever acts on it believes. */
interface Believed {
  readonly namespace: string;
  there: boolean;
  bound: boolean;
  size: number;
  pool?: string;
  held: number;
  copies: number;
}
const keyOf = (c: number) => `claim-${c}`;
const believedSums = (claims: ReadonlyMap<number, Believed>): Sums => {
  const sum = (of: (c: Believed) => number) => [...claims.values()].reduce((a, c) => a + of(c), 0);
  return {
    claims: sum((c) => Number(c.there)),
    unbound: sum((c) => Number(c.there && !c.bound)),
    requested: sum((c) => (c.there ? c.size : 0)),
    provisioned: sum((c) => c.held),
    footprint: sum((c) => c.held * (2 + c.copies)),
    iops: sum((c) => (c.held > 0 ? 12.5 : 0)),
  };
};

const kinds = ['make', 'hold', 'bind', 'grow', 'copy', 'drop', 'release', 'name', 'hours', 'days'] as const;
type Act = readonly [kind: (typeof kinds)[number], claim: number, size: number];
const acts = fc.array(fc.tuple(fc.constantFrom(...kinds), fc.nat(4), fc.integer({ min: 1, max: 9 })), {
  minLength: 5,
  maxLength: 40,
});

async function carry([kind, c, n]: Act, claims: Map<number, Believed>): Promise<void> {
  const uid = keyOf(c);
  const where = { plural: 'persistentvolumeclaims', uid } as const;
  const known = claims.get(c);
  if (kind === 'hours') await ahead(n * hourMs);
  if (kind === 'days') {
    await ahead(n * 9 * hourMs);
    await keepDays(database);
  }
  if (kind === 'make' && !known) {
    const namespace = `n${c % 3}`;
    await platformObjects.in(database).create({
      ...where,
      ...{
        namespace,
        name: uid,
        version: '1',
        body: { metadata: {} } as never,
        className: `c${n % 2}`,
        phase: 'Pending',
        sizeBytes: n * GiB,
      },
      createdAt: new Date('2040-01-01'),
    });
    claims.set(c, { namespace, there: true, bound: false, size: n * GiB, held: 0, copies: 0 });
  }
  if (!known) return;
  if (kind === 'hold' && known.there && !known.pool) {
    known.pool = `p${n % 3}`;
    known.held = known.size;
    await reservations.in(database).create({
      ...{ claimUid: uid, namespace: known.namespace, claimName: uid, className: 'c0', reclaim: 'Delete' },
      ...{ poolId: known.pool, bytes: known.held, rawBytes: 2 * known.held, iopsFloor: 12.5, backendIops: 0 },
      ...{ volumeName: `v-${uid}`, createdAt: new Date('2040-01-01') },
    } as never);
  }
  if (kind === 'bind' && known.there) {
    known.bound = true;
    await platformObjects.in(database).update({ phase: 'Bound' }, { where });
  }
  if (kind === 'grow' && known.there) {
    known.size += n * GiB;
    await database.transaction(async () => {
      await platformObjects.in(database).update({ sizeBytes: known.size }, { where });
      if (!known.pool) return;
      known.held = known.size;
      await reservations
        .in(database)
        .update({ bytes: known.held, rawBytes: 2 * known.held }, { where: { claimUid: uid } });
      await furtherCopies
        .in(database)
        .update({ bytes: known.held, rawBytes: known.held }, { where: { claimUid: uid } });
    });
  }
  if (kind === 'copy' && known.pool && known.copies === 0) {
    known.copies = 1;
    const copy = { claimUid: uid, poolId: 'p2', bytes: known.held, rawBytes: known.held, mode: 'synchronous' } as const;
    await furtherCopies.in(database).create({ ...copy, backendIops: 0, backendThroughput: 0, volumeId: null });
  }
  if (kind === 'drop') {
    known.there = false;
    await platformObjects.in(database).destroy({ where });
    if (!known.pool) claims.delete(c);
  }
  if (kind === 'release' && known.pool) {
    await reservations.in(database).destroy({ where: { claimUid: uid } });
    Object.assign(known, { held: 0, copies: 0, pool: undefined });
    if (!known.there) claims.delete(c);
  }
  if (kind === 'name')
    await noteApplications(database, [{ claim_uid: uid, application: `app-${n % 3}`, pod: `pod-${n % 2}` }]);
}

const told = ({ cells, rows, columns }: UseGrid) =>
  cells.row
    .map((r, i) =>
      [rows[r], columns[cells.column[i]!], ...measures.map((m) => cells[m][i]), cells.price[i]!.toFixed()].join(' '),
    )
    .sort();

test('every grouping sums to the same at every moment, and a past moment is what was answered then', async () => {
  const groupings = [
    ['namespace', 'class'],
    ['namespace', 'pool'],
    ['team', 'backend'],
    ['team', 'application'],
  ] as const;
  const property = fc.asyncProperty(acts, async (done) => {
    const claims = new Map<number, Believed>();
    const answered: { at: string; cells: string[][] }[] = [];
    for (const act of done) {
      await carry(act, claims);
      const grids = await Promise.all(groupings.map(([rows, columns]) => grid(rows, columns)));
      for (const g of grids) {
        expect(totals(g)).toEqual(believedSums(claims));
        expect(priceOf(g)).toBe(priceOf(grids[0]!));
      }
      answered.push({ at: grids[0]!.at, cells: grids.map(told) });
      // moments are whole milliseconds: what comes in the same one is the same moment
      for (const since = Date.now(); Date.now() <= since + 1;) await Promise.resolve();
    }
    await ahead(50 * hourMs);
    await keepDays(database);
    for (const { at, cells } of answered) {
      const then = await Promise.all(groupings.map(([rows, columns]) => grid(rows, columns, at)));
      expect(then.map(told)).toEqual(cells);
    }
  });
  await fc.assert(
    property.beforeEach(async () => {
      await database.rows('DELETE FROM reservations');
      await database.rows(`DELETE FROM platform_objects WHERE plural = 'persistentvolumeclaims'`);
      await database.rows('TRUNCATE uses, use_changes, use_sums, use_days, used_claims');
    }),
    { numRuns: 25 },
  );
});

const aClaimRow = (name: string, createdAt: Date) => ({
  ...({ plural: 'persistentvolumeclaims', uid: name, namespace: 'n0', name, version: '1' } as const),
  body: { metadata: {} } as never,
  ...{ className: 'c0', phase: 'Bound', sizeBytes: GiB, createdAt },
});

test('a cell costs what its promises cost a month at the rates and tiers of the moment; without a price it is not known', async () => {
  const hold = async (uid: string, poolId: string) => {
    await platformObjects.in(database).create(aClaimRow(uid, new Date('2040-01-01')));
    await reservations.in(database).create({
      ...{ claimUid: uid, namespace: 'n0', claimName: uid, className: 'c0', reclaim: 'Delete', poolId },
      ...{ bytes: 3 * GiB, rawBytes: 6 * GiB, iopsFloor: 12.5, backendIops: 0, volumeName: uid },
      createdAt: new Date('2040-01-01'),
    } as never);
  };
  await hold('a', 'p0');
  const before = await grid('namespace', 'class');
  expect(before.cells.price).toEqual([3 * 1_234_567 + Math.round(12.5 * 333_333)]);
  await hold('b', 'p1');
  const of = async (at?: string) => priceOf(await grid('namespace', 'class', at)) - before.cells.price[0]!;
  expect(await of()).toBe(3 * 77_777 + Math.round(12.5 * 333_333));
  const { at } = await grid('namespace', 'class');
  await ahead(100 * hourMs);
  expect(await of()).toBe(3 * 99_991 + Math.round(12.5 * 333_333));
  expect(await of(at)).toBe(3 * 77_777 + Math.round(12.5 * 333_333));
  await heldAs.in(database).update({ value: 'deep' }, { where: { name: 'p2' } });
  await hold('c', 'p2');
  expect((await grid('namespace', 'class')).cells.price).toEqual([null]);
  await heldAs.in(database).update({ value: 'standard' }, { where: { name: 'p2' } });
});

test('the pods of one namespace use what it uses; of several, and of others, nothing is told', async () => {
  for (const [uid, namespace, pod] of [
    ['a', 'n0', 'store-0'],
    ['b', 'n0', '*'],
    ['c', 'n0', null],
    ['d', 'n1', 'store-0'],
  ] as const) {
    await platformObjects.in(database).create({ ...aClaimRow(uid, new Date('2040-01-01')), namespace });
    await noteApplications(database, [{ claim_uid: uid, application: 'store', pod }]);
  }
  const of = (namespace?: string, sight = Sight.everything) =>
    getUse(database, sight, { rows: 'namespace', columns: 'pod', ...(namespace && { namespace }) }, 'EUR');
  const pods = await of('n0');
  expect([pods.rows, pods.columns]).toEqual([['n0'], ['', '*', 'store-0']]);
  expect(pods.cells.requested).toEqual([GiB, GiB, GiB]);
  expect(totals(pods).requested).toBe(3 * GiB);
  // a pod that is away for a while used it last
  await noteApplications(database, [{ claim_uid: 'a', application: 'store', pod: null }]);
  expect((await of('n0')).columns).toContain('store-0');
  await expect(of()).rejects.toThrow(/one namespace at a time/);
  expect((await of('n0', Sight.of({ role: 'namespace-owner', namespaces: ['n1'] } as never))).cells.row).toEqual([]);
});

test('flows from namespaces by classes to pools add up to the grid, the largest and the rest', async () => {
  for (let i = 0; i < 20; i++) {
    const uid = `many-${i}`;
    await platformObjects.in(database).create({ ...aClaimRow(uid, new Date('2040-01-01')), namespace: `m${i}` });
    await reservations.in(database).create({
      ...{ claimUid: uid, namespace: `m${i}`, claimName: uid, className: 'c0', reclaim: 'Delete', poolId: `p${i % 3}` },
      ...{ bytes: (i + 1) * GiB, rawBytes: 2 * GiB, iopsFloor: 0, backendIops: 0, volumeName: uid },
      createdAt: new Date('2040-01-01'),
    } as never);
  }
  await platformObjects.in(database).create({ ...aClaimRow('waits', new Date('2040-01-01')), phase: 'Pending' });
  const flows = await getFlows(database, Sight.everything, { measure: 'provisioned' }, 'EUR');
  expect(flows.namespaces.names).toHaveLength(14);
  expect(flows.namespaces.names[0]).toBe('m19');
  expect(flows.namespaces.merged).toBe(7);
  expect(flows.pools.names.sort()).toEqual(['p0', 'p1', 'p2']);
  const sum = (of: (f: UseFlows['flows'][number]) => boolean) =>
    flows.flows.filter(of).reduce((all, f) => all + f.value, 0);
  expect(sum(() => true)).toBe(totals(await grid('namespace', 'class')).provisioned);
  expect(sum((f) => f.namespace === 13)).toBe((1 + 2 + 3 + 4 + 5 + 6 + 7) * GiB);
  const claims = await getFlows(database, Sight.everything, { measure: 'claims' }, 'EUR');
  expect(claims.flows.reduce((all, f) => all + f.claims, 0)).toBe(21);
  expect(claims.pools.names).toContain('');
  const seen = await getFlows(
    database,
    Sight.of({ role: 'namespace-owner', namespaces: ['m3'] } as never),
    { measure: 'claims' },
    'EUR',
  );
  expect(seen.namespaces.names).toEqual(['m3']);
  expect((await getFlows(database, Sight.everything, { measure: 'written' }, 'EUR')).unknown).toBe(20);
});

test('a claim that is older than we know of counts since it was made, in the sums of days that are kept as well', async () => {
  await platformObjects.in(database).create(aClaimRow('first', new Date(Date.now() - 100 * hourMs)));
  await keepDays(database);
  expect(await useDays.in(database).count()).toBeGreaterThan(2);
  await platformObjects.in(database).create(aClaimRow('older', new Date(Date.now() - 60 * hourMs)));
  const claimsAt = async (hoursAgo: number) =>
    totals(await grid('namespace', 'class', new Date(Date.now() - hoursAgo * hourMs).toISOString())).claims;
  expect(await Promise.all([101, 99, 61, 59, 30, 1].map(claimsAt))).toEqual([0, 1, 1, 2, 2, 2]);
});

test('two that change what one claim uses at the same time are both counted, once', async () => {
  await platformObjects.in(database).create({ ...aClaimRow('both', new Date()), phase: 'Pending' });
  const [one, other] = [new pg.Client(url), new pg.Client(url)];
  await Promise.all([one.connect(), other.connect()]);
  await one.query('BEGIN');
  await one.query(`UPDATE platform_objects SET phase = 'Bound' WHERE uid = 'both'`);
  // it waits for the first, of which it knows nothing yet
  const held = other.query(
    `INSERT INTO reservations (claim_uid, namespace, claim_name, class_name, reclaim, pool_id, bytes, raw_bytes, iops_floor,
       backend_iops, volume_name) VALUES ('both', 'n0', 'both', 'c0', 'Delete', 'p0', 5, 10, 0, 0, 'v-both')`,
  );
  for (let waits = 0; waits === 0;)
    waits = (
      await database.rows(
        `SELECT 1 FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`,
      )
    ).length;
  await one.query('COMMIT');
  await held;
  await Promise.all([one.end(), other.end()]);
  expect(totals(await grid('namespace', 'class'))).toMatchObject({
    claims: 1,
    unbound: 0,
    provisioned: 5,
    footprint: 10,
  });
});

test('the clock of the platform dates what was, unless it is more than a day ahead', async () => {
  const told = async (aheadMs: number) => {
    await followClock(database, new Date(Date.now() + aheadMs));
    return Math.round((Date.parse((await grid('namespace', 'class')).at) - Date.now()) / hourMs) + 0;
  };
  expect([await told(-50 * hourMs), await told(20_000), await told(5 * hourMs), await told(1e6 * hourMs)]).toEqual([
    -50, 0, 5, 0,
  ]);
});

test('limits are told as they were, and a moment that is to come is refused', async () => {
  const set = (bytes: number) =>
    database.rows(`INSERT INTO limits (namespace, class_name, bytes) VALUES ('n0', 'c0', ${bytes})
      ON CONFLICT (namespace, class_name) DO UPDATE SET bytes = excluded.bytes`);
  await set(5 * GiB);
  const { at } = await grid('namespace', 'class');
  await set(7 * GiB);
  expect((await grid('namespace', 'class', at)).limits).toEqual([{ row: 0, column: 0, bytes: 5 * GiB }]);
  expect((await grid('namespace', 'class')).limits).toEqual([{ row: 0, column: 0, bytes: 7 * GiB }]);
  const later = new Date(Date.now() + hourMs).toISOString();
  await expect(grid('namespace', 'class', later)).rejects.toMatchObject({ field: 'at' });
});

test('columns beyond those that are told apart are one, and the sums stay', async () => {
  await platformObjects.in(database).bulkCreate(
    Array.from({ length: 130 }, (_, i) => ({
      ...aClaimRow(`c-${i}`, new Date()),
      className: `class-${i}`,
      sizeBytes: (i + 1) * GiB,
    })),
  );
  const g = await grid('namespace', 'class');
  expect([g.columns.length, g.merged, g.columns.at(-1)]).toEqual([100, 31, '']);
  expect(totals(g)).toMatchObject({ claims: 130, requested: ((130 * 131) / 2) * GiB });
});

test('who owns a namespace is told of no other', async () => {
  await platformObjects.in(database).create(aClaimRow('mine', new Date()));
  await platformObjects.in(database).create({ ...aClaimRow('theirs', new Date()), namespace: 'n1' });
  const person = { name: 'ivo', title: '', role: 'namespace-owner', namespaces: ['n1'] } as const;
  const sight = Sight.of({ ...person, namespaces: [...person.namespaces] });
  const { at, ...now } = await grid('namespace', 'class', undefined, sight);
  expect([now.rows, totals({ at, ...now }).claims]).toEqual([['n1'], 1]);
  expect((await grid('team', 'application', at, sight)).rows).toEqual(['shore']);
});
