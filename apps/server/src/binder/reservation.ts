import type { PoolFacts } from '@moorage/contract/backends';
import type { Database } from '../database/database';

/** What is reserved for a claim, with the pool it is reserved on. */
export interface Reserved {
  claim_uid: string;
  namespace: string;
  claim_name: string;
  class_name: string;
  reclaim: string;
  pool_id: string;
  backend_id: string;
  path: string;
  facts: PoolFacts;
  bytes: number;
  iops_ceiling: number | null;
  /** MB/s. */
  throughput_ceiling: number | null;
  grace_days: number;
  /** The grace of its class has ended, or there was none. */
  grace_over: boolean;
  volume_name: string;
  volume_id: string | null;
  state: 'held' | 'made' | 'bound' | 'adrift';
}

/** A copy of a volume elsewhere, under the same name, with the pool it is reserved on. */
export interface FurtherCopy {
  /** Written at the same time on another backend, or later at another site. */
  mode: 'synchronous' | 'asynchronous';
  pool_id: string;
  backend_id: string;
  path: string;
  bytes: number;
  volume_id: string | null;
}

export const findFurtherCopies = (database: Database, claim: string): Promise<FurtherCopy[]> =>
  database.rows<FurtherCopy>(
    `SELECT f.*, p.backend_id, p.path FROM further_copies f JOIN pools p ON p.id = f.pool_id WHERE f.claim_uid = $1 ORDER BY f.mode LIMIT 2`,
    [claim],
  );

export const findReservation = (database: Database, claim: string): Promise<Reserved | undefined> =>
  database.one<Reserved>(
    `SELECT r.*, coalesce(r.keep_until <= now(), r.grace_days = 0) AS grace_over, p.backend_id, p.path, p.facts FROM reservations r JOIN pools p ON p.id = r.pool_id WHERE r.claim_uid = $1`,
    [claim],
  );
