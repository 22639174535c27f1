import type { History, HistoryQuery, HistoryStep } from '@moorage/contract/history';
import { quantile } from '@moorage/core/usage/sketch';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import {
  claimNamed,
  eventsBetween,
  heldBetween,
  heldOfClaim,
  heldOfSite,
  limitsBetween,
  pointsOf,
  type HeldRow,
  type LimitSpan,
  type PointRow,
} from './history.sql';
import { blank, happenedTo } from './happenings';

const minuteMs = 60_000;
const spanMs: Readonly<Record<HistoryStep, number>> = {
  '1m': minuteMs,
  '5m': 5 * minuteMs,
  '1h': 60 * minuteMs,
  '1d': 24 * 60 * minuteMs,
};
/** Longest that is told by spans of each width. */
const longestMs: readonly (readonly [HistoryStep, number])[] = [
  ['1m', 4 * 60 * minuteMs],
  ['5m', 36 * 60 * minuteMs],
  ['1h', 21 * 24 * 60 * minuteMs],
  ['1d', 1200 * 24 * 60 * minuteMs],
];
const mostEvents = 300;

/** Groups are only known rolled up. */
const isGroup = (of: HistoryQuery['of']): boolean => of !== 'claim' && of !== 'pool';

function stepFor({ of }: HistoryQuery, from: Date, to: Date): HistoryStep {
  const fits = longestMs.find(([step, ms]) => to.getTime() - from.getTime() <= ms && (step !== '1m' || !isGroup(of)));
  if (!fits) throw Refusal.invalid('from', 'That is longer than three years. Ask for a shorter time.');
  return fits[0];
}

interface Subject {
  readonly kind: string;
  readonly name: string;
  readonly claim: string | null;
}

/** What is asked for, if the person sees it: what they do not is as if it were not there. */
async function subjectOf(database: Database, sight: Sight, { of, name }: HistoryQuery): Promise<Subject> {
  if (of === 'claim') {
    const [namespace = '', claim = ''] = name.split('/');
    const found = sight.sees(namespace) ? await first(claimNamed(database, namespace, claim)) : undefined;
    if (!found) throw Refusal.notFound('claim', name);
    return { kind: 'claim', name: found.claim_uid, claim: found.claim_uid };
  }
  if (of === 'namespace' ? !sight.sees(name) : !sight.isWhole) throw Refusal.notFound(of, name);
  return { kind: of, name, claim: null };
}

const shareOf = (point: PointRow | undefined, figure: 'iops' | 'throughput' | 'latency') => {
  if (point === undefined) return null;
  const sketch = point[`${figure}_sketch`];
  return sketch === null ? point[`${figure}_most`] : (quantile(sketch, 0.95) ?? null);
};

/** Sums at the end of each span: what was before the first, and the changes of each up to it. */
function heldAtEnds(rows: readonly HeldRow[], spans: number) {
  const bySpan = new Map(rows.map((r) => [r.span, r]));
  const sum = { claims: 0, requested: 0, provisioned: 0, footprint: 0 };
  const ends = {
    claims: [] as number[],
    requested: [] as number[],
    provisioned: [] as number[],
    footprint: [] as number[],
  };
  for (let span = -1; span < spans; span++)
    for (const figure of ['claims', 'requested', 'provisioned', 'footprint'] as const) {
      sum[figure] += bySpan.get(span)?.[figure] ?? 0;
      if (span >= 0) ends[figure].push(sum[figure]);
    }
  return ends;
}

const limitAt = (limits: readonly LimitSpan[], at: number): number | null =>
  limits.find(
    (l) => l.class_name === '' && l.from_at.getTime() <= at && (l.until_at === null || l.until_at.getTime() > at),
  )?.bytes ?? null;

/** What was promised, written and done between two moments, with what happened meanwhile. */
export async function getHistory(database: Database, sight: Sight, query: HistoryQuery): Promise<History> {
  const [asked, until] = [new Date(query.from), new Date(query.to)];
  if (asked >= until) throw Refusal.invalid('from', 'The beginning has to be before the end.');
  const step = stepFor(query, asked, until);
  const wide = spanMs[step];
  // whole spans: the one that holds the beginning is the first
  const from = new Date(Math.floor(asked.getTime() / wide) * wide);
  const spans = Math.ceil((until.getTime() - from.getTime()) / wide);
  const { kind, name, claim } = await subjectOf(database, sight, query);
  const at = Array.from({ length: spans }, (_, i) => from.getTime() + i * wide);
  const [points, held, limits, events, happened] = await Promise.all([
    pointsOf[step](database, kind, name, from, until, spans + 1),
    claim !== null
      ? heldOfClaim(database, claim, from, until, wide)
      : kind === 'site'
        ? heldOfSite(database, from, until, wide)
        : heldBetween(database, from, until, wide, kind, name),
    kind === 'namespace' ? limitsBetween(database, name, from, until) : [],
    // of more than a namespace they would be a blur
    kind === 'namespace' || claim !== null ? eventsBetween(database, kind, name, from, until, claim, mostEvents) : [],
    happenedTo(database, { kind, name, claim }, [from, until], mostEvents),
  ]);
  const byAt = new Map(points.map((p) => [p.at.getTime(), p]));
  const of = at.map((t) => byAt.get(t));
  const spread = (figure: 'iops' | 'throughput' | 'latency') => ({
    mean: of.map((p) => p?.[`${figure}_mean`] ?? null),
    most: of.map((p) => p?.[`${figure}_most`] ?? null),
    p95: of.map((p) => shareOf(p, figure)),
  });
  const set = limits.filter((l) => l.from_at > from);
  return {
    step,
    from: from.toISOString(),
    to: until.toISOString(),
    at,
    written: {
      least: of.map((p) => p?.written_least ?? null),
      mean: of.map((p) => p?.written_mean ?? null),
      most: of.map((p) => p?.written_most ?? null),
    },
    iops: spread('iops'),
    throughput: spread('throughput'),
    latency: spread('latency'),
    ...heldAtEnds(held, spans),
    limit: at.map((t) => limitAt(limits, Math.min(t + wide, until.getTime()))),
    events: [
      ...events.map((e) => ({
        ...{ ...blank, at: e.at.getTime(), kind: e.kind, subject: e.subject, namespace: e.namespace },
        ...{ from: e.from, to: e.to },
        ...(e.kind === 'moved' && { fromPool: e.from_pool, toPool: e.to_pool }),
      })),
      ...set.map((l) => ({
        ...{ ...blank, at: l.from_at.getTime(), kind: 'limit' as const, subject: l.class_name, namespace: name },
        to: l.bytes,
      })),
      ...happened.events,
    ].sort((a, b) => a.at - b.at),
    more: Math.max(0, (events[0]?.total ?? 0) - events.length) + happened.more,
  };
}
