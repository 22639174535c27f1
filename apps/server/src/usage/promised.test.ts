import fc from 'fast-check';
import type { Database } from '../database/database';
import { platformObjects } from '../mirror/mirror-model';
import { reservations } from '../reservations/reservation-model';
import { migratedDatabase } from '../testing/databases';
import { promisedBetween } from './price.sql';
import { siteClock, uses } from './use-model';
import { keepDays } from './use';

const dayMs = 24 * 3_600_000;
let database: Database;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
  await database.rows(
    `INSERT INTO backends (id, title, address, username, secret) VALUES ('b', 'B', 'http://b', 'u', '')`,
  );
  await database.rows(
    `INSERT INTO pools (id, backend_id, name, path, facts) SELECT 'p' || i, 'b', 'p' || i, '/p' || i, '{}' FROM generate_series(0, 2) i`,
  );
});
afterAll(() => end());
beforeEach(() => empty());

async function empty(): Promise<void> {
  await database.rows('DELETE FROM reservations');
  await database.rows(`DELETE FROM platform_objects`);
  await database.rows('TRUNCATE uses, use_changes, use_sums, use_days, used_claims');
}

const begin = Date.parse('2026-09-28T00:00:00Z');
const setClock = (at: number) => siteClock.in(database).update({ aheadMs: at - Date.now() }, { where: { id: 1 } });

/** A claim comes (dated so long ago), grows, is moved or goes. */
async function act(claim: number, what: number, pool: number, bytes: number, since: Date): Promise<void> {
  const uid = `u${claim}`;
  const known = await reservations.in(database).count({ where: { claimUid: uid } });
  if (known === 0) {
    await platformObjects.in(database).create({
      ...({ plural: 'persistentvolumeclaims', uid, namespace: 'n', name: uid, version: '1' } as const),
      ...{ body: { metadata: {} } as never, className: 'general', phase: 'Bound', sizeBytes: bytes, createdAt: since },
    });
    await reservations.in(database).create({
      ...{ claimUid: uid, namespace: 'n', claimName: uid, className: 'general', reclaim: 'Delete', poolId: `p${pool}` },
      ...{ bytes, rawBytes: bytes, iopsFloor: claim, backendIops: 0, volumeName: uid, volumeId: uid, createdAt: since },
    } as never);
  } else if (what === 0) {
    await reservations.in(database).destroy({ where: { claimUid: uid } });
    await platformObjects.in(database).destroy({ where: { uid } });
  } else await reservations.in(database).update({ bytes, poolId: `p${pool}` }, { where: { claimUid: uid } });
}

/** By key and beginning of a part, from what each claim used and how long. */
async function naive(moments: readonly Date[]): Promise<Map<string, string>> {
  const sums = new Map<string, [bytes: bigint, iops: bigint]>();
  for (const u of await uses.in(database).findAll({ limit: 10_000 }))
    for (const [i, until] of moments.slice(1).entries()) {
      const part = moments[i]!;
      const from = Math.max(+u.fromAt, +part);
      const to = Math.min(u.untilAt ? +u.untilAt : Infinity, +until);
      if (to <= from) continue;
      const key = `${u.keyId} ${part.toISOString()}`;
      const [bytes, iops] = sums.get(key) ?? [0n, 0n];
      sums.set(key, [
        bytes + BigInt(u.provisioned) * BigInt(to - from),
        iops + BigInt(u.milliIops) * BigInt(to - from),
      ]);
    }
  return new Map(
    [...sums].flatMap(([key, [bytes, iops]]) => (bytes > 0n || iops > 0n ? [[key, `${bytes} ${iops}`]] : [])),
  );
}

const minute = 60_000;
const acts = fc.array(
  fc.record({
    afterMs: fc.integer({ min: 1, max: 5 * 24 * 60 }).map((m) => m * minute + 137),
    claim: fc.integer({ min: 0, max: 4 }),
    what: fc.integer({ min: 0, max: 2 }),
    pool: fc.integer({ min: 0, max: 2 }),
    bytes: fc.integer({ min: 1, max: 2 ** 50 }),
    heardLate: fc.boolean(),
    keeps: fc.boolean(),
  }),
  { minLength: 3, maxLength: 20 },
);
const parts = fc.uniqueArray(fc.integer({ min: 1, max: 31 * 24 * 3_600_000 - 1 }), { maxLength: 4 });

test('what was promised in October is the sum of what each claim used, kept by days or not, heard of late or not', () =>
  fc.assert(
    fc.asyncProperty(acts, parts, fc.boolean(), async (all, inside, keepsAtLast) => {
      await empty();
      let at = begin;
      for (const { afterMs, claim, what, pool, bytes, heardLate, keeps } of all) {
        at += afterMs;
        await setClock(at);
        await act(claim, what, pool, bytes, new Date(at - (heardLate ? 9 * dayMs : 0)));
        if (keeps) await keepDays(database);
      }
      await setClock(Math.max(at, Date.parse('2026-11-01T00:10:00Z')));
      if (keepsAtLast) await keepDays(database);
      const [from, until] = [Date.parse('2026-10-01T00:00:00Z'), Date.parse('2026-11-01T00:00:00Z')];
      const moments = [from, ...inside.map((i) => from + i).sort((a, b) => a - b), until].map((m) => new Date(m));
      const told = await promisedBetween(database, moments, 100_000);
      expect(
        new Map(told.map((t) => [`${t.key_id} ${t.from_at.toISOString()}`, `${t.byte_ms} ${t.milli_iops_ms}`])),
      ).toEqual(await naive(moments));
    }),
    { numRuns: 40 },
  ));
