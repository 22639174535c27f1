import type { PoolFacts } from '@moorage/contract/backends';
import { statement } from '../database/statement';

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
  raw_bytes: number;
  backend_iops: number;
  backend_throughput: number;
  iops_floor: number;
  iops_ceiling: number | null;
  /** MB/s, as the ceiling is. */
  throughput_floor: number;
  throughput_ceiling: number | null;
  grace_days: number;
  /** The grace of its class has ended, or there was none. */
  grace_over: boolean;
  volume_name: string;
  volume_id: string | null;
  state: 'held' | 'made' | 'bound' | 'adrift' | 'returning';
  /** Name of its persistent volume. */
  pv_name: string;
  /** Made by somebody else: never destroyed here. */
  adopted: boolean;
  /** Who said that it is to be destroyed before its time. */
  destroyed_by: string | null;
  /** The instance of its pool that it is carved out of, what that is to be sold as, and the one that it is on its way to. */
  instance: string | null;
  instance_bytes: number | null;
  instance_to: string | null;
  /** Where its files are mounted, for a volume of files. */
  share: { server: string; path: string } | null;
}

/** A copy of a volume elsewhere, under the same name, with the pool it is reserved on. */
export interface FurtherCopy {
  /** Written at the same time on another backend, or later at another site. */
  mode: 'synchronous' | 'asynchronous';
  pool_id: string;
  backend_id: string;
  path: string;
  bytes: number;
  raw_bytes: number;
  backend_iops: number;
  backend_throughput: number;
  volume_id: string | null;
}

const copiesElsewhere = 'SELECT f.*, p.backend_id, p.path FROM further_copies f JOIN pools p ON p.id = f.pool_id';

/** Copies elsewhere that are reserved for a claim. */
export const furtherCopiesOf = statement<FurtherCopy, [claim: string]>(
  `${copiesElsewhere} WHERE f.claim_uid = $1 ORDER BY f.mode LIMIT 2`,
  'planned once',
);
/** The same for many claims. */
export const furtherCopiesOfMany = statement<FurtherCopy & { claim_uid: string }, [claims: readonly string[]]>(
  `${copiesElsewhere} WHERE f.claim_uid = ANY($1) ORDER BY f.claim_uid, f.mode LIMIT 10000`,
);

const reserved = `SELECT r.*, coalesce(r.pv_name, r.volume_name) AS pv_name, coalesce(r.keep_until <= now(), r.grace_days = 0) AS grace_over, p.backend_id, p.path, p.facts, i.bytes AS instance_bytes
   FROM reservations r JOIN pools p ON p.id = r.pool_id LEFT JOIN instances i ON i.pool_id = r.pool_id AND i.id = r.instance`;

/** What is reserved for a claim. */
export const reservedFor = statement<Reserved, [claim: string]>(`${reserved} WHERE r.claim_uid = $1`, 'planned once');
/** The same for many claims. */
export const reservedForMany = statement<Reserved, [claims: readonly string[]]>(
  `${reserved} WHERE r.claim_uid = ANY($1) ORDER BY r.claim_uid LIMIT 5000`,
);

/** Keeps the volume of a claim that is gone; its grace begins when its class gives it one. */
export const setAdrift = statement<object, [claim: string]>(
  `UPDATE reservations r SET state = 'adrift', adrift_since = coalesce(adrift_since, now()),
     modes = coalesce((SELECT o.body #> '{spec,accessModes}' FROM platform_objects o
       WHERE o.plural = 'persistentvolumes' AND o.name = coalesce(r.pv_name, r.volume_name)), modes),
     volume_mode = coalesce((SELECT o.body #>> '{spec,volumeMode}' FROM platform_objects o
       WHERE o.plural = 'persistentvolumes' AND o.name = coalesce(r.pv_name, r.volume_name)), volume_mode),
     keep_until = coalesce(keep_until, CASE WHEN grace_days > 0 THEN now() + make_interval(days => grace_days) END)
   WHERE claim_uid = $1`,
);

/** Frees what is reserved for a claim; gives the pools that have room again. */
export const freeReserved = statement<{ pool_id: string; namespace: string }, [claim: string]>(
  `WITH gone AS (DELETE FROM reservations WHERE claim_uid = $1 RETURNING pool_id, namespace)
   SELECT pool_id, namespace FROM gone
   UNION SELECT f.pool_id, g.namespace FROM further_copies f, gone g WHERE f.claim_uid = $1`,
);

/** A disk of the copies of a claim that is gone, or whose node is. */
export const goneDisks = statement<{ disk: string }, [claim: string]>(
  `SELECT c.disk FROM reservation_copies c
   JOIN pools p ON p.id = c.pool_id
   LEFT JOIN backend_disks d ON d.backend_id = p.backend_id AND d.id = c.disk
   LEFT JOIN backend_nodes n ON n.backend_id = p.backend_id AND n.name = d.node
   WHERE c.claim_uid = $1 AND (d.id IS NULL OR NOT d.works OR n.up = false) LIMIT 1`,
);
