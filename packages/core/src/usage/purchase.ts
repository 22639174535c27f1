import type { Played, ScenarioPool } from './scenario';
import { runwayIn } from './scenario';

const dayMs = 24 * 3_600_000;

/** What may be bought for a pool: in units of so many raw bytes, each at a price. */
export interface Offered {
  readonly pool: string;
  readonly unit: number;
  /** Null: not known. */
  readonly price: number | null;
}

/** A pool of another backend, or of this one, that classes of a short pool are moored to as well. */
export interface Elsewhere {
  readonly pool: string;
  readonly to: string;
  readonly className: string;
  /** Raw bytes there of a raw byte here. */
  readonly factor: number;
  /** What of the pool's growth is the class's, 0 to 1. */
  readonly share: number;
}

export type Purchase =
  /** Buy units for the pool itself. */
  | {
      readonly kind: 'buy';
      readonly pool: string;
      readonly by: number;
      /** Raw bytes that are short at the wished day, the interval's upper end counted. */
      readonly short: number;
      readonly units: number;
      readonly raw: number;
      readonly cost: number | null;
    }
  /** Let what a class writes anew go to another pool, which keeps it as long as wished. */
  | {
      readonly kind: 'send';
      readonly pool: string;
      readonly by: number;
      readonly to: string;
      readonly className: string;
      /** Raw bytes that come there until the wished day, and what is left there below its hard mark then. */
      readonly raw: number;
      readonly left: number;
    };

/**
 * What to add, where, and by when, so that no pool reaches its hard mark within `days`; for each pool that would, what costs nothing
 * first, then by cost. The reckoning: raw bytes written at the wished day at the interval's upper end, above the hard mark's share
 * of what there is, divided by the mark: what is added fills up to the mark only.
 */
export function purchasesFor(
  pools: readonly ScenarioPool[],
  played: ReadonlyMap<string, Played>,
  from: number,
  days: number,
  offered: readonly Offered[],
  elsewhere: readonly Elsewhere[],
): Purchase[] {
  const day = from + days * dayMs;
  const writtenAt = (pool: ScenarioPool): number => {
    const { writtenPerDay, steps } = played.get(pool.id)!;
    const came = steps.filter((s) => s.at <= day).reduce((sum, s) => sum + s.written, 0);
    return pool.written + came + Math.max(0, writtenPerDay) * days + pool.high;
  };
  const roomAt = (pool: ScenarioPool): number => {
    const came = played.get(pool.id)!.steps.filter((s) => s.at <= day);
    return pool.hardMark * (pool.capacity + came.reduce((sum, s) => sum + s.capacity, 0)) - writtenAt(pool);
  };
  return pools.flatMap((pool): Purchase[] => {
    const room = roomAt(pool);
    const runway = runwayIn(pool, played.get(pool.id)!, 'hard', from);
    if (room >= 0 || runway.kind === 'none') return [];
    const by = runway.kind === 'over' ? from : Math.min(runway.from, day);
    const sends = elsewhere.flatMap((e): Purchase[] => {
      const there = e.pool === pool.id ? pools.find((p) => p.id === e.to) : undefined;
      if (!there) return [];
      const grows = Math.max(0, played.get(pool.id)!.writtenPerDay) * days * e.share;
      const left = roomAt(there) - grows * e.factor;
      // it is an answer only where it is enough, here and there
      if (grows < -room || left < 0) return [];
      return [{ kind: 'send', pool: pool.id, by, to: e.to, className: e.className, raw: grows * e.factor, left }];
    });
    const buys = offered
      .filter((o) => o.pool === pool.id && o.unit > 0)
      .map((o): Purchase => {
        const units = Math.ceil(-room / pool.hardMark / o.unit);
        const cost = o.price === null ? null : units * o.price;
        return { kind: 'buy', pool: pool.id, by, short: -room, units, raw: units * o.unit, cost };
      })
      .sort((a, b) => (a.kind === 'buy' && b.kind === 'buy' ? (a.cost ?? Infinity) - (b.cost ?? Infinity) : 0));
    return [...sends, ...buys];
  });
}
