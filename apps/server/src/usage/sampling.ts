import { ratesBetween, Together, type Counted, type Sampled } from '@moorage/core/usage/sampled';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { pools } from '../pools/pool-model';
import type { BackendConnector, BackendView } from '../swordfish/connector';
import { rollDay, rollGroups, rollHour, rollMinutes, takeDue } from './roll.sql';
import {
  ensureClaimSeries,
  ensureParts,
  between,
  heldNow,
  isSampledNear,
  minuteOf,
  dropParts,
  noteDue,
  noteReport,
  reportTaken,
  takeMinute,
  takeSamples,
  takeSums,
} from './sample.sql';
import { LastCounted } from './last-counted';
import type { Step } from './sample-model';

/** How long values of each span are kept, days. */
export const keptDays = { samples: 3, rolled_5m: 14, rolled_1h: 120, rolled_1d: 800 } as const;
const minuteMs = 60_000;
const stepMs: Readonly<Record<Step, number>> = { '5m': 5 * minuteMs, '1h': 60 * minuteMs, '1d': 24 * 60 * minuteMs };
const next: Readonly<Partial<Record<Step, Step>>> = { '5m': '1h', '1h': '1d' };
const beginOf = (step: Step, at: Date): Date => new Date(Math.floor(at.getTime() / stepMs[step]) * stepMs[step]);

/**
 * Takes the samples of a minute from what a backend told of itself at \`told\`; once a minute, however often it is asked. What comes
 * twice or late counts once, and a backend that is silent leaves a gap.
 */
export async function takeView(
  database: Database,
  backend: string,
  view: BackendView,
  told: Date,
  counted?: LastCounted,
): Promise<void> {
  const { now, last } = (await first(minuteOf(database, backend)))!;
  if (last !== null && last >= now && last.getTime() - now.getTime() <= stepMs['5m']) return;
  await takeMinuteOf(database, backend, view.volumes, now, told, counted);
}

/** A list as PostgreSQL reads one, far sooner than element by element. */
const listOf = (values: readonly (number | string | null)[]): string => `{${values.map((v) => v ?? 'NULL').join(',')}}`;
const columnsOf = (all: readonly Sampled[]) =>
  [
    listOf(all.map((s) => s.written)),
    listOf(all.map((s) => s.iops)),
    listOf(all.map((s) => s.throughput)),
    listOf(all.map((s) => s.latency)),
  ] as const;

/** What claims hold on a backend at a moment, each with its series. */
async function heldBy(database: Database, backend: string, at: Date) {
  const ask = async () => {
    const { volumes, lies, series, keys, pools } = (await first(heldNow(database, backend, at)))!;
    return {
      volumes: volumes === null ? [] : volumes.split(between),
      ...{ lies: lies.split(','), series: series.split(','), keys: keys.split(','), pools: pools.split(between) },
    };
  };
  const held = await ask();
  if (held.volumes.every((_, i) => held.series[i] !== '')) return held;
  await ensureClaimSeries(database, backend);
  return ask();
}

/** Rates of volumes since they were counted last; what they counted now is noted in its place. */
async function ratesOf(
  last: LastCounted,
  backend: string,
  volumes: BackendView['volumes'],
  told: Date,
): Promise<ReadonlyMap<string, Sampled>> {
  const before = await last.of(backend);
  const ms = before ? told.getTime() - before.at.getTime() : NaN;
  const counted = new Map<string, Counted>();
  const rates = new Map<string, Sampled>();
  for (const { id, consumed, counted: now } of volumes) {
    if (now) counted.set(id, now);
    const { iops, throughput, latency } = ratesBetween(before?.counts.get(id), now, ms);
    rates.set(id, { written: consumed, iops, throughput, latency });
  }
  if (counted.size > 0) await last.note(backend, { at: told, counts: counted });
  return rates;
}

/** The same of a stated minute. */
export async function takeMinuteOf(
  database: Database,
  backend: string,
  volumes: BackendView['volumes'],
  at: Date,
  told: Date,
  counted = new LastCounted(database),
): Promise<void> {
  await ensureParts(database, at);
  await database.transaction(async () => {
    if ((await takeMinute(database, backend, at)).length === 0) return;
    await takeSampled(database, backend, at, await ratesOf(counted, backend, volumes, told));
  });
}

/** Adds a part to the sum of a name. */
function addTo(sums: Map<string, Together>, name: string, sampled: Sampled | undefined): void {
  let sum = sums.get(name);
  if (!sum) sums.set(name, (sum = new Together()));
  sum.add(sampled);
}

const unmeasured = { iops: null, throughput: null, latency: null };

/**
 * Takes what was sampled of volumes at a moment. A volume that no claim holds is not sampled. With the volumes what was counted last
 * of what lies in buckets, and what they come to together: by what they are used for, where all of them were told (what is missing
 * would look like a fall), and by their pools. `rawThen`: of a moment of the past, raw bytes in pools as they were told of then.
 */
async function takeSampled(
  database: Database,
  backend: string,
  at: Date,
  ofVolume: ReadonlyMap<string, Sampled>,
  rawThen?: ReadonlyMap<string, number>,
): Promise<void> {
  const [series, taken]: [string[], Sampled[]] = [[], []];
  const [byKey, byPool] = [new Map<string, Together>(), new Map<string, Together>()];
  const held = await heldBy(database, backend, at);
  held.volumes.forEach((volume, i) => {
    // what lies in a bucket is known of now alone
    const lies = rawThen ? '' : held.lies[i]!;
    const inBucket = lies === '' ? undefined : { ...unmeasured, written: Number(lies) };
    const sampled = volume === '' ? inBucket : ofVolume.get(volume);
    if (sampled && held.series[i] !== '') {
      series.push(held.series[i]!);
      taken.push(sampled);
    }
    const isHeld = held.keys[i] !== '';
    if (isHeld) addTo(byKey, held.keys[i]!, sampled);
    // what was not there yet does not count among what was
    if (isHeld || !rawThen) addTo(byPool, held.pools[i]!, sampled);
  });
  await takeSamples(database, at, listOf(series), ...columnsOf(taken));
  const keys = [...byKey].filter(([, sum]) => sum.isWhole).map(([name, sum]) => [name, sum.value] as const);
  const pools = rawThen
    ? Array.from(rawThen, ([id, written]) => [id, { ...(byPool.get(id)?.value ?? unmeasured), written }] as const)
    : Array.from(byPool, ([id, sum]) => [id, sum.value] as const);
  await takeSums(
    database,
    backend,
    at,
    listOf([...keys.map(() => 'key'), ...pools.map(() => 'pool')]),
    [...keys, ...pools].map(([name]) => name),
    ...columnsOf([...keys, ...pools].map(([, sampled]) => sampled)),
    rawThen !== undefined,
  );
  await noteDue(database, '5m', beginOf('5m', at));
}

/**
 * Takes what a backend's own reports tell of the time before it was sampled, and of times when it was not: where it was sampled
 * within five minutes of a moment, the samples are better. Goes on after the last report that was taken, killed or not.
 */
export async function catchUp(
  database: Database,
  backend: string,
  { fetchVolumeReports, fetchVolumeReport }: Pick<BackendConnector, 'fetchVolumeReports' | 'fetchVolumeReport'>,
  isOver: () => boolean = () => false,
): Promise<void> {
  const last = (await first(reportTaken(database, backend)))?.report ?? '';
  const { now } = (await first(minuteOf(database, backend)))!;
  for (const report of (await fetchVolumeReports()).slice(-keptDays.rolled_1d)) {
    if (report <= last) continue;
    if (isOver()) return;
    const moments = await fetchVolumeReport(report);
    const known = await pools
      .in(database)
      .findAll({ attributes: ['id', 'path'], where: { backendId: backend }, limit: 10_000 });
    const idAt = new Map(known.map((p) => [p.path, p.id]));
    for (const { at, volumes, pools: told } of moments) {
      const moment = new Date(Math.floor(Date.parse(at) / minuteMs) * minuteMs);
      // what is to come, and what would be dropped at once, is nothing that was
      const agoMs = now.getTime() - moment.getTime();
      if (agoMs < 0 || agoMs > keptDays.rolled_1d * stepMs['1d']) continue;
      await ensureParts(database, moment);
      await database.transaction(async () => {
        if ((await first(isSampledNear(database, backend, moment)))!.is_near) return;
        const ofVolume = volumes.map((v): [string, Sampled] => [
          v.id,
          {
            written: v.consumed,
            iops: v.iops ?? null,
            throughput: v.bytesPerSecond ?? null,
            latency: v.latencyMs ?? null,
          },
        ]);
        const raw = told.flatMap((p) => (idAt.has(p.path) ? [[idAt.get(p.path)!, p.consumedRaw] as const] : []));
        await takeSampled(database, backend, moment, new Map(ofVolume), new Map(raw));
      });
    }
    await noteReport(database, backend, report);
  }
}

/** How long a span is over before it is rolled up: a backend may tell of its last minute a little later. */
const restMs = 20_000;

/** Rolls up every span that is over and of which samples came since. What it dies of is due still. */
export async function rollUp(database: Database, isOver: () => boolean = () => false): Promise<void> {
  for (let more = true; more && !isOver();)
    more = await database.transaction(async () => {
      const due = await first(takeDue(database, restMs));
      if (!due) return false;
      const { step, at } = due;
      if (step === '5m') {
        await rollMinutes(database, at);
        await rollGroups(database, at);
      } else await (step === '1h' ? rollHour : rollDay)(database, at);
      const wider = next[step];
      if (wider) await noteDue(database, wider, beginOf(wider, at));
      return true;
    });
}

const partsOf = {
  samples: ['day', '5m'],
  rolled_5m: ['day', '1h'],
  rolled_1h: ['month', '1d'],
  rolled_1d: ['month', ''],
} as const;

/** Drops what was kept for its time. */
export async function forgetSamples(database: Database): Promise<void> {
  for (const [table, days] of Object.entries(keptDays))
    await database.transaction(() => {
      const [wide, rolledBy] = partsOf[table as keyof typeof keptDays];
      return dropParts(database, table, wide, days, rolledBy);
    });
}
