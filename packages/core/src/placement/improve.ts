import type { Berth, Kind } from './berth';
import type { Harbour, Lying } from './harbour';
import { worthOf, type Prices } from './prices';

type Random = () => number;

/** A claim of a batch, by its id. */
export interface Item {
  readonly id: string;
  readonly kind: Kind;
}

/** How a plan is made better: by what chance, in how many rounds, at which prices, and who is told after each. */
export interface Improving {
  readonly random: Random;
  readonly rounds: number;
  /** Where not all can lie, what places are worth; left out, larger claims go first. */
  readonly prices?: Prices;
  /** Told after each round; false stops. */
  goesOn(round: number): boolean;
}

type Step =
  | { readonly did: 'left'; readonly kind: Kind; readonly berth: Berth; readonly lying: Lying }
  | { readonly did: 'took'; readonly kind: Kind; readonly berth: Berth };

/** Claims taken out at most in one round, and of those that wait looked at most beside them. */
const most = { leaving: 24, waiting: 40 };

const bytesOf = (items: readonly Item[]): number => items.reduce((sum, i) => sum + i.kind.size, 0);
const one = <T>(random: Random, of: readonly T[]): T => of[Math.floor(random() * of.length)]!;

/**
 * Makes a plan better by taking it apart in places: one to three pools give up some of their claims, these and those that wait
 * are laid anew in another order, and what comes out stays where no fewer bytes lie than before. Ends when nobody waits, or after
 * so many rounds. Gives who waits still.
 */
export function improve(harbour: Harbour, waiting: readonly Item[], improving: Improving): readonly Item[] {
  const { random, rounds } = improving;
  // what no pool ever takes is no reason to move others
  const never = waiting.filter((i) => i.kind.berths.length === 0);
  let left = waiting.filter((i) => i.kind.berths.length > 0);
  for (let round = 0; round < rounds && left.length > 0 && improving.goesOn(round); round++) {
    const steps: Step[] = [];
    const out = takeApart(harbour, one(random, left), random, steps);
    const others = left.length > most.waiting ? sample(left, random) : left;
    const still = layAnew(harbour, [...out, ...others], improving, steps);
    if (bytesOf(still) > bytesOf(others)) undo(harbour, steps);
    else {
      const looked = new Set(others);
      left = [...left.filter((item) => !looked.has(item)), ...still];
    }
  }
  return [...never, ...left];
}

function sample(items: readonly Item[], random: Random): Item[] {
  const from = Math.floor(random() * items.length);
  return Array.from({ length: most.waiting }, (_, i) => items[(from + i) % items.length]!);
}

/** Claims leave one to three pools: one that the given claim could use, and others to which the leaving ones could go. */
function takeApart(harbour: Harbour, asking: Item, random: Random, steps: Step[]): Item[] {
  const out: Item[] = [];
  const seen = new Set<number>();
  const count = 1 + Math.floor(random() * 3);
  let pool: number | undefined = one(random, asking.kind.berths).pool;
  for (let i = 0; i < count && pool !== undefined; i++) {
    seen.add(pool);
    const there = [...harbour.lying[pool]!].flatMap(([kind, lying]) => lying.map(() => kind));
    const share = (most.leaving / count / Math.max(1, there.length)) * (0.3 + random());
    let next: number | undefined;
    for (const kind of there) {
      if (random() > share) continue;
      const berth = kind.berths.find((b) => b.pool === pool)!;
      const lying = harbour.leave(kind, berth);
      steps.push({ did: 'left', kind, berth, lying });
      out.push({ id: lying.id, kind });
      const elsewhere = kind.berths.filter((b) => !seen.has(b.pool));
      if (elsewhere.length > 0 && (next === undefined || random() < 0.3)) next = one(random, elsewhere).pool;
    }
    pool = next;
  }
  return out;
}

/** Lays claims in an order drawn anew, by size or by what their bytes are worth; gives those that find no place. */
function layAnew(harbour: Harbour, items: readonly Item[], { random, prices }: Improving, steps: Step[]): Item[] {
  const noise = random() < 0.5 ? 0.1 : 0.5;
  // those with few pools to go to first, now and then
  const few = random() < 0.3 ? 0.5 : 0;
  const priced = random() < 0.6 ? prices : undefined;
  const asCosts = random() < 0.5;
  const tight = random() < 0.7;
  const ranked = items
    .map((item) => {
      const value = priced ? worthOf(item.kind, priced) : item.kind.size;
      return { item, rank: (value * (1 + noise * (random() - 0.5))) / item.kind.berths.length ** few };
    })
    .sort((a, b) => b.rank - a.rank);
  // one berth in twenty is overlooked, so that no round is like the last
  const overlooks = () => random() < 0.05;
  const still: Item[] = [];
  for (const { item } of ranked) {
    const berth =
      priced && asCosts
        ? harbour.cheapest(item.kind, priced, overlooks)
        : tight
          ? harbour.tightest(item.kind, overlooks)
          : harbour.best(item.kind);
    if (berth) {
      harbour.take(item.id, item.kind, berth);
      steps.push({ did: 'took', kind: item.kind, berth });
    } else still.push(item);
  }
  return still;
}

function undo(harbour: Harbour, steps: readonly Step[]): void {
  for (const step of steps.toReversed())
    if (step.did === 'took') harbour.leave(step.kind, step.berth);
    else harbour.take(step.lying.id, step.kind, step.berth, step.lying.copies);
}
