import { isDeepStrictEqual } from 'node:util';
import {
  mostInRound,
  type RoundChange,
  type RoundPlan,
  type RoundRequest,
  type RoundRow,
} from '@moorage/contract/rounds';
import type { Rates, TuningRequest } from '@moorage/contract/tuning';
import type { DeletionPlan } from '@moorage/core/claims/deletion';
import { growInTurn, type Growth } from '@moorage/core/placement/growth';
import type { Check } from '@moorage/core/placement/rule';
import { tuneInTurn, type Tuning } from '@moorage/core/placement/tuning';
import { bytes, type Bytes } from '@moorage/core/sizes/bytes';
import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import { deletionOf } from '../claims/deletion';
import type { Database } from '../database/database';
import { factsToGrowMany, type GrowthFacts } from '../growth/facts';
import type { Sight } from '../people/sight';
import { operations } from '../operations/operation-model';
import { Refusal } from '../refusals/refusal';
import { asking, ratesIn, ratesOf } from '../tuning/tuning';
import { claimsNamed } from './rounds.sql';

type Named = Awaited<ReturnType<typeof claimsNamed>>[number];
const nothing = {
  ...{ uid: null, pool: null, from: null, to: null, addedRaw: 0 },
  ...{ rates: null, refusal: null, failed: null, fate: null },
};
type Grows = Extract<RoundChange, { kind: 'grow' | 'grow-by' }>;
export type Tunes = Extract<RoundChange, { kind: 'tune' }>;

const sizeOf = (text: string): Bytes => {
  const size = parseQuantity(text);
  if (!size.ok) throw Refusal.invalid('change', 'This is no size.');
  return size.bytes;
};

/** What a claim would ask for, bytes. */
const askedOf = (change: Grows, { size_bytes }: Named): Bytes =>
  change.kind === 'grow' ? sizeOf(change.to) : bytes(size_bytes + sizeOf(change.by));

export interface PlannedRound {
  readonly plan: RoundPlan;
  /** The claims that are changed, with the size they are to ask for; null when it is not their size that changes. */
  readonly goes: readonly {
    readonly namespace: string;
    readonly name: string;
    readonly uid: string;
    readonly size: string | null;
  }[];
}

/** What one change of many claims brings about: each is reckoned after those before it. Claims that are not seen are not there. */
export async function planRound(
  database: Database,
  site: string,
  sight: Sight,
  { claims, change }: Pick<RoundRequest, 'claims' | 'change'>,
): Promise<PlannedRound> {
  const seen = claims.filter((c) => sight.sees(c.namespace));
  const rows = await claimsNamed(
    database,
    seen.map((c) => c.namespace),
    seen.map((c) => c.name),
  );
  const known = new Map(rows.map((r) => [`${r.namespace}/${r.name}`, r]));
  const unique = [...new Map(claims.map((c) => [`${c.namespace}/${c.name}`, c])).entries()];
  const found = unique.flatMap(([key]) => known.get(key) ?? []);
  const deletion = change.kind === 'delete' ? await deletionOf(database, found) : undefined;
  const planned =
    change.kind === 'delete'
      ? deletions(found, deletion!)
      : change.kind === 'tune'
        ? await tunings(database, site, change, found)
        : await growths(database, site, change, found);
  const all = unique.map(([key, { namespace, name }]): RoundRow => {
    const row = known.get(key);
    return row ? planned.get(row.uid)! : { ...nothing, namespace, name, refusal: 'gone' };
  });
  const going = all.filter((r) => r.refusal === null);
  const sum = (of: (row: RoundRow) => number) => going.reduce((total, row) => total + of(row), 0);
  const used = (kinds: readonly string[]) => sum(({ fate }) => (fate && kinds.includes(fate.kind) ? fate.used : 0));
  const destroyed = used(['destroyed']);
  return {
    plan: {
      rows: all,
      goes: going.length,
      refused: all.length - going.length,
      added: sum((r) => (r.to ?? 0) - (r.from ?? 0) * Number(r.to !== null)),
      addedRaw: sum((r) => r.addedRaw),
      destroyed,
      kept: used(['kept', 'kept-for-days']),
      confirm: destroyed > 0 ? confirmation(going.length) : null,
      applications: [...(deletion?.applications ?? [])],
    },
    goes: going.map(({ namespace, name, uid }) => ({
      ...{ namespace, name, uid: uid! },
      size: 'tuned' in change || change.kind === 'delete' ? null : sizeText(change, known.get(`${namespace}/${name}`)!),
    })),
  };
}

const confirmation = (count: number): string => `${count} ${count === 1 ? 'claim' : 'claims'}`;
/** As it is asked of the platform: in the words it was given in, where it was. */
const sizeText = (change: Grows, row: Named): string =>
  change.kind === 'grow' ? change.to.trim() : formatQuantity(askedOf(change, row));

type Planned = Map<string, RoundRow>;
const rowOf = ({ uid, namespace, name, pool_id, provisioned }: Named) => ({
  ...nothing,
  ...{ uid, namespace, name, pool: pool_id, from: provisioned },
});

/** What becomes of claims that ask for other sizes, each reckoned after those before it; one that asks for no more has enough. */
export async function growthVerdicts(
  database: Database,
  site: string,
  asked: readonly { readonly uid: string; readonly size: Bytes }[],
): Promise<Map<string, Partial<RoundRow>>> {
  const facts = await factsToGrowMany(
    database,
    site,
    asked.map((a) => a.uid),
  );
  const asking = asked.flatMap(({ uid, size }) => {
    const of = facts.get(uid)!;
    return typeof of === 'string' || size <= of.input.held[0].provisioned ? [] : [{ uid, size, of }];
  });
  const reckoned = growInTurn(asking.map(({ size, of }) => ({ ...of.input, claim: { ...of.input.claim, size } })));
  const growthOf = new Map(asking.map(({ uid }, i) => [uid, reckoned[i]!]));
  return new Map(asked.map(({ uid }) => [uid, verdict(facts.get(uid)!, growthOf.get(uid))]));
}

async function growths(database: Database, site: string, change: Grows, found: readonly Named[]): Promise<Planned> {
  const asked = found.map((row) => ({ uid: row.uid, size: askedOf(change, row), has: row.size_bytes }));
  // one that asks for less than it does already asks for nothing
  const verdicts = await growthVerdicts(
    database,
    site,
    asked.map(({ uid, size, has }) => ({ uid, size: size <= has ? bytes(0) : size })),
  );
  return new Map(found.map((row) => [row.uid, { ...rowOf(row), ...verdicts.get(row.uid)! }]));
}

function verdict(facts: GrowthFacts | 'claim-gone' | 'class-gone', growth: Growth | undefined): Partial<RoundRow> {
  if (facts === 'claim-gone') return { refusal: 'not-bound' };
  if (facts === 'class-gone') return { refusal: 'class-gone' };
  if (!growth || growth.kind === 'enough') return { refusal: 'enough' };
  if (growth.kind !== 'reckoned') return { refusal: growth.kind };
  const [main] = growth.on;
  if (growth.fits) return { to: main!.to, addedRaw: growth.on.reduce((sum, g) => sum + g.addedRaw, 0) };
  return { refusal: 'does-not-fit', failed: firstFailed(growth.on)! };
}

/** What a claim tunes after a round: what it tunes by itself, with what the round says of it. */
export const tunedAfter = (own: TuningRequest['tuned'], { tuned }: Tunes): TuningRequest['tuned'] =>
  Object.fromEntries(Object.entries({ ...own, ...tuned }).flatMap(([s, v]) => (v === null ? [] : [[s, v]])));

/** What becomes of claims whose ceilings and floors are changed, each reckoned after those before it. */
async function tunings(database: Database, site: string, change: Tunes, found: readonly Named[]): Promise<Planned> {
  const uids = found.map((row) => row.uid);
  const facts = await factsToGrowMany(database, site, uids);
  const changing = await operations
    .in(database)
    .scope('open')
    .findAll({
      attributes: ['subject'],
      where: { holds: ['size', 'rates'], subject: uids },
      limit: 2 * mostInRound,
    });
  const busy = new Set(changing.map((o) => o.subject));
  const asked = uids.flatMap((uid) => {
    const of = facts.get(uid)!;
    if (typeof of === 'string' || busy.has(uid)) return [];
    const own = ratesIn(of.input.claim.tuned);
    const wanted = tunedAfter(own, change);
    return isDeepStrictEqual(own, wanted) ? [] : [{ uid, input: asking(of.input, wanted), now: ratesOf(of.reserved) }];
  });
  const answers = tuneInTurn(asked.map((a) => a.input));
  const answerOf = new Map(asked.map(({ uid, now }, i) => [uid, { now, answer: answers[i]! }]));
  const verdictOf = (uid: string): Partial<RoundRow> => {
    const of = facts.get(uid)!;
    if (typeof of === 'string') return { refusal: of === 'claim-gone' ? 'not-bound' : 'class-gone' };
    if (busy.has(uid)) return { refusal: 'changing' };
    const reckoned = answerOf.get(uid);
    return reckoned ? tuningVerdict(reckoned.answer, reckoned.now) : { refusal: 'as-asked' };
  };
  return new Map(found.map((row) => [row.uid, { ...rowOf(row), ...verdictOf(row.uid) }]));
}

function tuningVerdict(answer: Tuning, now: Rates): Partial<RoundRow> {
  if (answer.kind !== 'reckoned') return { refusal: answer.kind };
  const failed = firstFailed(answer.on);
  return failed ? { refusal: 'does-not-fit', failed } : { rates: { now, then: answer.rates } };
}

/** The rule that refuses first, and on which pool. */
const firstFailed = (on: readonly { readonly pool: string; readonly checks: readonly Check[] }[]) =>
  on.flatMap(({ pool, checks }) => checks.filter((c) => !c.passed).map((check) => ({ pool, check })))[0];

const fateKinds = { nothing: 'no-volume', kept: 'kept', grace: 'kept-for-days', destroyed: 'destroyed' } as const;

function deletions(found: readonly Named[], { claims }: DeletionPlan): Planned {
  const fates = new Map(claims.map((c) => [`${c.namespace}/${c.name}`, c]));
  return new Map(
    found.map((row) => {
      const {
        fate: kind = 'nothing',
        used = 0,
        graceDays = 0,
        pods = [],
      } = fates.get(`${row.namespace}/${row.name}`) ?? {};
      const fate = { kind: fateKinds[kind], used, graceDays, pods: [...pods] };
      return [row.uid, { ...rowOf(row), fate, refusal: row.state === 'deleting' ? ('deleting' as const) : null }];
    }),
  );
}
