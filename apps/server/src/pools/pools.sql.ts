import type { PoolFacts, Tier } from '@moorage/contract/backends';
import { statement } from '../database/statement';

export interface StoredPool {
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
  instances: { id: string; bytes: number; used: number; leaving: boolean }[] | null;
  cap: number | null;
  cap_taken: number | null;
  version: number;
  volumes: number;
  reachable: boolean;
  healthy: boolean;
}

/** Raw bytes that are taken of a backend: what is promised, and what is bought and in no share. */
export const takenOf = (backend: string): string =>
  `(SELECT coalesce(sum(q.reserved_raw + coalesce((SELECT sum(greatest(0, i.bytes - i.used)) FROM instances i WHERE i.pool_id = q.id), 0)), 0)
     FROM pools q WHERE q.backend_id = ${backend})::bigint`;

// volumes that no reservation of ours explains count against the pool as well
const columns = `p.*,
   coalesce((SELECT max(r.bytes) FROM reservations r WHERE r.pool_id = p.id), 0)::bigint AS largest,
   b.reachable, b.healthy, b.sites, b.cap,
   CASE WHEN b.cap IS NOT NULL THEN ${takenOf('b.id')} END AS cap_taken,
   (SELECT jsonb_agg(jsonb_build_object('id', id, 'bytes', bytes, 'used', used, 'leaving', leaving) ORDER BY id)
     FROM (SELECT * FROM instances i WHERE i.pool_id = p.id ORDER BY id LIMIT 5000) i) AS instances,
   coalesce(s.foreign_raw, 0)::bigint AS foreign_raw, coalesce(s.volumes, 0)::bigint AS volumes`;
const from = 'FROM pools p JOIN backends b ON b.id = p.backend_id LEFT JOIN pool_sums s ON s.pool_id = p.id';

const listed = `SELECT ${columns} ${from}`;

/** Every pool with what it holds, backend by backend. */
export const poolsByBackend = statement<StoredPool>(`${listed} ORDER BY p.backend_id, p.id LIMIT 5000`);

/** Pools with what they hold, and with the bytes promised on each of their disks, by our reservations and by volumes that none of ours explains. `ids`: those alone. */
export const poolsById = statement<
  StoredPool & { disk_use: Readonly<Record<string, number>> | null },
  [ids: readonly string[] | null]
>(
  `SELECT ${columns}, (SELECT jsonb_object_agg(d.disk, d.bytes) FROM disk_use d WHERE d.pool_id = p.id AND d.bytes <> 0) AS disk_use
   ${from} WHERE $1::text[] IS NULL OR p.id = ANY($1) ORDER BY p.id LIMIT 5000`,
);

/**
 * Locks pools until the transaction ends, in order of id. Under a cap over a backend, decisions on any of its pools take turns, so
 * its others are locked as well.
 */
export const lockPools = statement<{ id: string }, [ids: readonly string[] | null]>(
  `SELECT id FROM pools WHERE $1::text[] IS NULL OR id = ANY($1)
     OR backend_id IN (SELECT q.backend_id FROM pools q JOIN backends b ON b.id = q.backend_id WHERE q.id = ANY($1) AND b.cap IS NOT NULL)
   ORDER BY id FOR UPDATE`,
);
