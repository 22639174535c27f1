import type { ForecastAnswer, RunwayEnd, RunwayKind, RunwayRow, Runways } from '@moorage/contract/forecast';
import { forecast, valueAt } from '@moorage/core/usage/forecast';
import { stepsIn } from '@moorage/core/usage/jump';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { limitsOf } from '../namespaces/limits';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { siteMoments } from '../usage/use.sql';
import type { Runway } from './forecast-model';
import { listedRunways } from './forecast.sql';
import { namespaceSubjects, poolSubjects, reckon, type Subject } from './reckon';

const mostListed = 500;
const dayMs = 24 * 3_600_000;
/** Days that a forecast is drawn for, at most: two years, and what follows. */
const mostAhead = 744;

const rowOf = (r: Omit<Runway, 'reckonedAt'>): RunwayRow => ({
  ...{ kind: r.kind, name: r.name, className: r.className || null, against: r.against },
  ...{ used: r.used, end: r.endsAt, perDay: r.perDay },
  runway:
    r.state === 'meets'
      ? { kind: 'meets', at: r.meetsAt!.getTime(), from: r.fromAt!.getTime(), to: r.toAt?.getTime() ?? null }
      : r.state && { kind: r.state },
});

/** What is reached first, as it was reckoned last. */
export async function listRunways(
  database: Database,
  sight: Sight,
  { kind, q }: { kind?: RunwayKind; q?: string },
): Promise<Runways> {
  const rows = await listedRunways(database, kind ?? null, q ?? '', sight.namespaces, mostListed + 1);
  return {
    reckonedAt: rows[0]?.reckoned_at.toISOString() ?? null,
    rows: rows.slice(0, mostListed).map((r) =>
      rowOf({
        ...{ kind: r.kind as RunwayKind, name: r.name, className: r.class_name, against: r.against as RunwayEnd },
        ...{ used: r.used, endsAt: r.ends_at, perDay: r.per_day, state: r.state },
        ...{ meetsAt: r.meets_at, fromAt: r.from_at, toAt: r.to_at },
      }),
    ),
    more: Math.max(0, rows.length - mostListed),
  };
}

/** How one of them came, and how it goes on. */
export async function getForecast(
  database: Database,
  sight: Sight,
  asked: { kind: RunwayKind; name: string; className?: string; against: RunwayEnd; days: number },
): Promise<ForecastAnswer> {
  const { kind, name, className = '', against, days } = asked;
  if (kind === 'namespace' ? !sight.sees(name) : !sight.isWhole) throw Refusal.notFound(kind, name);
  const { now } = (await first(siteMoments(database)))!;
  let subjects: Subject[] = [];
  if (kind === 'pool') subjects = await poolSubjects(database, now, days, name);
  if (kind === 'backend') subjects = await poolSubjects(database, now, days);
  if (kind === 'namespace') {
    const limits = (await limitsOf(database, name)).flatMap((l) => (l.of === 'snapshots' ? [] : [{ ...l, of: l.of }]));
    subjects = await namespaceSubjects(database, now, days, [{ namespace: name, limits }]);
  }
  const found = subjects.find(
    (s) => s.kind === kind && s.name === name && s.className === className && s.against === against,
  );
  if (!found) throw Refusal.notFound('runway', [name, className, against].filter(Boolean).join(' '));
  const { measured } = found;
  const { trend, runway } = forecast(measured);
  const from = now.getTime();
  const ahead = runway?.kind === 'meets' ? Math.ceil((runway.at - from) / dayMs) + 14 : days;
  const at = trend
    ? Array.from({ length: Math.min(mostAhead, Math.max(14, ahead)) + 1 }, (_, i) => from + i * dayMs)
    : [];
  const values = at.map((t) => valueAt(trend!, t));
  return {
    row: rowOf(reckon(found, now)),
    was: {
      at: [...Array.from(measured.course.at), from],
      value: [...Array.from(measured.course.value), measured.now],
    },
    steps: stepsIn(measured.course),
    goesOn: {
      at,
      value: values.map((v) => v.value),
      low: values.map((v) => v.low),
      high: values.map((v) => v.high),
    },
  };
}
