import type { RunwayEnd, RunwayKind } from '@moorage/contract/forecast';
import { jumpOf } from '@moorage/core/usage/jump';
import { forecast, type Measured } from '@moorage/core/usage/forecast';
import type { Course } from '@moorage/core/usage/theil-sen';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { listMoorings } from '../moorings/moorings';
import { siteMoments } from '../usage/use.sql';
import { jumps, runways, type Runway } from './forecast-model';
import {
  daysKnown,
  daysOfNamespaces,
  daysOfPools,
  dropOldRunways,
  limitedAfter,
  pricesRisen,
  usedByClass,
  writtenDaily,
  writtenOnPools,
  type DayRow,
} from './forecast.sql';
import { rawPools } from './pools';

const dayMs = 24 * 3_600_000;
/** Days of the past that a runway is reckoned from, unless somebody asks for others. */
export const usualDays = 60;
const namespacesAtOnce = 100;

/** One thing that comes to an end, with its course. */
export interface Subject {
  readonly kind: RunwayKind;
  readonly name: string;
  readonly className: string;
  readonly against: RunwayEnd;
  readonly measured: Measured;
}

const courseOf = (days: readonly { readonly day: Date }[], value: (i: number) => number): Course => ({
  at: days.map((d) => d.day.getTime()),
  value: days.map((_, i) => value(i)),
});

/** Rows of the same days put together, in the order of the days; where there is none of a day that is known, there was nothing. */
function byDay(rows: readonly DayRow[], known: readonly Date[]): DayRow[] {
  const nothing = { name: '', class_name: '', claims: 0, provisioned: 0, footprint: 0, milli_iops: 0 };
  const days = new Map<number, DayRow>(known.map((day) => [day.getTime(), { ...nothing, day }]));
  for (const row of rows) {
    const sum = days.get(row.day.getTime());
    days.set(row.day.getTime(), {
      ...row,
      claims: row.claims + (sum?.claims ?? 0),
      provisioned: row.provisioned + (sum?.provisioned ?? 0),
      footprint: row.footprint + (sum?.footprint ?? 0),
      milli_iops: row.milli_iops + (sum?.milli_iops ?? 0),
    });
  }
  return [...days.values()].sort((a, b) => a.day.getTime() - b.day.getTime());
}

function grouped<T>(rows: readonly T[], keyOf: (row: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const row of rows) {
    const group = groups.get(keyOf(row));
    if (group) group.push(row);
    else groups.set(keyOf(row), [row]);
  }
  return groups;
}

/** What was of another size then is told at the size of now: what is reserved costs each pool in its own way. */
const scaledTo = (now: number, { at, value }: Course): Course => {
  const last = Number(value[value.length - 1] ?? 0);
  const times = last > 0 ? now / last : 0;
  return { at, value: Array.from(value, (v) => v * times) };
};

/** Marks, ceiling and operations of every pool, and the caps over backends. `only`: that pool alone. */
export async function poolSubjects(database: Database, now: Date, days: number, only?: string): Promise<Subject[]> {
  const since = new Date(now.getTime() - days * dayMs);
  const all = await rawPools(database);
  const known = (await daysKnown(database, since)).map((d) => d.day);
  const written = grouped(await writtenOnPools(database, since, only ?? null), (r) => r.name);
  const promised = grouped(await daysOfPools(database, since), (r) => r.name);
  const at = now.getTime();
  const subjects = all
    .filter((p) => only === undefined || p.live.id === only)
    .flatMap((p): Subject[] => {
      const { id } = p.live;
      const fills = (written.get(id) ?? []).filter((r) => r.day.getTime() + dayMs <= at);
      const fill = courseOf(fills, (i) => fills[i]!.written);
      const held = byDay(promised.get(id) ?? [], known);
      const footprint = courseOf(held, (i) => held[i]!.footprint);
      const iops = courseOf(held, (i) => held[i]!.milli_iops / 1000);
      const of = (against: RunwayEnd, now: number, limit: number, course: Course): Subject => ({
        ...{ kind: 'pool', name: id, className: '', against, measured: { now, at, limit, course } },
      });
      return [
        of('soft', p.written, p.live.softMark * p.capacity, fill),
        of('hard', p.written, p.live.hardMark * p.capacity, fill),
        of('ceiling', p.promised, p.ceiling, footprint),
        ...(p.promisableIops > 0 && p.core.promisedIops > 0
          ? [of('iops', p.core.promisedIops, p.promisableIops, scaledTo(p.core.promisedIops, iops))]
          : []),
      ];
    });
  if (only !== undefined) return subjects;
  const backends = grouped(
    all.filter((p) => p.live.backendCap !== null),
    (p) => p.live.backend,
  );
  for (const [backend, pools] of backends) {
    const cap = pools[0]!.live.backendCap!;
    const held = byDay(
      pools.flatMap((p) => promised.get(p.live.id) ?? []),
      known,
    );
    const course = scaledTo(
      cap.taken,
      courseOf(held, (i) => held[i]!.footprint),
    );
    const measured = { now: cap.taken, at, limit: cap.limit, course };
    subjects.push({ kind: 'backend', name: backend, className: '', against: 'cap', measured });
  }
  return subjects;
}

const endOf = { bytes: 'limit', claims: 'claims', iops: 'iops-limit' } as const;

/** Limits of namespaces, all of those that are named. */
export async function namespaceSubjects(
  database: Database,
  now: Date,
  days: number,
  limited: Awaited<ReturnType<typeof limitedAfter>>,
): Promise<Subject[]> {
  const names = limited.map((l) => l.namespace);
  const since = new Date(now.getTime() - days * dayMs);
  const known = (await daysKnown(database, since)).map((d) => d.day);
  const was = grouped(await daysOfNamespaces(database, since, names), (r) => r.name);
  const is = grouped(await usedByClass(database, names), (r) => r.namespace);
  return limited.flatMap(({ namespace, limits }) =>
    limits.map(({ className, of, amount }): Subject => {
      const counts = (row: { readonly class_name: string }) => className === '' || row.class_name === className;
      const held = byDay((was.get(namespace) ?? []).filter(counts), known);
      const used = (is.get(namespace) ?? []).filter(counts).reduce((sum, u) => sum + u[of], 0);
      const course = courseOf(held, (i) =>
        of === 'bytes' ? held[i]!.provisioned : of === 'claims' ? held[i]!.claims : held[i]!.milli_iops / 1000,
      );
      return {
        ...{ kind: 'namespace', name: namespace, className, against: endOf[of] },
        measured: { now: used, at: now.getTime(), limit: amount, course },
      };
    }),
  );
}

export function reckon({ measured, ...of }: Subject, reckonedAt: Date): Runway {
  const { perDay, runway } = forecast(measured);
  const meets = runway?.kind === 'meets' ? runway : undefined;
  return {
    ...of,
    ...{ used: measured.now, endsAt: measured.limit, perDay, state: runway?.kind ?? null, reckonedAt },
    meetsAt: meets ? new Date(meets.at) : null,
    fromAt: meets ? new Date(meets.from) : null,
    toAt: meets && meets.to !== null ? new Date(meets.to) : null,
  };
}

/** Of each class: when the last of its pools reaches its hard mark. What is not known of one is not known of the class. */
async function classRunways(database: Database, pools: readonly Runway[]): Promise<Runway[]> {
  const hard = new Map(pools.filter((r) => r.against === 'hard').map((r) => [r.name, r]));
  const moored = grouped(
    (await listMoorings(database)).filter((m) => m.enabled && hard.has(m.pool)),
    (m) => m.className,
  );
  const rank = (r: Runway) =>
    r.state === 'none'
      ? Infinity
      : r.state === null
        ? Number.MAX_VALUE
        : r.state === 'over'
          ? -1
          : r.meetsAt!.getTime();
  return [...moored].map(([name, to]): Runway => {
    const its = to.map((m) => hard.get(m.pool)!);
    const last = its.reduce((a, b) => (rank(b) > rank(a) ? b : a));
    const sum = (of: 'used' | 'endsAt') => its.reduce((all, r) => all + r[of], 0);
    const grows = its.every((r) => r.perDay !== null) ? its.reduce((all, r) => all + r.perDay!, 0) : null;
    return {
      ...last,
      kind: 'class',
      name,
      className: '',
      against: 'pools',
      used: sum('used'),
      endsAt: sum('endsAt'),
      perDay: grows,
    };
  });
}

const members = ['used', 'endsAt', 'perDay', 'state', 'meetsAt', 'fromAt', 'toAt', 'reckonedAt'] as const;
const keep = (database: Database, rows: readonly Runway[]) =>
  runways.in(database).bulkCreate([...rows], { updateOnDuplicate: [...members], returning: false });

/** Reckons every runway anew; what has none any more is forgotten. */
export async function reckonRunways(database: Database, isOver: () => boolean): Promise<void> {
  const { now } = (await first(siteMoments(database)))!;
  const pools = (await poolSubjects(database, now, usualDays)).map((s) => reckon(s, now));
  await keep(database, [...pools, ...(await classRunways(database, pools))]);
  let limited = await limitedAfter(database, '', namespacesAtOnce);
  while (limited.length > 0) {
    if (isOver()) return;
    const subjects = await namespaceSubjects(database, now, usualDays, limited);
    await keep(
      database,
      subjects.map((s) => reckon(s, now)),
    );
    limited = await limitedAfter(database, limited.at(-1)!.namespace, namespacesAtOnce);
  }
  await reckonJumps(database, now, isOver);
  if (!isOver()) await dropOldRunways(database, now);
}

/** Days that tell what is usual of a namespace. */
const usualOf = 30;
/** Bytes of a day below which nobody minds. */
const leastWritten = 10 * 2 ** 30;
/** A month's price that is so many times what it was, and so much more. */
const [risenTimes, risenLeast] = [1.5, 20];
const seriesAtOnce = 500;

async function reckonJumps(database: Database, now: Date, isOver: () => boolean): Promise<void> {
  const today = new Date(Math.floor(now.getTime() / dayMs) * dayMs);
  const since = new Date(today.getTime() - usualOf * dayMs);
  const kept = (rows: { kind: 'written' | 'price'; namespace: string; change: number; usual: number }[]) =>
    jumps.in(database).bulkCreate(
      rows.map((r) => ({ ...r, reckonedAt: now })),
      { updateOnDuplicate: ['change', 'usual', 'reckonedAt'], returning: false },
    );
  let some = await writtenDaily(database, since, today, '', seriesAtOnce);
  while (some.length > 0 && !isOver()) {
    const found = some.flatMap(({ name, days, written }) => {
      const daily = Array.from({ length: usualOf }, (_, d) => written[days.indexOf(d)] ?? null);
      const jump = jumpOf(daily, Math.max(leastWritten, 0.02 * (daily.at(-2) ?? 0)));
      return jump ? [{ kind: 'written' as const, namespace: name, change: jump.change, usual: jump.usual }] : [];
    });
    await kept(found);
    some = await writtenDaily(database, since, today, some.at(-1)!.name, seriesAtOnce);
  }
  const risen = await pricesRisen(database, since, risenTimes, risenLeast);
  await kept(risen.map((r) => ({ kind: 'price', namespace: r.namespace, change: r.now, usual: r.before })));
}
