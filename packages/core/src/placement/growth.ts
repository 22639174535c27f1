import { tunedClass } from '../classes/allowance';
import { offsiteClass, singleOf } from '../classes/elsewhere';
import type { StorageClass } from '../classes/storage-class';
import type { Pool } from '../pools/pool-state';
import { rateFor } from '../performance/term';
import { promisableDisks } from '../replicas/on-pool';
import { largestSold, soldAs } from '../shares/carve';
import type { HeldInstance } from '../shares/instances';
import { bytes, type Bytes } from '../sizes/bytes';
import { apply, type Change } from './change';
import { decide } from './decide';
import { changesFor } from './propose';
import { remediesBy, type Remedy } from './remedies';
import type { PlacementInput } from './request';
import type { Check, RuleName } from './rule';
import { checkPool, ruleContext, type RuleContext } from './rules';

/** What a claim's volume, or a copy of it elsewhere, holds of one pool. */
export interface Held {
  readonly pool: string;
  readonly provisioned: Bytes;
  /** Back-end operations and bytes per second reserved for it. */
  readonly backendIops: number;
  readonly backendThroughput: number;
  /** Disks of its copies; empty where the backend places data itself. */
  readonly disks: readonly string[];
  /** The instance that it is carved out of; where it is on its way to another, that one. */
  readonly instance?: string;
  /** A copy written at the same time on another backend, or later at another site. */
  readonly further?: 'synchronous' | 'asynchronous';
}

/** A claim with a volume that is asked to be larger. The quotas count the claim as it is; `claim.size` is what is asked now. */
export interface GrowthInput extends PlacementInput {
  /** The volume first, then its copies elsewhere. */
  readonly held: readonly [Held, ...Held[]];
}

/** Rules that a growth can fail, in their order: where the volume lies was decided when it was made. */
export const growthRules = [
  'backend',
  'writable',
  'expansion',
  'size-limit',
  'fill',
  'subscription',
  'disk-room',
  'allotment',
  'backend-cap',
  'iops',
  'throughput',
  'namespace-quota',
  'class-quota',
  'iops-limit',
] as const satisfies readonly RuleName[];

/** What growing takes of one pool, and whether the pool gives it. Needs and rooms are of what is added, but for the size limit. */
export interface PoolGrowth {
  readonly pool: string;
  readonly further?: Held['further'];
  readonly from: Bytes;
  readonly to: Bytes;
  /** Raw bytes added, and the raw footprint of the whole afterwards. */
  readonly addedRaw: number;
  readonly raw: number;
  /** What is reserved of the pool afterwards, and of speed for the claim. */
  readonly backendIops: number;
  readonly backendThroughput: number;
  readonly iopsFloor: number;
  readonly throughputFloor: number;
  /** What its instance is sold as afterwards, and the bytes that are bought for that. */
  readonly instance?: { readonly id: string; readonly size: number; readonly added: number };
  readonly checks: readonly Check[];
}

export type Growth =
  /** The volume is as large already: the pool gave more than was asked. */
  | { readonly kind: 'enough'; readonly provisioned: Bytes }
  /** The class does not let its claims grow. */
  | { readonly kind: 'fixed' }
  /** A pool it lies on is not known any more. */
  | { readonly kind: 'pool-gone'; readonly pool: string }
  | { readonly kind: 'reckoned'; readonly fits: boolean; readonly on: readonly PoolGrowth[] };

/** What the class asks of the pool of one part of a volume. */
const classFor = (input: GrowthInput, held: Held): StorageClass => {
  const tuned = tunedClass(input.storageClass, input.claim.tuned);
  if (held.further === 'asynchronous') return offsiteClass(tuned);
  return held.further === 'synchronous' ? singleOf(tuned) : tuned;
};

/** Room for more on the disks that hold the copies: the least of them, bytes. Infinite where the backend places data itself. */
function roomOnDisks(pool: Pool, disks: readonly string[]): number {
  const placed = promisableDisks(pool);
  if (!placed || disks.length === 0) return Infinity;
  const rooms = placed.filter((d) => disks.includes(d.id)).map((d) => (d.usable ? d.capacity - d.used : 0));
  // a disk that is gone takes nothing
  return rooms.length < disks.length ? 0 : Math.min(...rooms);
}

/** The instance that a part of a volume is carved out of; undefined where it is not carved. */
const instanceOf = (held: Held, pool: Pool): HeldInstance | undefined =>
  pool.instances?.held.find((i) => i.id === held.instance);

/** What an instance is sold as with so much more in it. */
const soldWith = ({ size, used }: HeldInstance, more: number, pool: Pool): number =>
  Math.max(size, soldAs(used + more, pool.instances!.sizes));

/** The size that a volume can have at most where it lies. */
function largestThere(held: Held, pool: Pool): number {
  const instance = instanceOf(held, pool);
  if (!instance) return pool.maximum;
  const whole = Math.max(instance.size, largestSold(pool.instances!.sizes));
  return Math.min(pool.maximum, held.provisioned + Math.max(0, whole - instance.used));
}

/** The rules' view of one part of the volume, with what is added in the place of the whole. */
export function contextOf(input: GrowthInput, held: Held, pool: Pool): { whole: RuleContext; added: RuleContext } {
  const storageClass = classFor(input, held);
  const own: PlacementInput = held.further ? { ...input, quotas: [], counts: [] } : input;
  const whole = ruleContext(own, pool, undefined, storageClass);
  const more = (after: number, before: number) => Math.max(0, after - before);
  const offer = { ...whole.offer, diskRoom: roomOnDisks(pool, held.disks) };
  const provisioned = bytes(more(whole.provisioned, held.provisioned));
  const instance = instanceOf(held, pool);
  const added: RuleContext = {
    ...whole,
    offer,
    provisioned,
    added: instance ? soldWith(instance, provisioned, pool) - instance.size : provisioned,
    floor: more(whole.floor, rateFor(storageClass.iopsFloor, held.provisioned)),
    backendIops: more(whole.backendIops, held.backendIops),
    backendThroughput: more(whole.backendThroughput, held.backendThroughput),
  };
  return { whole, added };
}

function growOn(input: GrowthInput, held: Held, pool: Pool): PoolGrowth {
  const { whole, added } = contextOf(input, held, pool);
  const most = largestThere(held, pool);
  const limit: Check = {
    ...{ rule: 'size-limit', passed: whole.provisioned <= most, need: whole.provisioned, have: most },
    unit: 'bytes',
  };
  const instance = instanceOf(held, pool);
  const size = instance && soldWith(instance, added.provisioned, pool);
  const checks = checkPool(added).map((c) => (c.rule === 'size-limit' ? limit : c));
  const { footprintFactor } = whole.offer;
  const to = bytes(held.provisioned + added.provisioned);
  const raw = Math.ceil(to * footprintFactor);
  return {
    pool: pool.id,
    ...(held.further && { further: held.further }),
    from: held.provisioned,
    to,
    raw,
    addedRaw: raw - Math.ceil(held.provisioned * footprintFactor),
    backendIops: held.backendIops + added.backendIops,
    backendThroughput: held.backendThroughput + added.backendThroughput,
    iopsFloor: whole.floor,
    throughputFloor: whole.throughputFloor,
    ...(instance && { instance: { id: instance.id, size: size!, added: size! - instance.size } }),
    checks: checks.filter((c) => (growthRules as readonly RuleName[]).includes(c.rule)),
  };
}

/**
 * What becomes of a claim that asks for more than it has (docs/calculations.md, Growing): every rule is asked about what is added, on the pools and
 * disks that the volume and its copies lie on already.
 */
export function grow(input: GrowthInput): Growth {
  if (!input.storageClass.expansion) return { kind: 'fixed' };
  const on: PoolGrowth[] = [];
  for (const held of input.held) {
    const pool = input.pools.get(held.pool);
    if (!pool) return { kind: 'pool-gone', pool: held.pool };
    on.push(growOn(input, held, pool));
  }
  const [main] = on;
  if (main!.to <= main!.from) return { kind: 'enough', provisioned: main!.from };
  return { kind: 'reckoned', fits: on.every((g) => g.checks.every((c) => c.passed)), on };
}

/** A pool once a part of a volume has grown on it, or on another of its backend, which counts against the cap over both. */
function withGrowth(pool: Pool, held: Held, grown: PoolGrowth): Pool {
  const own = held.pool === pool.id;
  const bought = grown.instance?.added ?? grown.addedRaw;
  const raw = own ? bought : 0;
  const on = new Set(held.disks);
  const { redundancy, instances } = pool;
  return {
    ...pool,
    ...(pool.backendCap && { backendCap: { ...pool.backendCap, taken: pool.backendCap.taken + bought } }),
    ...(own &&
      grown.instance &&
      instances && {
        instances: {
          ...instances,
          held: instances.held.map((i) =>
            i.id === grown.instance?.id ? { ...i, size: grown.instance.size, used: i.used + grown.to - grown.from } : i,
          ),
        },
      }),
    ...(own && {
      subscribedRaw: pool.subscribedRaw + raw,
      taken: pool.taken + raw,
      promisedIops: pool.promisedIops + grown.backendIops - held.backendIops,
      promisedThroughput: pool.promisedThroughput + grown.backendThroughput - held.backendThroughput,
      largest: Math.max(pool.largest, grown.to),
      ...(redundancy.kind === 'spread' &&
        redundancy.disks && {
          redundancy: {
            ...redundancy,
            disks: redundancy.disks.map((d) => (on.has(d.id) ? { ...d, used: d.used + grown.to - grown.from } : d)),
          },
        }),
    }),
  };
}

/** Many claims that ask for more, in turn: each is reckoned with what those before it took of pools, caps and limits. All know the same pools. */
export function growInTurn(inputs: readonly GrowthInput[]): Growth[] {
  const pools = new Map(inputs[0]?.pools);
  const added = new Map<string, number>();
  const faster = new Map<string, number>();
  const scopes = ({ claim, storageClass }: GrowthInput) => ({
    namespace: claim.namespace,
    class: `${claim.namespace}/${storageClass.name}`,
  });
  return inputs.map((input) => {
    const at = scopes(input);
    const quotas = input.quotas.map((q) => ({ ...q, used: q.used + (added.get(at[q.scope]) ?? 0) }));
    const counts = input.counts?.map((c) => ({ ...c, used: c.used + (faster.get(at[c.scope]) ?? 0) }));
    const growth = grow({ ...input, pools, quotas, counts });
    if (growth.kind !== 'reckoned' || !growth.fits) return growth;
    growth.on.forEach((grown, i) => {
      const held = input.held[i]!;
      const { backend } = pools.get(held.pool)!;
      for (const [id, pool] of pools)
        if (id === held.pool || (pool.backendCap && pool.backend === backend))
          pools.set(id, withGrowth(pool, held, grown));
    });
    const more = growth.on[0]!.to - growth.on[0]!.from;
    const { iopsFloor } = tunedClass(input.storageClass, input.claim.tuned);
    const iops = growth.on[0]!.iopsFloor - rateFor(iopsFloor, growth.on[0]!.from);
    for (const key of Object.values(at)) {
      added.set(key, (added.get(key) ?? 0) + more);
      faster.set(key, (faster.get(key) ?? 0) + Math.max(0, iops));
    }
    return growth;
  });
}

/** The largest size, bytes, that the claim may grow to where it lies; what it has when it cannot grow at all. */
export function mostItGrows(input: GrowthInput): Bytes {
  const [{ pool: id, provisioned }] = input.held;
  const pool = input.pools.get(id);
  if (!pool) return provisioned;
  const sizeAt = (steps: number) => bytes(provisioned + steps * pool.granule);
  const fits = (steps: number) => {
    const growth = grow({ ...input, claim: { ...input.claim, size: sizeAt(steps) } });
    return growth.kind === 'reckoned' && growth.fits;
  };
  // every rule asks for more the more is added
  let [low, high] = [0, Math.max(0, Math.floor((largestThere(input.held[0], pool) - provisioned) / pool.granule))];
  while (low < high) {
    const middle = Math.ceil((low + high) / 2);
    if (fits(middle)) low = middle;
    else high = middle - 1;
  }
  return sizeAt(low);
}

/** Settings of pools and limits; what would ask less of a volume that exists is no remedy for it. */
const open: ReadonlySet<Change['kind']> = new Set([
  ...(['raise-quota', 'raise-count', 'raise-allotment', 'raise-cap', 'raise-overcommit', 'add-capacity'] as const),
  ...(['mend-backend', 'free-pool'] as const),
]);

/** What would make a growth fit that does not: a smaller one where there is any, then changes of limits and pools, each tried out, cheapest first. */
export function whatWouldGrow(input: GrowthInput, most = 6): Remedy[] {
  const growth = grow(input);
  if (growth.kind !== 'reckoned' || growth.fits) return [];
  const largest = mostItGrows(input);
  const [main] = input.held;
  const less: Change[] =
    largest > main.provisioned ? [{ kind: 'ask-less', size: largest, by: input.claim.size - largest }] : [];
  const refusing = growth.on.filter((g) => g.checks.some((c) => !c.passed));
  const [first] = refusing;
  // with two pools that refuse, no change of one is enough
  const changes =
    refusing.length > 1
      ? []
      : first!.checks
          .filter((c) => !c.passed)
          .flatMap((check) => {
            const held = input.held.find((h) => h.pool === first!.pool)!;
            return changesFor(check, contextOf(input, held, input.pools.get(held.pool)!).added);
          })
          .filter((change) => open.has(change.kind));
  const works = (set: readonly Change[]) => {
    const pool = input.pools.get(first!.pool)!;
    const after = set.reduce(apply, { input, pool, mooring: undefined });
    const pools = new Map(input.pools).set(pool.id, after.pool);
    const grown = grow({ ...input, ...after.input, pools });
    return grown.kind === 'reckoned' && grown.fits;
  };
  return remediesBy([...less, ...changes], works, first!.pool).slice(0, most);
}

/** The pool that would take the whole claim at its new size, were it made anew; undefined when none but its own would. */
export function elsewhere(input: GrowthInput): string | undefined {
  const others = input.moorings.filter((m) => m.pool !== input.held[0].pool);
  // its own bytes go back to its namespace when it moves
  const own = input.held[0].provisioned;
  const quotas = input.quotas.map((q) => ({ ...q, used: Math.max(0, q.used - own) }));
  const iops = rateFor(tunedClass(input.storageClass, input.claim.tuned).iopsFloor, own);
  const counts = input.counts?.map((c) => ({ ...c, used: Math.max(0, c.used - (c.of === 'claims' ? 1 : iops)) }));
  return decide({ ...input, moorings: others, quotas, counts }).winner;
}
