import { quantile, sketchError } from '@moorage/core/usage/sketch';
import fc from 'fast-check';
import type { Database } from '../database/database';
import { reservations } from '../reservations/reservation-model';
import { migratedDatabase } from '../testing/databases';
import { seedUse, tellOf, usedVolume } from '../testing/used';
import { catchUp, forgetSamples, keptDays, rollUp, takeMinuteOf, takeView } from './sampling';

const minuteMs = 60_000;
/** Some weeks ago: every span of it is over. */
const begin = new Date(Math.floor((Date.now() - 20 * 24 * 60 * minuteMs) / (60 * minuteMs)) * 60 * minuteMs);
let database: Database;
let end: () => Promise<void>;
let tell: ReturnType<typeof tellOf>;
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
  tell = tellOf(database, begin);
  await seedUse(database, new Date(begin.getTime() - 60 * minuteMs));
});
afterAll(() => end());
beforeEach(() =>
  database.rows('TRUNCATE samples, last_counts, sampled, rolled_5m, rolled_1h, rolled_1d, roll_due, series'),
);

const minute = (n: number) => new Date(begin.getTime() + n * minuteMs);
interface Rolled {
  written_count: number;
  written_least: number;
  written_most: number;
  written_sum: number;
  written_last: number;
  iops_count: number;
  iops_least: number;
  iops_most: number;
  iops_sum: number;
  iops_sketch: number[];
}
const rolled = (step: string, kind: string, name: string) =>
  database.rows<Rolled & { at: Date }>(
    `SELECT r.* FROM rolled_${step} r JOIN series s ON s.id = r.series_id WHERE s.kind = $1 AND s.name = $2 ORDER BY r.at`,
    [kind, name],
  );
const sampledOf = (kind: string, name: string) =>
  database.rows<{ at: Date; written: number; iops: number | null; latency: number | null }>(
    `SELECT m.at, m.written, m.iops, m.latency FROM samples m JOIN series s ON s.id = m.series_id WHERE s.kind = $1 AND s.name = $2 ORDER BY m.at`,
    [kind, name],
  );

test('roll-ups keep counts, sums and peaks, and quantiles within the stated error', async () => {
  const loads = fc.array(fc.integer({ min: 0, max: 50_000 }), { minLength: 5, maxLength: 120 });
  const property = fc.asyncProperty(loads, async (perMinute) => {
    await database.rows('TRUNCATE samples, last_counts, sampled, rolled_5m, rolled_1h, rolled_1d, roll_due, series');
    let operations = 0;
    const counted = () => ({ operations, bytes: operations * 4096, busyMs: operations / 2 });
    await tell('basalt', 0, [usedVolume(0, 1, counted()), usedVolume(1, 5)]);
    for (const [i, load] of perMinute.entries()) {
      operations += load;
      await tell('basalt', i + 1, [usedVolume(0, load + 1, counted()), usedVolume(1, 5)]);
    }
    await rollUp(database);
    const rates = perMinute.map((l) => l / 60);
    for (const step of ['5m', '1h', '1d']) {
      const rows = await rolled(step, 'claim', 'u0');
      const sum = (of: (r: Rolled) => number) => rows.reduce((a, r) => a + of(r), 0);
      expect(sum((r) => r.written_count)).toBe(perMinute.length + 1);
      expect(sum((r) => r.written_sum)).toBe(1 + perMinute.reduce((a, l) => a + l + 1, 0));
      expect(Math.max(...rows.map((r) => r.written_most))).toBe(Math.max(1, ...perMinute.map((l) => l + 1)));
      expect(rows.at(-1)!.written_last).toBe(perMinute.at(-1)! + 1);
      expect(sum((r) => r.iops_count)).toBe(perMinute.length);
      expect(sum((r) => r.iops_sum)).toBeCloseTo(
        rates.reduce((a, r) => a + r, 0),
        5,
      );
      expect(Math.max(...rows.map((r) => r.iops_most ?? 0))).toBeCloseTo(Math.max(...rates), 8);
      const is = [...rates].sort((a, b) => a - b)[Math.ceil(0.95 * rates.length) - 1]!;
      const told = quantile(
        rows.flatMap((r) => r.iops_sketch ?? []),
        0.95,
      )!;
      expect(Math.abs(told - is)).toBeLessThanOrEqual(sketchError * is + 1e-9);
    }
  });
  await fc.assert(property, { numRuns: 4 });
});

test('samples that come twice, or late, count once; what comes late is rolled up again', async () => {
  for (const n of [0, 1, 2, 7]) await tell('basalt', n, [usedVolume(0, n), usedVolume(1, 0)]);
  await rollUp(database);
  await tell('basalt', 7, [usedVolume(0, 99), usedVolume(1, 99)]);
  expect((await sampledOf('claim', 'u0')).map((s) => s.written)).toEqual([0, 1, 2, 7]);
  // of a minute before the last that it told of
  await database.rows(`UPDATE sampled SET at = $1`, [minute(2)]);
  await tell('basalt', 3, [usedVolume(0, 3), usedVolume(1, 0)]);
  await rollUp(database);
  expect((await rolled('1h', 'claim', 'u0')).map((r) => [r.written_count, r.written_sum, r.written_last])).toEqual([
    [5, 13, 7],
  ]);
});

test('a backend that is silent leaves a gap of what it holds a part of, and no fall', async () => {
  for (let n = 0; n < 15; n++) {
    await tell('basalt', n, [usedVolume(0, 100), usedVolume(1, 10)]);
    if (n < 5 || n >= 10) await tell('kelp', n, [usedVolume(2, 1000)]);
  }
  await rollUp(database);
  const spans = async (kind: string, name: string) =>
    (await rolled('5m', kind, name)).map((r) => [
      (r.at.getTime() - begin.getTime()) / minuteMs,
      r.written_least,
      r.written_most,
      r.written_count,
    ]);
  expect(await spans('namespace', 'n0')).toEqual([0, 5, 10].map((at) => [at, 100, 100, 5]));
  expect(await spans('namespace', 'n1')).toEqual([0, 10].map((at) => [at, 1010, 1010, 5]));
  expect(await spans('site', '')).toEqual([0, 10].map((at) => [at, 1110, 1110, 5]));
  expect((await spans('backend', 'basalt')).length).toBe(3);
});

test('a count that began anew, and one that is long ago, give no rate, and no false one', async () => {
  const of = (n: number, operations: number) =>
    tell('basalt', n, [usedVolume(0, 1, { operations, bytes: operations, busyMs: operations }), usedVolume(1, 1)]);
  for (const [n, operations] of [
    [0, 6000],
    [1, 12_000],
    [2, 600],
    [3, 1200],
    [60, 100_000],
    [61, 100_600],
  ] as const)
    await of(n, operations);
  expect((await sampledOf('claim', 'u0')).map((s) => s.iops)).toEqual([null, 100, null, 10, null, 10]);
});

test('a volume that moved to another backend goes on where its history was', async () => {
  await tell('basalt', 0, [usedVolume(0, 40), usedVolume(1, 0)]);
  await reservations.in(database).update({ poolId: 'p1', volumeId: 'elsewhere' }, { where: { claimUid: 'u0' } });
  await tell('kelp', 1, [{ ...usedVolume(0, 41), id: 'elsewhere', name: 'renamed' }, usedVolume(2, 0)]);
  await reservations.in(database).update({ poolId: 'p0', volumeId: 'id0' }, { where: { claimUid: 'u0' } });
  expect((await sampledOf('claim', 'u0')).map((s) => s.written)).toEqual([40, 41]);
});

test('a clock that was set back does not stop it', async () => {
  await database.rows(`INSERT INTO sampled (backend_id, at) VALUES ('basalt', now() + interval '20 hours')`);
  const view = {
    pools: [],
    volumes: [usedVolume(0, 7), usedVolume(1, 7)],
    nodes: [],
    disks: [],
    healthy: true,
  } as never;
  await takeView(database, 'basalt', view, new Date());
  expect(await sampledOf('claim', 'u0')).toHaveLength(1);
});

test('of a key that is not told of whole there is no value', async () => {
  await tell('basalt', 0, [usedVolume(0, 40)]);
  const rows = await database.rows<{ name: string }>(`SELECT name FROM series WHERE kind = 'key'`);
  expect(rows).toHaveLength(1);
  expect((await sampledOf('pool', 'p0')).map((s) => s.written)).toEqual([900]);
});

test('however often a backend is looked at in a minute, it is sampled once', async () => {
  let taken = 0;
  const view = {
    get volumes() {
      taken += 1;
      return [usedVolume(0, 7), usedVolume(1, 7)];
    },
  };
  for (let i = 0; i < 4; i++) await takeView(database, 'basalt', view as never, new Date());
  expect(taken).toBeGreaterThan(0);
  // a minute may end meanwhile
  expect(taken).toBeLessThanOrEqual(2);
});

test('minutes are kept for their days and no longer, what they were rolled up to for longer', async () => {
  const ago = (days: number) => new Date(Math.floor(Date.now() / minuteMs) * minuteMs - days * 24 * 60 * minuteMs);
  for (const days of [keptDays.samples + 2, keptDays.samples - 1])
    await takeMinuteOf(database, 'basalt', [usedVolume(0, days), usedVolume(1, 0)], ago(days), ago(days));
  await rollUp(database);
  await forgetSamples(database);
  expect((await sampledOf('claim', 'u0')).map((s) => s.written)).toEqual([keptDays.samples - 1]);
  expect(await rolled('5m', 'claim', 'u0')).toHaveLength(2);
});

test('what is not rolled up yet is not dropped, however old', async () => {
  const ago = new Date(Math.floor(Date.now() / minuteMs) * minuteMs - (keptDays.samples + 5) * 24 * 60 * minuteMs);
  await takeMinuteOf(database, 'basalt', [usedVolume(0, 7), usedVolume(1, 0)], ago, ago);
  await forgetSamples(database);
  await rollUp(database);
  expect((await rolled('1d', 'namespace', 'n0')).map((r) => r.written_last)).toEqual([7]);
  await forgetSamples(database);
  expect(await sampledOf('claim', 'u0')).toEqual([]);
});

const toldPool = '/p0';
describe('what a backend told while nobody here sampled it', () => {
  const report = (name: string, ...moments: readonly (readonly [n: number, written: number])[]) =>
    [
      name,
      moments.map(([n, written]) => ({
        at: minute(n).toISOString(),
        pools: [
          { path: toldPool, consumedRaw: 2 * written },
          { path: '/redfish/v1/somebody-elses', consumedRaw: 5 },
        ],
        volumes: [
          { id: 'id0', consumed: written, iops: 50, bytesPerSecond: 4096, latencyMs: 2 },
          { id: 'id1', consumed: 1 },
        ],
      })),
    ] as const;
  const reports = new Map([
    report('/reports/volumes-1', [0, 10], [180, 20]),
    report('/reports/volumes-2', [360, 30], [540, 40]),
  ]);
  const asked: string[] = [];
  const backend = {
    fetchVolumeReports: () => Promise.resolve([...reports.keys()]),
    fetchVolumeReport: (name: string) => {
      asked.push(name);
      return Promise.resolve(reports.get(name)!);
    },
  };
  beforeEach(() => asked.splice(0));

  test('is taken from its reports, each once, and rolled up', async () => {
    for (let i = 0; i < 2; i++) await catchUp(database, 'basalt', backend);
    expect(asked).toEqual([...reports.keys()]);
    await rollUp(database);
    expect((await sampledOf('claim', 'u0')).map((s) => [s.written, s.iops])).toEqual([
      [10, 50],
      [20, 50],
      [30, 50],
      [40, 50],
    ]);
    expect((await rolled('1h', 'namespace', 'n0')).map((r) => r.written_last)).toEqual([10, 20, 30, 40]);
    // raw, as the pool tells; a pool that is not known here is nobody's
    const [pool] = await database.rows<{ id: string }>('SELECT id FROM pools WHERE path = $1', [toldPool]);
    expect((await rolled('1h', 'pool', pool!.id)).map((r) => r.written_last)).toEqual([20, 40, 60, 80]);
    expect(await database.rows(`SELECT 1 FROM series WHERE kind = 'pool'`)).toHaveLength(1);
  });

  test('is not believed of times to come, or of long ago', async () => {
    const odd = { ...backend, fetchVolumeReports: () => Promise.resolve(['/reports/volumes-9']) };
    const at = (ms: number) => ({
      at: new Date(ms).toISOString(),
      pools: [],
      volumes: [
        { id: 'id0', consumed: 5 },
        { id: 'id1', consumed: 5 },
      ],
    });
    const fetchVolumeReport = () => Promise.resolve([at(Date.parse('1066-10-14T09:00:00Z')), at(Date.now() + 9e8)]);
    await catchUp(database, 'basalt', { ...odd, fetchVolumeReport });
    expect(await sampledOf('claim', 'u0')).toEqual([]);
    const parts = await database.rows<{ name: string }>(
      `SELECT relname AS name FROM pg_class WHERE relname LIKE 'samples_1066%'`,
    );
    expect(parts).toEqual([]);
  });

  test('gives way to what was sampled here', async () => {
    await tell('basalt', 178, [usedVolume(0, 99), usedVolume(1, 1)]);
    await catchUp(database, 'basalt', backend);
    expect((await sampledOf('claim', 'u0')).map((s) => s.written)).toEqual([10, 99, 30, 40]);
  });

  test('goes on where it was stopped', async () => {
    let calls = 0;
    await catchUp(database, 'basalt', backend, () => ++calls > 1);
    expect(asked).toEqual(['/reports/volumes-1']);
    await catchUp(database, 'basalt', backend);
    expect(asked).toEqual([...reports.keys()]);
    expect((await sampledOf('claim', 'u0')).map((s) => s.written)).toEqual([10, 20, 30, 40]);
  });
});
