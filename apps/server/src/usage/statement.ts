import type { Statement } from '@moorage/contract/prices';
import { chargesOfSums, inCents, type ChargedSum, type Rate } from '@moorage/core/usage/statement';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { rates } from './price-model';
import { heldAsBetween, promisedBetween, type HeldAsRow } from './price.sql';
import { siteMoments } from './use.sql';

const GiB = 2 ** 30;
const mostSums = 1_000_000;
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

/** What a name was held as at a moment; empty where nobody knows. */
const heldAt = (names: ReadonlyMap<string, readonly Named[]>, key: string, at: number): string =>
  names.get(key)?.find((n) => n.from <= at && at < n.until)?.value ?? '';

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
  const held = await heldAsBetween(database, from, until);
  const names = namesOf(held);
  // between two of these moments nothing has another price, tier or team
  const changes = [...set.map((r) => r.fromAt), ...held.flatMap((h) => [h.from_at, h.until_at ?? until])];
  const within = [...new Set(changes.map((c) => c.getTime()))].filter((t) => t > +from && t < +until);
  const moments = [+from, ...within.sort((a, b) => a - b), +until].map((t) => new Date(t));
  // of all, whoever asks: the cents of a line are the same for everybody
  const sums = await promisedBetween(database, moments, mostSums + 1);
  if (sums.length > mostSums)
    throw Refusal.invalid('month', `More than ${mostSums} lines in ${month}: no statement of so many is made.`);
  const term = { from: from.getTime(), until: end.getTime() };
  const termMs = term.until - term.from;
  const lines = new Map<string, Omit<Statement['lines'][number], 'cents'>>();
  const charged: ChargedSum[] = [];
  for (const sum of sums) {
    const at = sum.from_at.getTime();
    const tier = heldAt(names, `tier/${sum.pool_id}`, at);
    const team = heldAt(names, `team/${sum.namespace}`, at);
    const line = `${sum.key_id}/${tier}/${team}`;
    charged.push({ line, tier, from: at, byteMs: BigInt(sum.byte_ms), milliIopsMs: BigInt(sum.milli_iops_ms) });
    const known = lines.get(line);
    lines.set(line, {
      ...{ namespace: sum.namespace, team, className: sum.class_name, pool: sum.pool_id },
      ...{ application: sum.application, tier },
      gib: (known?.gib ?? 0) + Number(sum.byte_ms) / termMs / GiB,
      iops: (known?.iops ?? 0) + Number(sum.milli_iops_ms) / termMs / 1000,
    });
  }
  const priced: Rate[] = set.map((r) => ({
    ...{ tier: r.tier, from: r.fromAt.getTime(), microsPerGiB: r.microsPerGib, microsPerIops: r.microsPerIops },
  }));
  const cents = inCents(chargesOfSums(charged, priced), term);
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
