import { tunedClass } from '../classes/allowance';
import { subscriptionCeiling } from '../capacity/thin';
import type { StorageClass } from '../classes/storage-class';
import type { Pool } from '../pools/pool-state';
import { Offers } from './offer';
import type { BatchClaim, CountLimit, PlacementInput, Quota } from './request';
import { passesAll, ruleContext } from './rules';

export type QuotaUse = Map<string, number>;
export const quotaKey = (scope: Quota['scope'], { input }: BatchClaim): string =>
  scope === 'namespace' ? input.claim.namespace : `${input.claim.namespace}/${input.storageClass.name}`;

/** One way to place a kind of claim: what it takes of the pool, and up to where the pool goes for its class. */
export interface Berth {
  readonly pool: number;
  readonly provisioned: number;
  readonly raw: number;
  readonly rawCeiling: number;
  readonly iops: number;
  readonly throughput: number;
  /** Front-end IOPS that are reserved. */
  readonly floor: number;
  /** Copies that find disks of their own there; 0 where the backend places data itself. */
  readonly copies: number;
}

/** What a berth takes of a limit. */
export const takenOf = (of: 'bytes' | CountLimit['of'], { provisioned, floor }: Berth): number =>
  of === 'bytes' ? provisioned : of === 'claims' ? 1 : floor;

/** Claims that are the same to every rule: one may stand for another. */
export interface Kind {
  readonly berths: readonly Berth[];
  readonly size: number;
  readonly storageClass: StorageClass;
  readonly quotas: readonly { readonly key: string; readonly of: 'bytes' | CountLimit['of']; readonly limit: number }[];
}

/** The kind of each claim, in their order: claims alike have one kind, with the berths that every rule allows today. */
export function kindsOf(pools: readonly Pool[], claims: readonly BatchClaim[]): Kind[] {
  const index = new Map(pools.map((p, i) => [p.id, i]));
  const byId = new Map(pools.map((p) => [p.id, p]));
  const offers = new Offers();
  const known = new Map<string, Kind>();
  return claims.map((claim) => {
    const { claim: asked, storageClass, moorings, quotas, counts = [], granted } = claim.input;
    const limits = [...quotas.map((q) => ({ of: 'bytes' as const, ...q })), ...counts];
    const key = JSON.stringify([storageClass.name, asked, granted, limits]);
    const so = known.get(key);
    if (so) return so;
    const input: PlacementInput = { ...claim.input, pools: byId, offers };
    const berths = [...moorings]
      .sort((a, b) => a.order - b.order || (a.pool < b.pool ? -1 : 1))
      .flatMap((mooring): Berth[] => {
        const pool = byId.get(mooring.pool);
        const context = pool && ruleContext(input, pool, mooring);
        // limits only get tighter: what is refused now is refused for good
        if (!context || !passesAll(context)) return [];
        const { offer, provisioned, backendIops, backendThroughput } = context;
        const { footprintFactor } = offer;
        return [
          {
            pool: index.get(pool.id)!,
            provisioned,
            raw: Math.ceil(provisioned * footprintFactor),
            rawCeiling: Math.floor(subscriptionCeiling(offer.thin) * footprintFactor),
            iops: backendIops,
            throughput: backendThroughput,
            floor: context.floor,
            copies: pool.redundancy.kind === 'spread' && pool.redundancy.disks ? storageClass.copies : 0,
          },
        ];
      });
    const kind: Kind = {
      berths,
      size: asked.size,
      storageClass: tunedClass(storageClass, asked.tuned),
      quotas: limits.map((q) => ({
        key: `${q.of} ${quotaKey(q.scope, claim)}`,
        of: q.of,
        limit: q.limit - q.used,
      })),
    };
    known.set(key, kind);
    return kind;
  });
}
