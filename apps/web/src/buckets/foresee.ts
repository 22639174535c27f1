import type { BucketClassRow, BucketRow } from '@moorage/contract/buckets';
import type { PlacementState } from '@moorage/contract/moorings';
import { toCorePool } from '@moorage/contract/pool-state';
import { chooseBucketPool, type BucketDecision } from '@moorage/core/buckets/choose';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { sizeText } from '@moorage/core/sizes/display';
import { provisionedSize } from '@moorage/core/sizes/provisioned';
import { failureSentence } from '../moorings/check-words';
import { landingSentence } from './words';

type Class = Pick<BucketClassRow, 'name' | 'pools' | 'copies' | 'encrypted' | 'deletion'>;

/** The decision about a bucket as it would be made now, in the browser. */
export function foreseen(state: PlacementState, namespace: string, cls: Class, limit: number): BucketDecision {
  const pools = new Map(state.pools.map((p) => [p.id, toCorePool(p)]));
  const used = (className: string | null) =>
    state.usage
      .filter((u) => u.namespace === namespace && (className === null || u.className === className))
      .reduce((sum, u) => sum + u.provisioned, 0);
  const quotas = state.limits
    .filter((l) => l.namespace === namespace && (l.className === null || l.className === cls.name))
    .map((l) => ({
      scope: l.className === null ? ('namespace' as const) : ('class' as const),
      limit: l.bytes,
      used: used(l.className),
    }));
  const { name, copies, encrypted, deletion } = cls;
  return chooseBucketPool({
    ...{ namespace, limit: limit as Bytes, pools, quotas, site: state.site },
    bucketClass: { name, copies, encrypted, deletion, pools: cls.pools },
  });
}

export interface Told {
  readonly fits: boolean;
  readonly text: string;
}

function nowhere(decision: BucketDecision, className: string, wait: string): Told {
  const [first] = decision.candidates;
  const failed = first?.checks.find((c) => !c.passed);
  return {
    fits: false,
    text: failed
      ? `${wait} ${first!.pool}: ${failureSentence(failed)}`
      : `No pool that ${className} names is known: ${decision.unknown.join(', ')}.`,
  };
}

/** Where a new bucket would go, and what that promises and costs a month. */
export function landing(state: PlacementState, namespace: string, cls: Class, limit: number, currency: string): Told {
  const decision = foreseen(state, namespace, cls, limit);
  const { winner, runnerUp, provisioned = 0, footprintFactor = 1 } = decision;
  if (winner === undefined) return nowhere(decision, cls.name, 'Nothing fits: it would wait.');
  const { price } = state.pools.find((p) => p.id === winner)!;
  const cost = price === null ? null : (price * provisioned) / 2 ** 30;
  const at = { pool: winner, runnerUp, provisioned, raw: provisioned * footprintFactor };
  return { fits: true, text: landingSentence(at, limit, cost, currency) };
}

/** What another limit comes to for a bucket that has its place. */
export function changing(state: PlacementState, row: BucketRow, cls: Class, limit: number): Told {
  const pool = state.pools.find((p) => p.id === row.pool);
  if (!pool) return { fits: false, text: `The pool ${row.pool} is not known any more.` };
  const to: number = provisionedSize(limit as Bytes, toCorePool(pool));
  const more = to - (row.limit ?? 0);
  if (row.written !== null && limit < row.written)
    return { fits: false, text: `${sizeText(row.written)} lie in it already: it would be full at once.` };
  if (more === 0) return { fits: true, text: `It holds ${sizeText(to)} already.` };
  if (more < 0) return { fits: true, text: `${sizeText(-more)} are free again on ${row.pool}.` };
  const decision = foreseen(state, row.namespace, { ...cls, pools: [pool.id] }, more);
  if (decision.winner === undefined) return nowhere(decision, cls.name, 'It would wait, and stay as it is meanwhile.');
  return { fits: true, text: `${sizeText(more)} more are promised on ${row.pool}; nothing moves.` };
}

/** The most that a bucket could hold now where it finds no room: the largest room that a pool of its class says it has. */
export function mostNow(trace: {
  readonly candidates:
    | BucketDecision['candidates']
    | readonly {
        readonly checks: readonly { readonly passed: boolean; readonly unit: string; readonly have: number | string }[];
      }[];
}): number {
  const rooms = trace.candidates.map(({ checks }) => {
    const failed = checks.filter((c) => !c.passed);
    // one that lacks something else has no room for it, however large
    return failed.every((c) => c.unit === 'bytes' && typeof c.have === 'number')
      ? Math.min(...failed.map((c) => Number(c.have)))
      : 0;
  });
  return Math.max(0, ...rooms.map((room) => Math.floor(room / 2 ** 30) * 2 ** 30));
}
