import { statement } from '../database/statement';
import { shifting } from './kinds';

export interface CarvedShare {
  claim_uid: string;
  claim: string;
  volume_name: string;
  state: 'held' | 'made' | 'bound' | 'adrift' | 'returning';
  bytes: number;
  instance: string;
  instance_to: string | null;
}

/** Shares that are carved out of the instances of a pool, instance by instance. */
export const carvedShares = statement<CarvedShare, [pool: string, most: number]>(
  `SELECT claim_uid, namespace || '/' || claim_name AS claim, volume_name, state, bytes, instance, instance_to
   FROM reservations WHERE pool_id = $1 AND instance IS NOT NULL ORDER BY instance, claim_uid LIMIT $2`,
);

/** Those of one instance; they stay as they are until the transaction has ended. */
export const sharesInside = statement<CarvedShare, [pool: string, instance: string, most: number]>(
  `SELECT claim_uid, namespace || '/' || claim_name AS claim, volume_name, state, bytes, instance, instance_to
   FROM reservations WHERE pool_id = $1 AND instance = $2 ORDER BY claim_uid LIMIT $3 FOR UPDATE`,
);

/** Sends shares of a pool to other instances of it: each holds its room in both from now on. */
export const sendShares = statement<{ claim_uid: string }, [pool: string, moves: string]>(
  `UPDATE reservations r SET instance_to = m.to_instance
   FROM jsonb_to_recordset($2::jsonb) AS m(claim_uid text, to_instance text)
   WHERE r.claim_uid = m.claim_uid AND r.pool_id = $1 AND r.instance IS NOT NULL AND r.instance_to IS NULL
   RETURNING r.claim_uid`,
);

/** Begins to move the shares of an instance; those of which something else holds the size are left out. */
export const beginShifts = statement<{ id: string; about: string }, [pool: string, instance: string, person: string]>(
  `INSERT INTO operations (kind, subject, state, holds, namespace, about, person)
   SELECT '${shifting.kind}', substr(r.volume_name, length('pvc-') + 1), '${shifting.begins}', '${shifting.holds}', r.namespace,
     r.namespace || '/' || r.claim_name, $3
   FROM reservations r WHERE r.pool_id = $1 AND r.instance = $2 ORDER BY r.claim_uid
   ON CONFLICT DO NOTHING RETURNING id, about`,
);

export interface ShareOnItsWay {
  claim_uid: string;
  pool_id: string;
  backend_id: string;
  path: string;
  volume_name: string;
  bytes: number;
  instance: string;
  instance_to: string;
  /** What the other instance is to be sold as. */
  to_bytes: number;
  claim: string;
}

/** The share of a volume, where it is on its way to another instance. By the volume's name, which stays whoever holds it. */
export const shareOnItsWay = statement<ShareOnItsWay, [volume: string]>(
  `SELECT r.claim_uid, r.pool_id, p.backend_id, p.path, r.volume_name, r.bytes, r.instance, r.instance_to, i.bytes AS to_bytes,
     r.namespace || '/' || r.claim_name AS claim
   FROM reservations r JOIN pools p ON p.id = r.pool_id JOIN instances i ON i.pool_id = r.pool_id AND i.id = r.instance_to
   WHERE r.volume_name = $1 AND r.instance IS NOT NULL LIMIT 1`,
);

/** What stands against a share's room in one of two instances ends: it lies in this one alone. */
export const settleShare = statement<object, [volume: string, instance: string]>(
  `UPDATE reservations SET instance = $2, instance_to = NULL WHERE volume_name = $1 AND instance_to IS NOT NULL AND $2 IN (instance, instance_to)`,
);

/** Shares in an instance, and those of them that are on their way out. */
export const leftInside = statement<
  { shares: number; leaving: number; bytes: number },
  [pool: string, instance: string]
>(
  `SELECT count(*)::integer AS shares, count(instance_to)::integer AS leaving, coalesce(sum(bytes), 0)::bigint AS bytes
   FROM reservations WHERE pool_id = $1 AND (instance = $2 OR instance_to = $2)`,
);
