import type { PlacementState } from '@moorage/contract/moorings';
import { inputFor, type Prepared, type TriedClaim } from '@moorage/contract/placement-input';
import { tunedClass } from '@moorage/core/classes/allowance';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { decide, rankPools, roomFor, type Decision } from '@moorage/core/placement/decide';
import type { Offer } from '@moorage/core/placement/offer';
import { outlookOf, type Outlook, type Site } from '@moorage/core/placement/outlook';
import { whatWouldBind, type Remedy } from '@moorage/core/placement/remedies';
import type { Mooring, PlacementInput } from '@moorage/core/placement/request';
import {
  checkPool,
  firstFailure,
  isElsewhere,
  offsiteContext,
  ruleContext,
  type RuleContext,
} from '@moorage/core/placement/rules';
import type { Check, RuleName } from '@moorage/core/placement/rule';
import type { Pool } from '@moorage/core/pools/pool-state';

export interface TriedCell {
  /** The first rule that fails, as if the mooring were there and on when it is not. */
  readonly failed?: Check;
  /** Claims of this size that would still fit, and their bytes. */
  readonly moreClaims: number;
  readonly moreBytes: number;
  /** The rule that refuses the first claim beyond them. */
  readonly stoppedBy?: RuleName;
  readonly provisioned: number;
}

export interface TriedClass {
  readonly winner?: string;
  readonly runnerUp?: string;
  /** One for each pool, in the order of the state's pools. */
  readonly cells: readonly TriedCell[];
}

/** The answer of one pool. */
export const cellOf = (state: PlacementState, answer: TriedClass | undefined, pool: string): TriedCell | undefined =>
  answer?.cells[state.pools.findIndex((p) => p.id === pool)];

/** One cell opened: every rule, the whole decision, and what would bind the claim when nothing does. */
export interface Explained {
  readonly className: string;
  readonly pool: string;
  readonly decision: Decision;
  readonly checks: readonly Check[];
  readonly remedies: readonly Remedy[];
}

/** Stands for a mooring that is on, on whatever pool it is asked about. */
const asIfMoored: Mooring = { pool: '', enabled: true, order: 1, weight: 1 };

/** What a pool is asked for a class: to keep its volume or, at another site, the off-site copy of it. */
const contextOf = (input: PlacementInput, pool: Pool, cls: StorageClass, offer?: Offer): RuleContext =>
  cls.offsite && isElsewhere(input, pool)
    ? offsiteContext(input, pool, asIfMoored, cls)
    : ruleContext(input, pool, asIfMoored, cls, offer);

/** Tries one claim on every class and pool of the live state: what the whole Moorings grid answers. */
export function tryEverywhere(prepared: Prepared, tried: TriedClaim): Record<string, TriedClass> {
  const answers: Record<string, TriedClass> = {};
  for (const storageClass of prepared.state.classes) {
    const input = inputFor(prepared, storageClass, tried);
    const tuned = tunedClass(storageClass, input.claim.tuned);
    const cells: TriedCell[] = [];
    const offers = prepared.offers.of(prepared.list, tuned);
    for (let i = 0; i < offers.length; i++) {
      const context = contextOf(input, prepared.list[i]!, tuned, offers[i]);
      const failed = firstFailure(context);
      const { provisioned } = context;
      if (failed) cells.push({ failed, moreClaims: 0, moreBytes: 0, stoppedBy: undefined, provisioned });
      else {
        const { claims, stoppedBy } = roomFor(context);
        cells.push({ failed: undefined, moreClaims: claims, moreBytes: claims * provisioned, stoppedBy, provisioned });
      }
    }
    answers[storageClass.name] = { ...rankPools(input), cells };
  }
  return answers;
}

/** One cell in full. */
export function explain(prepared: Prepared, tried: TriedClaim, className: string, pool: string): Explained | undefined {
  const storageClass = prepared.state.classes.find((c) => c.name === className);
  const known = prepared.pools.get(pool);
  if (!storageClass || !known) return undefined;
  const input = inputFor(prepared, storageClass, tried);
  const decision = decide(input);
  return {
    className,
    pool,
    decision,
    checks: checkPool(contextOf(input, known, tunedClass(storageClass, input.claim.tuned))),
    remedies: decision.winner === undefined ? whatWouldBind(input, 5) : [],
  };
}

export const siteOf = ({ state, pools, moorings, offers }: Prepared): Site => ({
  name: state.site,
  classes: state.classes,
  moorings,
  pools,
  held: state.held,
  offers,
});

/** For every class, how many more claims of its usual size would bind before the first refusal. */
export function outlooks(prepared: Prepared): Record<string, Outlook> {
  const site = siteOf(prepared);
  return Object.fromEntries(prepared.state.classes.map((cls) => [cls.name, outlookOf(site, cls)]));
}
