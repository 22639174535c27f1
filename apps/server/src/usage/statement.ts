import type { Statement } from '@moorage/contract/prices';
import { chargesOf, inCents, type Charged, type Rate } from '@moorage/core/usage/statement';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { rates } from './price-model';
import { heldAsBetween, promisedBetween, type HeldAsRow, type PromisedSpan } from './price.sql';
import { siteMoments } from './use.sql';

const GiB = 2 ** 30;
const mostSpans = 1_000_000;
const micro = 1_000_000;

interface Named {
  readonly value: string;
  readonly from: number;
  readonly until: number;
}

/** By kind and name, what each was held as; the first reaches back as far as is asked. */
function namesOf(rows: readonly HeldAsRow[]): ReadonlyMap<string, readonly Named[]> {
  const found = new Map<string, Named[]>();
  for (const { kind, name, value, from_at, until_at } of rows) {
    const key = `${kind}/${name}`;
    const known = found.get(key) ?? [];
    found.set(key, known);
    known.push({
      value,
      from: known.length === 0 ? -Infinity : from_at.getTime(),
      until: until_at?.getTime() ?? Infinity,
    });
  }
  return found;
}

const unknown: readonly Named[] = [{ value: '', from: -Infinity, until: Infinity }];

/** Cuts a span where the tier of its pool or the team of its namespace changed. */
function* cut(span: PromisedSpan, names: ReadonlyMap<string, readonly Named[]>) {
  const [from, until] = [span.from_at.getTime(), span.until_at.getTime()];
  for (const tier of names.get(`tier/${span.pool_id}`) ?? unknown)
    for (const team of names.get(`team/${span.namespace}`) ?? unknown) {
      const [begin, end] = [Math.max(from, tier.from, team.from), Math.min(until, tier.until, team.until)];
      if (begin < end) yield { tier: tier.value, team: team.value, from: begin, until: end };
    }
}

/** What a month costs as far as a person sees it, from what was promised and the rates as they were. */
export async function getStatement(
  database: Database,
  sight: Sight,
  month: string,
  currency: string,
): Promise<Statement> {
  const from = new Date(`${month}-01T00:00:00Z`);
  const end = new Date(Date.UTC(from.getUTCFullYear(), from.getUTCMonth() + 1, 1));
  const { now } = (await first(siteMoments(database)))!;
  if (from > now) throw Refusal.invalid('month', `${month} has not begun: what it costs can be told once it has.`);
  const until = end < now ? end : now;
  const set = await rates.in(database).findAll({ raw: true, order: ['tier', 'fromAt'], limit: 10_000 });
  const names = namesOf(await heldAsBetween(database, from, until));
  // of all, whoever asks: the cents of a line are the same for everybody
  const spans = await promisedBetween(database, from, until, mostSpans + 1);
  if (spans.length > mostSpans)
    throw Refusal.invalid('month', `More than ${mostSpans} changes in ${month}: no statement of so many is made.`);
  const term = { from: from.getTime(), until: end.getTime() };
  const lines = new Map<string, Omit<Statement['lines'][number], 'cents'>>();
  const charged: Charged[] = [];
  for (const span of spans)
    for (const { tier, team, ...part } of cut(span, names)) {
      const line = `${span.key_id}/${tier}/${team}`;
      charged.push({ line, tier, ...part, bytes: span.provisioned, milliIops: span.milli_iops });
      const share = (part.until - part.from) / (term.until - term.from);
      const known = lines.get(line);
      lines.set(line, {
        ...{ namespace: span.namespace, team, className: span.class_name, pool: span.pool_id },
        ...{ application: span.application, tier },
        gib: (known?.gib ?? 0) + (share * span.provisioned) / GiB,
        iops: (known?.iops ?? 0) + (share * span.milli_iops) / 1000,
      });
    }
  const priced: Rate[] = set.map((r) => ({
    ...{ tier: r.tier, from: r.fromAt.getTime(), microsPerGiB: r.microsPerGib, microsPerIops: r.microsPerIops },
  }));
  const cents = inCents(chargesOf(charged, priced, term), term);
  const firstOf = (tier: string) => Math.min(Infinity, ...priced.filter((r) => r.tier === tier).map((r) => r.from));
  const begins = new Map<string, number>();
  for (const c of charged) begins.set(c.tier, Math.min(begins.get(c.tier) ?? Infinity, c.from));
  const seen = [...lines].filter(([, told]) => sight.sees(told.namespace));
  const tiers = new Set(seen.map(([, told]) => told.tier));
  return {
    ...{ month, currency, until: until.toISOString(), isOver: end <= now },
    lines: seen.map(([line, told]) => ({ ...told, cents: cents.get(line) ?? 0 })),
    cents: seen.reduce((sum, [line]) => sum + (cents.get(line) ?? 0), 0),
    rates: set
      .filter((r) => r.fromAt < until)
      .map((r) => ({
        ...{ tier: r.tier, from: r.fromAt.toISOString(), person: r.person },
        ...{ perGiB: r.microsPerGib / micro, perIops: r.microsPerIops / micro },
      })),
    unpriced: [...begins].filter(([tier, begin]) => tiers.has(tier) && firstOf(tier) > begin).map(([tier]) => tier),
  };
}
