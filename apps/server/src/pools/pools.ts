import type { PoolChange, PoolRow } from '@moorage/contract/backends';
import { toCorePool } from '@moorage/contract/pool-state';
import type { Pool } from '@moorage/core/pools/pool-state';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { Refusal } from '../refusals/refusal';
import { pools, type PoolModel } from './pool-model';
import { tierOf, usualDisk } from './pool-row';
import { lockPools, poolsByBackend, poolsById, type StoredPool } from './pools.sql';

const toRow = (p: StoredPool): PoolRow => ({
  id: p.id,
  name: p.name,
  backend: p.backend_id,
  sites: p.sites,
  facts: p.facts,
  reservedRaw: p.reserved_raw,
  reservedBytes: p.reserved_bytes,
  promisedIops: p.promised_iops,
  promisedThroughput: p.promised_throughput,
  largest: p.largest,
  foreignRaw: p.foreign_raw,
  overcommit: p.overcommit,
  softMark: p.soft_mark,
  hardMark: p.hard_mark,
  allotment: p.allotment,
  allotmentIops: p.allotment_iops,
  allotmentThroughput: p.allotment_throughput,
  tier: p.tier ?? tierOf(p.facts),
  tierSaid: p.tier !== null,
  price: p.price,
  goneSince: p.gone_since?.toISOString() ?? null,
  usualDisk: usualDisk(p.facts.disks),
  backendCap: p.cap === null ? null : { limit: p.cap, taken: p.cap_taken ?? 0 },
  version: p.version,
  volumes: p.volumes,
  ...(p.instances && { instances: p.instances }),
});

export async function listPools(database: Database): Promise<PoolRow[]> {
  const rows = await poolsByBackend(database);
  // disks have a page of their own: a large cluster has tens of thousands
  return rows.map((p) => ({ ...toRow(p), facts: { ...p.facts, disks: [] } }));
}

export type LivePool = PoolRow & {
  reachable: boolean;
  healthy: boolean;
  diskUse: Record<string, number>;
  path: string;
};

/**
 * Pools as a decision sees them. With `lock` their rows are locked in order of id until the transaction ends, and read after
 * that, so that decisions on one pool take turns in all servers together.
 */
export async function livePools(
  database: Database,
  ids: readonly string[] | 'all',
  lock?: 'lock',
): Promise<LivePool[]> {
  const named = ids === 'all' ? null : ids;
  if (lock) await lockPools(database, named);
  const rows = await poolsById(database, named);
  return rows.map((row) => ({
    ...toRow(row),
    path: row.path,
    reachable: row.reachable,
    healthy: row.healthy,
    diskUse: row.disk_use ?? {},
  }));
}

export const corePools = (pools: readonly LivePool[]): Map<string, Pool> =>
  new Map(pools.map((p) => [p.id, toCorePool(p)]));

const kept = <T>(asked: T | undefined, before: T): T => (asked === undefined ? before : asked);

/** What a person sets of a pool. */
const named = (p: PoolModel) => ({
  overcommit: p.overcommit,
  softMark: p.softMark,
  hardMark: p.hardMark,
  allotment: p.allotment,
  allotmentIops: p.allotmentIops,
  allotmentThroughput: p.allotmentThroughput,
  tier: p.tier,
  price: p.price,
});

/** Changes marks, overcommit or allotment, when nobody changed them since `version`. */
export async function changePool(
  database: Database,
  id: string,
  version: number | undefined,
  change: PoolChange,
  person: string,
): Promise<PoolRow> {
  return database.transaction(async () => {
    const before = await pools.in(database).findByPk(id, { lock: true });
    if (!before) throw Refusal.notFound('pool', id);
    if (version !== undefined && version !== before.version) throw Refusal.changedMeanwhile('pool', id);
    const soft = change.softMark ?? before.softMark;
    const hard = change.hardMark ?? before.hardMark;
    if (soft >= hard) throw Refusal.invalid('softMark', 'The soft mark must be below the hard mark.');
    const was = named(before);
    await before.update({
      overcommit: change.overcommit ?? before.overcommit,
      softMark: soft,
      hardMark: hard,
      allotment: kept(change.allotment, before.allotment),
      allotmentIops: kept(change.allotmentIops, before.allotmentIops),
      allotmentThroughput: kept(change.allotmentThroughput, before.allotmentThroughput),
      tier: kept(change.tier, before.tier),
      price: kept(change.price, before.price),
      version: before.version + 1,
    });
    await record(database, {
      person,
      action: 'change',
      kind: 'pool',
      subject: id,
      before: was,
      after: named(before),
    });
    await announce(database, [{ topic: 'pools', subject: id }]);
    const [after] = await poolsById(database, [id]);
    return toRow(after!);
  });
}
