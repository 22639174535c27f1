import { subscriptionCeiling } from '../capacity/thin';
import type { Tuned } from '../classes/tunable';
import { survives, type Survival } from '../classes/survival';
import { copiesOn } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { promisableDisks } from '../replicas/on-pool';
import { placeCopies, type PlacedCopy, type ReplicaDisk } from '../replicas/place';
import { contextOf, type GrowthInput } from './growth';
import type { Check, RuleName } from './rule';
import { checkPool } from './rules';
import { tunedClass } from '../classes/allowance';

/** A copy that a volume has, or the vote of one that holds no data; `whole` when it is in step with the others. */
export interface LyingCopy extends PlacedCopy {
  readonly whole: boolean;
}

/** One copy more, on a node or where it is best; or one fewer, on a disk or the one that is missed least. */
export type CopyChange =
  { readonly kind: 'raise'; readonly node?: string } | { readonly kind: 'lower'; readonly disk?: string };

/** A disk that a further copy could go to, with what is left there after it; or a copy that could go. */
export interface CopyChoice {
  readonly disk: string;
  readonly node: string;
  readonly domain: string;
  /** Bytes that may still be promised on the disk afterwards. */
  readonly left: number;
}

export type CopiesPlan =
  /** The pool keeps copies or shards of its own, which are not counted here. */
  | { readonly kind: 'not-ours' }
  | { readonly kind: 'pool-gone'; readonly pool: string }
  /** No disk in another failure domain, or none in the named node, has room for it. */
  | { readonly kind: 'no-place'; readonly need: number; readonly node?: string }
  /** No other copy is whole: with this one the data would go. */
  | { readonly kind: 'last-whole' }
  | {
      readonly kind: 'reckoned';
      readonly fits: boolean;
      readonly checks: readonly Check[];
      /** The copy that is made, or goes. */
      readonly copy: CopyChoice;
      /** What could be chosen in its place, the best first. */
      readonly choices: readonly CopyChoice[];
      /** Copies afterwards; what they survive before and after. */
      readonly copies: number;
      readonly before: Survival;
      readonly after: Survival;
      /** Raw bytes of the volume afterwards, and those added (below 0: given back). */
      readonly raw: number;
      readonly addedRaw: number;
      readonly backendIops: number;
      readonly backendThroughput: number;
    };

const asIs: readonly RuleName[] = ['allowance', 'backend', 'writable', 'fill', 'iops', 'throughput'];

/** What of raw bytes must fit where: a limit that is not there is left out. */
function rawChecks(pool: Pool, addedRaw: number, ceiling: number): Check[] {
  const check = (rule: RuleName, have: number): Check => ({
    ...{ rule, need: addedRaw, have: Math.max(0, have), unit: 'bytes' },
    passed: addedRaw <= have,
  });
  return [
    check('subscription', ceiling - pool.subscribedRaw),
    ...(pool.allotment === undefined ? [] : [check('allotment', pool.allotment - pool.taken)]),
    ...(pool.backendCap ? [check('backend-cap', pool.backendCap.limit - pool.backendCap.taken)] : []),
  ];
}

/** What the claim tunes with so many copies: those of its class are nothing that it tunes. */
export function withCopies(
  { claim, storageClass }: Pick<GrowthInput, 'claim' | 'storageClass'>,
  copies: number,
): Tuned {
  const { copies: _before, ...others } = claim.tuned ?? {};
  return copies === storageClass.copies ? others : { ...others, copies };
}

const choiceOf = (disk: ReplicaDisk, taken: number): CopyChoice => ({
  ...{ disk: disk.id, node: disk.node, domain: disk.domain },
  left: disk.capacity - disk.used - taken,
});

/** Disks for one copy more, one for each failure domain that has neither a copy nor the vote, as copies are placed, the best first. */
function placesFor(
  disks: readonly ReplicaDisk[],
  lying: readonly LyingCopy[],
  size: number,
  pinned: readonly string[],
): CopyChoice[] {
  const taken = new Set(lying.map((c) => c.domain));
  const free = disks.filter((d) => !taken.has(d.domain) && (pinned.length === 0 || pinned.includes(d.node)));
  const found: CopyChoice[] = [];
  for (let left = free; ;) {
    const placed = placeCopies(left, { copies: 1, size });
    if (!placed.ok) return found;
    const [copy] = placed.copies;
    found.push(
      choiceOf(
        left.find((d) => d.id === copy!.disk)!,
        size,
      ),
    );
    left = left.filter((d) => d.domain !== copy!.domain);
  }
}

/** Copies that may go while another one that is whole stays: those out of step first, then those on the fullest disks. */
function copiesToGo(disks: readonly ReplicaDisk[], data: readonly LyingCopy[]): CopyChoice[] {
  const byId = new Map(disks.map((d) => [d.id, d]));
  const wholeBeside = (copy: LyingCopy) => data.some((c) => c !== copy && c.whole);
  const roomOf = (copy: LyingCopy) => {
    const disk = byId.get(copy.disk);
    return disk ? disk.capacity - disk.used : 0;
  };
  return data
    .filter(wholeBeside)
    .sort((a, b) => Number(a.whole) - Number(b.whole) || roomOf(a) - roomOf(b) || (a.disk < b.disk ? -1 : 1))
    .map((copy) => ({ disk: copy.disk, node: copy.node, domain: copy.domain, left: roomOf(copy) }));
}

/**
 * What becomes of a bound volume that keeps one copy more, or one fewer (docs/calculations.md, Copies of a bound volume). Every rule is asked about what is added:
 * raw bytes of one copy, and what one more copy costs of every write. `lying` are the copies of the pool as they are now.
 */
export function changeCopies(input: GrowthInput, lying: readonly LyingCopy[], change: CopyChange): CopiesPlan {
  const [held] = input.held;
  const pool = input.pools.get(held.pool);
  if (!pool) return { kind: 'pool-gone', pool: held.pool };
  const disks = promisableDisks(pool);
  const data = lying.filter((c) => c.role === 'data');
  if (!disks || copiesOn(pool, 2) === 1 || data.length === 0) return { kind: 'not-ours' };
  const copies = data.length + (change.kind === 'raise' ? 1 : -1);
  const cls = tunedClass(input.storageClass, input.claim.tuned);
  const asked: GrowthInput = {
    ...input,
    claim: { ...input.claim, size: held.provisioned, tuned: withCopies(input, copies) },
  };
  const choices =
    change.kind === 'raise' ? placesFor(disks, lying, held.provisioned, cls.pinnedNodes) : copiesToGo(disks, data);
  const named = change.kind === 'raise' ? change.node : change.disk;
  const copy = named === undefined ? choices[0] : choices.find((c) => c.node === named || c.disk === named);
  if (!copy)
    return change.kind === 'raise'
      ? { kind: 'no-place', need: held.provisioned, ...(change.node !== undefined && { node: change.node }) }
      : { kind: 'last-whole' };
  const { whole, added } = contextOf(asked, held, pool);
  const ceiling = Math.floor(subscriptionCeiling(whole.offer.thin) * copies);
  const raw = held.provisioned * copies;
  const addedRaw = raw - held.provisioned * data.length;
  // a copy that goes takes nothing: only whether the claim may have so few is asked
  const rules = change.kind === 'raise' ? asIs : (['allowance', 'backend'] as const);
  const checks = [
    ...checkPool(added).filter((c) => (rules as readonly RuleName[]).includes(c.rule)),
    ...(change.kind === 'raise' ? rawChecks(pool, addedRaw, ceiling) : []),
  ];
  const of = (count: number) => survives({ copies: count, witness: lying.some((c) => c.role === 'witness') });
  return {
    ...{ kind: 'reckoned', fits: checks.every((c) => c.passed), checks, copy, choices, copies },
    ...{ before: of(data.length), after: of(copies), raw, addedRaw },
    ...{ backendIops: whole.backendIops, backendThroughput: whole.backendThroughput },
  };
}
