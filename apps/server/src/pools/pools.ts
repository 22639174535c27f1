import type { PoolChange, PoolFacts, PoolRow, Tier } from '@moorage/contract/backends';
import type { Pool } from '@moorage/core/pools/pool';
import { toCorePool } from '@moorage/contract/pool-state';
import { tierOf, usualDisk } from '../backends/pool-row';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';

interface StoredPool {
  id: string;
  backend_id: string;
  sites: string[];
  name: string;
  path: string;
  facts: PoolFacts;
  reserved_raw: number;
  reserved_bytes: number;
  promised_iops: number;
  promised_throughput: number;
  largest: number;
  foreign_raw: number;
  overcommit: number;
  soft_mark: number;
  hard_mark: number;
  allotment: number | null;
  allotment_iops: number | null;
  allotment_throughput: number | null;
  tier: Tier | null;
  price: number | null;
  gone_since: Date | null;
  cap: number | null;
  cap_taken: number | null;
  version: number;
  volumes: number;
  reachable: boolean;
  healthy: boolean;
}

// volumes that no reservation of ours explains count against the pool as well
const columns = `p.*,
  coalesce((SELECT max(r.bytes) FROM reservations r WHERE r.pool_id = p.id), 0)::bigint AS largest,
  b.reachable, b.healthy, b.sites, b.cap,
  CASE WHEN b.cap IS NOT NULL THEN (SELECT sum(q.reserved_raw) FROM pools q WHERE q.backend_id = b.id)::bigint END AS cap_taken,
  coalesce((SELECT sum(v.raw_bytes) FROM backend_volumes v WHERE v.pool_id = p.id
    AND NOT EXISTS (SELECT 1 FROM reservations r WHERE r.volume_name = v.name)), 0)::bigint AS foreign_raw,
  (SELECT count(*) FROM backend_volumes v WHERE v.pool_id = p.id) AS volumes`;

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
});

export async function listPools(database: Database): Promise<PoolRow[]> {
  const rows = await database.rows<StoredPool>(
    `SELECT ${columns} FROM pools p JOIN backends b ON b.id = p.backend_id ORDER BY p.backend_id, p.id LIMIT 5000`,
  );
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
  const named = ids === 'all' ? [] : [ids];
  const where = ids === 'all' ? '' : 'WHERE id = ANY($1)';
  // under a cap over a backend, decisions on any of its pools take turns
  const sisters = `OR backend_id IN (SELECT q.backend_id FROM pools q JOIN backends b ON b.id = q.backend_id WHERE q.id = ANY($1) AND b.cap IS NOT NULL)`;
  if (lock) await database.rows(`SELECT id FROM pools ${where && `${where} ${sisters}`} ORDER BY id FOR UPDATE`, named);
  const rows = await database.rows<StoredPool>(
    `SELECT ${columns} FROM pools p JOIN backends b ON b.id = p.backend_id ${where.replace('id', 'p.id')} ORDER BY p.id LIMIT 5000`,
    named,
  );
  const use = await database.rows<{ pool_id: string; disk: string; bytes: number }>(
    `SELECT pool_id, disk, sum(bytes)::bigint AS bytes FROM (
       SELECT pool_id, disk, bytes FROM reservation_copies
       UNION ALL
       SELECT v.pool_id, c ->> 'disk', v.bytes FROM backend_volumes v, jsonb_array_elements(v.copies) c
       WHERE NOT EXISTS (SELECT 1 FROM reservations r WHERE r.volume_name = v.name)
     ) held ${ids === 'all' ? '' : 'WHERE pool_id = ANY($1)'} GROUP BY 1, 2`,
    named,
  );
  return rows.map((row) => ({
    ...toRow(row),
    path: row.path,
    reachable: row.reachable,
    healthy: row.healthy,
    diskUse: Object.fromEntries(use.filter((u) => u.pool_id === row.id).map((u) => [u.disk, u.bytes])),
  }));
}

export const corePools = (pools: readonly LivePool[]): Map<string, Pool> =>
  new Map(pools.map((p) => [p.id, toCorePool(p)]));

const kept = <T>(asked: T | undefined, before: T): T => (asked === undefined ? before : asked);

/** Changes marks, overcommit or allotment, when nobody changed them since `version`. */
export async function changePool(
  database: Database,
  id: string,
  version: number | undefined,
  change: PoolChange,
  person: string,
): Promise<PoolRow> {
  return database.transaction(async () => {
    const before = await database.one<StoredPool>('SELECT * FROM pools WHERE id = $1 FOR UPDATE', [id]);
    if (!before) throw HttpProblem.notFound('pool', id);
    if (version !== undefined && version !== before.version) throw HttpProblem.changedMeanwhile('pool', id);
    const soft = change.softMark ?? before.soft_mark;
    const hard = change.hardMark ?? before.hard_mark;
    if (soft >= hard) throw HttpProblem.invalid('softMark', 'The soft mark must be below the hard mark.');
    await database.rows(
      `UPDATE pools SET overcommit = $2, soft_mark = $3, hard_mark = $4, allotment = $5, allotment_iops = $6,
         allotment_throughput = $7, tier = $8, price = $9, version = version + 1 WHERE id = $1`,
      [
        id,
        change.overcommit ?? before.overcommit,
        soft,
        hard,
        kept(change.allotment, before.allotment),
        kept(change.allotmentIops, before.allotment_iops),
        kept(change.allotmentThroughput, before.allotment_throughput),
        kept(change.tier, before.tier),
        kept(change.price, before.price),
      ],
    );
    const after = await database.one<StoredPool>(
      `SELECT ${columns} FROM pools p JOIN backends b ON b.id = p.backend_id WHERE p.id = $1`,
      [id],
    );
    const named = (p: StoredPool) => ({
      overcommit: p.overcommit,
      softMark: p.soft_mark,
      hardMark: p.hard_mark,
      allotment: p.allotment,
      allotmentIops: p.allotment_iops,
      allotmentThroughput: p.allotment_throughput,
      tier: p.tier,
      price: p.price,
    });
    await record(database, {
      person,
      action: 'change',
      kind: 'pool',
      subject: id,
      before: named(before),
      after: named(after!),
    });
    await announce(database, [{ topic: 'pools', subject: id }]);
    return toRow(after!);
  });
}
