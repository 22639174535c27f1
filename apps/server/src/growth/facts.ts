import { fromManifest, provisioner } from '@moorage/core/classes/manifest';
import type { GrowthInput, Held } from '@moorage/core/placement/growth';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { claimsToDecide, claimToDecide, usedInNamespaces, type StoredClaim } from '../binder/choose.sql';
import { countsOf, quotasOf, requestOf } from '../binder/facts';
import { countsUsed } from '../namespaces/limits.sql';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { lockNamespace } from '../database/locks.sql';
import { corePools, livePools } from '../pools/pools';
import { reservationCopies } from '../reservations/reservation-model';
import {
  furtherCopiesOf,
  furtherCopiesOfMany,
  reservedFor,
  reservedForMany,
  type FurtherCopy,
  type Reserved,
} from '../reservations/reservation.sql';

export interface GrowthFacts {
  readonly input: GrowthInput;
  readonly reserved: Reserved;
  readonly further: readonly FurtherCopy[];
}
/** What stands in the way before anything is reckoned: the claim has no volume of ours, or its class is gone. */
export type NoGrowth = 'claim-gone' | 'class-gone';

interface Read {
  readonly claim: StoredClaim;
  readonly reserved: Reserved;
  readonly further: readonly FurtherCopy[];
  readonly disks: readonly { readonly poolId: string; readonly disk: string }[];
}

const disksOf = (database: Database, claims: readonly string[]) =>
  reservationCopies.in(database).findAll({
    attributes: ['claimUid', 'poolId', 'disk'],
    where: { claimUid: [...claims], role: 'data' },
    order: [['disk', 'ASC']],
    limit: 20 * claims.length,
    raw: true,
  });

function refusalOf(claim: StoredClaim | undefined, reserved: Reserved | undefined): NoGrowth | undefined {
  if (!claim || !reserved || claim.body.metadata.deletionTimestamp || claim.phase !== 'Bound') return 'claim-gone';
  return claim.class?.provisioner === provisioner ? undefined : 'class-gone';
}

const poolsOf = ({ claim, reserved, further }: Read): string[] => [
  ...claim.moorings.map((m) => m.pool),
  ...[reserved, ...further].map((p) => p.pool_id),
];

function groupedBy<T>(rows: readonly T[], keyOf: (row: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const row of rows) {
    const group = groups.get(keyOf(row));
    if (group) group.push(row);
    else groups.set(keyOf(row), [row]);
  }
  return groups;
}

/** The instance that a volume lies in, or will when it has arrived. */
function instanceOf({ instance, instance_to }: Reserved): Pick<Held, 'instance'> {
  const at = instance_to ?? instance;
  return at === null ? {} : { instance: at };
}

function factsOf(
  site: string,
  { claim, reserved, further, disks }: Read,
  pools: GrowthInput['pools'],
  used: Parameters<typeof quotasOf>[1],
  counted: Parameters<typeof countsOf>[1],
): GrowthFacts {
  const held = (at: Reserved | FurtherCopy): Held => ({
    pool: at.pool_id,
    provisioned: at.bytes as Bytes,
    backendIops: at.backend_iops,
    backendThroughput: at.backend_throughput,
    disks: disks.filter((d) => d.poolId === at.pool_id).map((d) => d.disk),
    ...('mode' in at ? { further: at.mode } : instanceOf(at)),
  });
  const input: GrowthInput = {
    ...{ claim: requestOf(claim), site, pools, moorings: claim.moorings },
    storageClass: fromManifest(claim.class!).storageClass,
    quotas: quotasOf(claim.limits, used),
    // as many claims as before
    counts: countsOf(claim.counts, counted).filter((c) => c.of === 'iops'),
    ...(!claim.open && { granted: claim.granted }),
    held: [held(reserved), ...further.map(held)],
  };
  return { input, reserved, further };
}

/** Everything that the growth of a claim rests on; with `lock`, under the locks of its namespace and its pools. */
export async function factsToGrow(
  database: Database,
  site: string,
  uid: string,
  lock?: 'lock',
): Promise<GrowthFacts | NoGrowth> {
  const claim = await first(claimToDecide(database, uid));
  const reserved = await first(reservedFor(database, uid));
  const refused = refusalOf(claim, reserved);
  if (refused) return refused;
  const further = await furtherCopiesOf(database, uid);
  const read = { claim: claim!, reserved: reserved!, further, disks: await disksOf(database, [uid]) };
  const { namespace, limits, counts } = read.claim;
  if (lock && limits.length + counts.length > 0) await lockNamespace(database, namespace);
  const used = limits.length > 0 ? await usedInNamespaces(database, [namespace]) : [];
  const counted = counts.length > 0 ? await countsUsed(database, [namespace]) : [];
  const pools = corePools(await livePools(database, [...new Set(poolsOf(read))], lock));
  return factsOf(site, read, pools, used, counted);
}

/** The same for many claims, in as many ways to the database as for one; all with the same pools. */
export async function factsToGrowMany(
  database: Database,
  site: string,
  uids: readonly string[],
): Promise<Map<string, GrowthFacts | NoGrowth>> {
  const claims = new Map((await claimsToDecide(database, uids)).map((c) => [c.uid, c]));
  const reserved = new Map((await reservedForMany(database, uids)).map((r) => [r.claim_uid, r]));
  const further = groupedBy(await furtherCopiesOfMany(database, uids), (f) => f.claim_uid);
  const disks = groupedBy(await disksOf(database, uids), (d) => d.claimUid);
  const used = groupedBy(
    await usedInNamespaces(database, [...new Set([...claims.values()].map((c) => c.namespace))]),
    (u) => u.namespace,
  );
  const counting = [...claims.values()].filter((c) => c.counts.length > 0).map((c) => c.namespace);
  const counted = groupedBy(
    counting.length === 0 ? [] : await countsUsed(database, [...new Set(counting)]),
    (u) => u.namespace,
  );
  const reads = new Map<string, Read | NoGrowth>(
    uids.map((uid) => {
      const [claim, held] = [claims.get(uid), reserved.get(uid)];
      const read = { claim: claim!, reserved: held!, further: further.get(uid) ?? [], disks: disks.get(uid) ?? [] };
      return [uid, refusalOf(claim, held) ?? read];
    }),
  );
  const lying = [...reads.values()].filter((r) => typeof r !== 'string').flatMap(poolsOf);
  const pools = corePools(await livePools(database, [...new Set(lying)]));
  return new Map(
    [...reads].map(([uid, read]) => [
      uid,
      typeof read === 'string'
        ? read
        : factsOf(
            ...([site, read, pools] as const),
            used.get(read.claim.namespace) ?? [],
            counted.get(read.claim.namespace) ?? [],
          ),
    ]),
  );
}
