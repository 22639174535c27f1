import type { Berth, Kind } from './berth';

/** What each pool still has: raw bytes, back-end operations and bytes a second; infinite where nothing limits it. By pool. */
export interface Rooms {
  readonly raw: readonly number[];
  readonly iops: readonly number[];
  readonly throughput: readonly number[];
}

/** What one raw byte, one operation and one byte a second are worth on each pool, in bytes of volumes that could lie there. */
export type Prices = Rooms;

/** What a berth takes, in bytes of volumes that could lie there instead. */
export const costOf = ({ pool, raw, iops, throughput }: Berth, prices: Prices): number =>
  prices.raw[pool]! * raw + prices.iops[pool]! * iops + prices.throughput[pool]! * throughput;

/** Bytes of a claim for each byte that its cheapest berth costs: those worth most go first. 0 where it has none. */
export function worthOf({ size, berths }: Kind, prices: Prices): number {
  if (berths.length === 0) return 0;
  let least = Infinity;
  for (const berth of berths) least = Math.min(least, costOf(berth, prices));
  // where nothing is scarce nothing costs
  return size / (least + size * 1e-9);
}

const rounds = 240;
const measures = ['raw', 'iops', 'throughput'] as const;

/**
 * The prices at which what claims would take by themselves comes near to what there is: the multipliers of the linear programme
 * that fills the pools with most bytes. Each round every kind of claim takes the berth that leaves it most over what it costs, and
 * a price goes up where more is asked than there is and down where less is, in smaller and smaller steps; the mean of the later
 * half is given (Lagrange; docs/calculations.md, Fitting a batch).
 */
export function pricesFor(rooms: Rooms, counts: ReadonlyMap<Kind, number>): Prices {
  let asked = 0;
  for (const [kind, count] of counts) asked += kind.size * count;
  const now = measures.map((m) => {
    const whole = rooms[m].reduce((sum, v) => sum + (isScarce(v) ? v : 0), 0);
    return rooms[m].map((v) => (isScarce(v) ? (0.3 * asked) / whole : 0));
  });
  const mean = measures.map((m) => rooms[m].map(() => 0));
  for (let round = 0; round < rounds; round++) {
    const [raw, iops, throughput] = now;
    const taken = takenAt({ raw: raw!, iops: iops!, throughput: throughput! }, counts);
    const step = 0.6 / (1 + round / 20);
    for (const [m, measure] of measures.entries())
      for (const [p, have] of rooms[measure].entries()) {
        if (!isScarce(have)) continue;
        now[m]![p]! *= Math.exp(step * Math.max(-1, Math.min(1, taken[measure][p]! / have - 1)));
        if (round >= rounds / 2) mean[m]![p]! += now[m]![p]! / (rounds / 2);
      }
  }
  const [raw, iops, throughput] = mean;
  return { raw: raw!, iops: iops!, throughput: throughput! };
}

const isScarce = (room: number): boolean => room > 0 && Number.isFinite(room);

/** What all claims would take where each goes where most is left over what it costs, and stays away where nothing is. */
function takenAt(prices: Prices, counts: ReadonlyMap<Kind, number>) {
  const none = () => prices.raw.map(() => 0);
  const taken = { raw: none(), iops: none(), throughput: none() };
  for (const [kind, count] of counts) {
    let [best, most]: [Berth | undefined, number] = [undefined, 0];
    for (const berth of kind.berths) {
      const gain = kind.size - costOf(berth, prices);
      if (gain > most) [best, most] = [berth, gain];
    }
    if (best) for (const measure of measures) taken[measure][best.pool]! += count * best[measure];
  }
  return taken;
}
