import { runwayOf, type Runway, type Trend } from './trend';

const dayMs = 24 * 3_600_000;

/** What a pool holds for one class, or for one class of one namespace, all in raw bytes. */
export interface Part {
  readonly pool: string;
  readonly className: string;
  /** Empty: all namespaces together. */
  readonly namespace: string;
  readonly promised: number;
  readonly written: number;
  /** What comes each day. */
  readonly writtenPerDay: number;
  readonly promisedPerDay: number;
  readonly iops: number;
}

/** A pool as a scenario begins with it, in raw bytes. */
export interface ScenarioPool {
  readonly id: string;
  readonly capacity: number;
  readonly softMark: number;
  readonly hardMark: number;
  /** What may be promised of it, and what is. */
  readonly ceiling: number;
  readonly promised: number;
  readonly written: number;
  readonly writtenPerDay: number;
  readonly promisedPerDay: number;
  /** How far what is written lies about its trend. */
  readonly low: number;
  readonly high: number;
  /** Back-end operations per second that may be promised, and are. */
  readonly promisableIops: number;
  readonly iops: number;
  readonly iopsPerDay: number;
}

/** Where a class puts what it gets, and what a byte of it becomes there. */
export interface ScenarioClass {
  readonly name: string;
  readonly copies: number;
  /** Shares add up to 1. */
  readonly pools: readonly {
    readonly id: string;
    readonly share: number;
    /** Raw bytes of a provisioned byte. */
    readonly factor: number;
    /** Back-end operations of a reserved one. */
    readonly iopsFactor: number;
  }[];
  /** Of what is promised, the share that gets written. */
  readonly writtenShare: number;
}

export type ScenarioChange =
  /** A new application of so many provisioned bytes and reserved IOPS of a class, from a moment on. */
  | {
      readonly kind: 'application';
      readonly className: string;
      readonly bytes: number;
      readonly iops: number;
      readonly at: number;
    }
  /** More raw capacity of a pool, from a moment on. */
  | { readonly kind: 'capacity'; readonly pool: string; readonly raw: number; readonly at: number }
  /** Another copy of everything in a class. */
  | { readonly kind: 'copy'; readonly className: string }
  /** Everything that a namespace has of one class, of another. */
  | { readonly kind: 'move'; readonly namespace: string; readonly from: string; readonly to: string }
  /** What a namespace, a class, a pool or everything writes anew each day, so many times. */
  | {
      readonly kind: 'growth';
      readonly of: 'namespace' | 'class' | 'pool' | 'site';
      readonly name: string;
      readonly times: number;
    };

export interface Scenario {
  readonly at: number;
  readonly pools: readonly ScenarioPool[];
  readonly classes: readonly ScenarioClass[];
  /** By class and pool; of namespaces that a change names, by class, pool and namespace as well. */
  readonly parts: readonly Part[];
}

/** What happens to a pool at a moment: more to hold, or more to hold it in. */
interface Step {
  readonly at: number;
  readonly written: number;
  readonly promised: number;
  readonly capacity: number;
  readonly iops: number;
}

/** A pool with what a scenario does to it. */
export interface Played {
  readonly id: string;
  /** What comes each day. */
  readonly writtenPerDay: number;
  readonly promisedPerDay: number;
  readonly iopsPerDay: number;
  readonly steps: readonly Step[];
}

type Rates = Pick<Part, 'writtenPerDay' | 'promisedPerDay'>;
const noStep = { written: 0, promised: 0, capacity: 0, iops: 0 };

/** What changes do to each pool, beside what goes on by itself. */
export function play(scenario: Scenario, changes: readonly ScenarioChange[]): Map<string, Played> {
  const played = new Map(
    scenario.pools.map(({ id, writtenPerDay, promisedPerDay, iopsPerDay }) => [
      id,
      { id, writtenPerDay, promisedPerDay, iopsPerDay, steps: [] as Step[] },
    ]),
  );
  const step = (pool: string, at: number, more: Partial<Omit<Step, 'at'>>) =>
    played.get(pool)?.steps.push({ ...noStep, at, ...more });
  const faster = (pool: string, { writtenPerDay, promisedPerDay }: Rates, times: number) => {
    const so = played.get(pool);
    if (!so) return;
    so.writtenPerDay += writtenPerDay * times;
    so.promisedPerDay += promisedPerDay * times;
  };
  const classOf = (name: string) => scenario.classes.find((c) => c.name === name);
  const of = (is: (part: Part) => boolean) => scenario.parts.filter(is);
  for (const change of changes)
    switch (change.kind) {
      case 'application':
        for (const { id, share, factor, iopsFactor } of classOf(change.className)?.pools ?? []) {
          const promised = change.bytes * share * factor;
          const { writtenShare } = classOf(change.className)!;
          step(id, change.at, {
            ...{ promised, written: promised * writtenShare },
            iops: change.iops * share * iopsFactor,
          });
        }
        break;
      case 'capacity':
        step(change.pool, change.at, { capacity: change.raw });
        break;
      case 'copy': {
        const more = 1 / Math.max(1, classOf(change.className)?.copies ?? 1);
        for (const part of of((p) => p.className === change.className && p.namespace === '')) {
          step(part.pool, scenario.at, { promised: part.promised * more, written: part.written * more });
          faster(part.pool, part, more);
        }
        break;
      }
      case 'move': {
        const [from, to] = [classOf(change.from), classOf(change.to)];
        if (!from || !to) break;
        for (const part of of((p) => p.namespace === change.namespace && p.className === change.from)) {
          const factor = from.pools.find((p) => p.id === part.pool)?.factor ?? 1;
          step(part.pool, scenario.at, { promised: -part.promised, written: -part.written, iops: -part.iops });
          faster(part.pool, part, -1);
          for (const there of to.pools) {
            const times = (there.share * there.factor) / factor;
            step(there.id, scenario.at, {
              ...{ promised: part.promised * times, written: part.written * times },
              iops: part.iops * there.share,
            });
            faster(there.id, part, times);
          }
        }
        break;
      }
      case 'growth': {
        const { of: kind, name, times } = change;
        if (kind === 'site' || kind === 'pool')
          for (const pool of scenario.pools) if (kind === 'site' || pool.id === name) faster(pool.id, pool, times - 1);
        if (kind === 'class' || kind === 'namespace')
          for (const part of of((p) =>
            kind === 'class' ? p.className === name && p.namespace === '' : p.namespace === name,
          ))
            faster(part.pool, part, times - 1);
        break;
      }
    }
  return played;
}

export const scenarioMarks = ['soft', 'hard', 'ceiling', 'iops'] as const;
export type ScenarioMark = (typeof scenarioMarks)[number];

/** When a pool reaches a mark, with what a scenario does to it; what comes at a moment counts from then on. */
export function runwayIn(pool: ScenarioPool, { steps, ...perDay }: Played, mark: ScenarioMark, from: number): Runway {
  const marks = { soft: pool.softMark, hard: pool.hardMark } as const;
  const isFill = mark === 'soft' || mark === 'hard';
  const limitOf = (capacity: number): number => {
    if (mark === 'iops') return pool.promisableIops;
    if (mark === 'ceiling') return pool.ceiling * (pool.capacity > 0 ? (pool.capacity + capacity) / pool.capacity : 1);
    return marks[mark] * (pool.capacity + capacity);
  };
  const begin = isFill ? pool.written : mark === 'ceiling' ? pool.promised : pool.iops;
  const more = (s: Step) => (isFill ? s.written : mark === 'ceiling' ? s.promised : s.iops);
  const slope =
    (isFill ? perDay.writtenPerDay : mark === 'ceiling' ? perDay.promisedPerDay : perDay.iopsPerDay) / dayMs;
  const inOrder = [...steps].sort((a, b) => a.at - b.at);
  // from step to step: the first span in which the line comes to its limit
  for (let i = -1; i < inOrder.length; i++) {
    const sofar = inOrder.slice(0, i + 1);
    const at = Math.max(from, i < 0 ? from : inOrder[i]!.at);
    const until = inOrder[i + 1] ? Math.max(from, inOrder[i + 1]!.at) : Infinity;
    if (until <= at) continue;
    const level = begin + sofar.reduce((sum, s) => sum + more(s), 0) + slope * (at - from);
    const limit = limitOf(sofar.reduce((sum, s) => sum + s.capacity, 0));
    const [low, high] = isFill ? [pool.low, pool.high] : [0, 0];
    const trend: Trend = { slope, level, at, rhythm: [0, 0, 0, 0, 0, 0, 0], low, high };
    const runway = runwayOf(trend, limit);
    if (runway.kind === 'over') return at === from ? runway : { kind: 'meets', at, from: at, to: at };
    if (runway.kind === 'meets' && runway.at < until) return runway;
  }
  return { kind: 'none' };
}
