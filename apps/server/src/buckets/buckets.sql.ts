import { limitKey } from '@moorage/core/buckets/bucket-class';
import { statement } from '../database/statement';
import { setTo } from '../operations/kind';
import type { PlatformObject } from '../platform/connector';
import { granting, letting, limiting, making, revoking } from './kinds';

/** A bucket claim with its class and the limits of its namespace. */
export interface StoredBucketClaim {
  uid: string;
  namespace: string;
  name: string;
  class_name: string | null;
  body: PlatformObject;
  class: PlatformObject | null;
  limits: { class_name: string; bytes: number }[];
}

const ofOurs = `JOIN platform_objects c ON c.plural = 'bucketclasses' AND c.name = o.class_name AND c.body ->> 'driverName' = `;

/** What the decision about a bucket claim rests on, pools aside. */
export const bucketClaim = statement<StoredBucketClaim, [claim: string]>(
  `SELECT o.uid, o.namespace, o.name, o.class_name, o.body, c.body AS class,
     (SELECT coalesce(jsonb_agg(jsonb_build_object('class_name', class_name, 'bytes', bytes)), '[]')
      FROM limits l WHERE l.namespace = o.namespace AND l.class_name IN ('', o.class_name)) AS limits
   FROM platform_objects o LEFT JOIN platform_objects c ON c.plural = 'bucketclasses' AND c.name = o.class_name
   WHERE o.plural = 'bucketclaims' AND o.uid = $1`,
);

/** Keeps what is known of a claim as it is until the transaction ends. */
export const holdClaim = statement<object, [claim: string]>(
  `SELECT 1 FROM platform_objects WHERE plural = 'bucketclaims' AND uid = $1 FOR SHARE`,
);

/** Begins to make the buckets of claims of our classes; those that wait already are looked at again. Gives the operations. */
export const beginBuckets = statement<{ id: string }, [claims: readonly string[], driver: string]>(
  `WITH asked AS (
     SELECT o.uid, o.namespace, o.name FROM platform_objects o ${ofOurs} $2
     WHERE o.plural = 'bucketclaims' AND o.uid = ANY($1) AND NOT o.deleting
   ), begun AS (
     INSERT INTO operations (kind, subject, state, holds, namespace, about)
     SELECT 'bucket', uid, '${making.begins}', '${making.holds}', namespace, namespace || '/' || name FROM asked
     ON CONFLICT (holds, subject) DO NOTHING RETURNING id
   )
   SELECT id FROM begun UNION
   SELECT op.id FROM operations op JOIN asked ON asked.uid = op.subject WHERE op.kind = 'bucket' AND op.state = 'waiting'`,
);

/** The same for accesses: those whose bucket is ours are ours. */
export const beginKeys = statement<{ id: string }, [accesses: readonly string[], driver: string]>(
  `WITH asked AS (
     SELECT o.uid, o.namespace, o.name FROM platform_objects o
     JOIN platform_objects b ON b.plural = 'bucketclaims' AND b.namespace = o.namespace AND b.name = o.body #>> '{spec,bucketClaimName}'
     JOIN platform_objects c ON c.plural = 'bucketclasses' AND c.name = b.class_name AND c.body ->> 'driverName' = $2
     WHERE o.plural = 'bucketaccesses' AND o.uid = ANY($1) AND NOT o.deleting
   ), begun AS (
     INSERT INTO operations (kind, subject, state, holds, namespace, about)
     SELECT 'bucket-key', uid, '${granting.begins}', '${granting.holds}', namespace, namespace || '/' || name FROM asked
     ON CONFLICT (holds, subject) DO NOTHING RETURNING id
   )
   SELECT id FROM begun UNION
   SELECT op.id FROM operations op JOIN asked ON asked.uid = op.subject WHERE op.kind = 'bucket-key' AND op.state = 'waiting'`,
);

/** Accesses that wait for a bucket claim. */
export const waitingKeys = statement<{ id: string }, [namespace: string, claim: string]>(
  `SELECT op.id FROM platform_objects o JOIN operations op ON op.kind = 'bucket-key' AND op.subject = o.uid AND op.state = 'waiting'
   WHERE o.plural = 'bucketaccesses' AND o.namespace = $1 AND o.body #>> '{spec,bucketClaimName}' = $2 LIMIT 500`,
);

/** Looks again for keys that went with a bucket's claim: one of its name has a bucket again. */
export const grantAgain = statement<{ id: string }, [namespace: string, claim: string]>(
  `UPDATE operations op SET ${setTo(granting, 'looking', 'NULL', 'op.')} FROM platform_objects o
   WHERE op.kind = 'bucket-key' AND op.subject = o.uid AND op.state = 'granted' AND o.plural = 'bucketaccesses' AND o.namespace = $1
     AND o.body #>> '{spec,bucketClaimName}' = $2 AND NOT EXISTS (SELECT 1 FROM bucket_keys k WHERE k.access_uid = o.uid)
   RETURNING op.id`,
);

/** Bucket claims and accesses whose operation was never begun; of classes that came later as well. */
export const forgottenBuckets = statement<{ uid: string }, [driver: string]>(
  `SELECT o.uid FROM platform_objects o ${ofOurs} $1 WHERE o.plural = 'bucketclaims' AND (o.body #>> '{status,bucketReady}') IS DISTINCT FROM 'true' AND NOT o.deleting
     AND NOT EXISTS (SELECT 1 FROM operations op WHERE op.kind = 'bucket' AND op.subject = o.uid) LIMIT 500`,
);
export const forgottenKeys = statement<{ uid: string }>(
  `SELECT o.uid FROM platform_objects o WHERE o.plural = 'bucketaccesses'
     AND (o.body #>> '{status,accessGranted}') IS DISTINCT FROM 'true' AND NOT o.deleting
     AND NOT EXISTS (SELECT 1 FROM operations op WHERE op.kind = 'bucket-key' AND op.subject = o.uid) LIMIT 500`,
);

/** Buckets whose claims are gone, and keys whose accesses are, where the mirror saw that before they were written: lately made ones. */
export const bucketsLeft = statement<{ claim_uid: string; about: string; namespace: string }>(
  `SELECT b.claim_uid, b.namespace || '/' || b.claim_name AS about, b.namespace FROM buckets b
   WHERE NOT b.gone AND b.created_at > now() - interval '1 day'
     AND NOT EXISTS (SELECT 1 FROM platform_objects o WHERE o.plural = 'bucketclaims' AND o.uid = b.claim_uid) LIMIT 500`,
);
export const keysLeft = statement<{ access_uid: string; about: string; namespace: string }>(
  `SELECT k.access_uid, k.namespace || '/' || k.access_name AS about, k.namespace FROM bucket_keys k
   WHERE k.asked_at > now() - interval '1 day'
     AND NOT EXISTS (SELECT 1 FROM platform_objects o WHERE o.plural = 'bucketaccesses' AND o.uid = k.access_uid) LIMIT 500`,
);

const columns = 'INSERT INTO operations (kind, subject, state, holds, namespace, about, person)';
const aboutClaim = "namespace || '/' || claim_name";

/** Begins to let go of buckets, by their claims; gives the operations that are new. */
export const beginEnds = statement<{ id: string }, [claims: readonly string[], person: string | undefined]>(
  `WITH left_behind AS (UPDATE buckets SET gone = true WHERE claim_uid = ANY($1) RETURNING claim_uid, namespace, claim_name)
   ${columns} SELECT 'bucket-end', claim_uid, '${letting.begins}', '${letting.holds}', namespace, ${aboutClaim}, $2
   FROM left_behind ON CONFLICT (holds, subject) DO NOTHING RETURNING id`,
);
/** The same of keys, by their accesses. */
export const beginRevoking = statement<{ id: string }, [accesses: readonly string[]]>(
  `${columns} SELECT 'bucket-key-end', access_uid, '${revoking.begins}', '${revoking.holds}', namespace, namespace || '/' || access_name, NULL
   FROM bucket_keys WHERE access_uid = ANY($1) ON CONFLICT (holds, subject) DO NOTHING RETURNING id`,
);

const wanted = `o.body #>> '{metadata,annotations,${limitKey}}'`;
/** Looks at the limits of claims whose bucket is there and that say another one than was seen to. */
export const beginLimits = statement<{ id: string }, [claims: readonly string[]]>(
  `WITH asked AS (
     SELECT b.claim_uid, b.namespace, b.claim_name FROM buckets b JOIN platform_objects o ON o.plural = 'bucketclaims' AND o.uid = b.claim_uid
     WHERE b.claim_uid = ANY($1) AND b.state = 'ready' AND ${wanted} IS NOT NULL AND ${wanted} IS DISTINCT FROM b.asked
   ), begun AS (
     ${columns} SELECT 'bucket-limit', claim_uid, '${limiting.begins}', '${limiting.holds}', namespace, ${aboutClaim}, NULL FROM asked
     ON CONFLICT (holds, subject) DO NOTHING RETURNING id
   )
   SELECT id FROM begun UNION
   SELECT op.id FROM operations op JOIN asked ON asked.claim_uid = op.subject
   WHERE op.kind = 'bucket-limit' AND op.state = 'waiting'`,
);

/** Bucket claims and limits that wait for something that may have changed, in turn. */
export const bucketsWaiting = statement<{ id: string }, [after: string | undefined]>(
  `SELECT id FROM operations WHERE kind IN ('bucket', 'bucket-limit') AND ended_at IS NULL AND resting AND ($1::uuid IS NULL OR id > $1::uuid)
   ORDER BY id LIMIT 200`,
);

/** Ends what is under way for claims and accesses that are gone. */
export const giveUpBuckets = statement<object, [claims: readonly string[]]>(
  `UPDATE operations SET ${setTo(making, 'abandoned')} WHERE kind = 'bucket' AND subject = ANY($1) AND state <> 'abandoned'`,
);
export const giveUpKeys = statement<object, [accesses: readonly string[]]>(
  `UPDATE operations SET ${setTo(granting, 'abandoned')} WHERE kind = 'bucket-key' AND subject = ANY($1) AND state <> 'abandoned'`,
);
/** Goes on with a claim that was thought to be gone. */
export const resumeBucket = statement<object, [claim: string]>(
  `UPDATE operations SET ${setTo(making, 'deciding')} WHERE kind = 'bucket' AND subject = $1 AND state = 'abandoned'`,
);

/** Takes a bucket that is kept for another claim of its namespace; nothing when it is not there to be taken. */
export const takeOver = statement<
  { name: string },
  [claim: string, namespace: string, claimName: string, bucket: string]
>(
  `UPDATE buckets SET claim_uid = $1, claim_name = $3, state = 'made', gone = false, kept_since = NULL
   WHERE name = $4 AND namespace = $2 AND state = 'kept' AND destroyed_by IS NULL RETURNING name`,
);

/** Buckets that were not counted for some seconds, or whose counting was begun, the longest ago first; of a pool's backend. */
export const bucketsToMeasure = statement<{ claim_uid: string; backend_id: string }, [seconds: number]>(
  `SELECT b.claim_uid, p.backend_id FROM buckets b JOIN pools p ON p.id = b.pool_id
   WHERE b.state IN ('ready', 'kept') AND (b.measured_at IS NULL OR b.measured_at < now() - make_interval(secs => $1))
   ORDER BY b.measured_at NULLS FIRST LIMIT 8`,
);

export interface StoredBucket {
  uid: string;
  namespace: string;
  name: string;
  class_name: string | null;
  body: PlatformObject | null;
  class: PlatformObject | null;
  created_at: Date;
  pool_id: string | null;
  backend_id: string | null;
  bucket: string | null;
  asked: string | null;
  bytes: number | null;
  written: number | null;
  objects: number | null;
  measured_at: Date | null;
  shut: boolean | null;
  missing_since: Date | null;
  bucket_state: 'held' | 'made' | 'ready' | 'kept' | 'emptying' | null;
  gone: boolean | null;
  endpoint: string | null;
  kept_since: Date | null;
  operation: string | null;
  waiting_for: string | null;
  stopped: string | null;
  error: { detail: string } | null;
  keys: number;
  decision_id: number | null;
}

const columnsListed = `coalesce(o.uid, b.claim_uid) AS uid, coalesce(o.namespace, b.namespace) AS namespace, coalesce(o.name, b.claim_name) AS name,
     coalesce(o.class_name, b.class_name) AS class_name, o.body, c.body AS class, coalesce(o.created_at, b.created_at) AS created_at,
     b.pool_id, p.backend_id, b.name AS bucket, b.asked, b.bytes, b.written, b.objects, b.measured_at, b.shut, b.missing_since, b.state AS bucket_state,
     b.gone, b.endpoint, b.kept_since, op.state AS operation, op.waiting_for, op.stopped, op.error, op.decision_id,
     (SELECT count(*) FROM bucket_keys k WHERE k.claim_uid = b.claim_uid AND k.granted_at IS NOT NULL) AS keys`;
/** Everything of those whose uids are named. */
const joined = `LEFT JOIN platform_objects o ON o.plural = 'bucketclaims' AND o.uid = page.uid
   LEFT JOIN buckets b ON b.claim_uid = page.uid LEFT JOIN pools p ON p.id = b.pool_id
   LEFT JOIN operations op ON op.kind = 'bucket' AND op.subject = page.uid
   LEFT JOIN platform_objects c ON c.plural = 'bucketclasses' AND c.name = coalesce(o.class_name, b.class_name)`;
const seen = (name: string, uid: string) =>
  `($1::text[] IS NULL OR namespace = ANY($1)) AND ($2::text IS NULL OR namespace = $2)
     AND ($3::text[] IS NULL OR (namespace, ${name}, ${uid}) > ($3[1], $3[2], $3[3])) ORDER BY namespace, ${name}, ${uid} LIMIT $4`;

/** Bucket claims, and buckets whose claim is gone, by namespace, name and uid, after one of them: a page of each is read, and no more. */
export const bucketsListed = statement<
  StoredBucket,
  [seen: readonly string[] | null, namespace: string | undefined, after: readonly string[] | null, limit: number]
>(
  `WITH page AS (
     SELECT * FROM (
       (SELECT uid, namespace, name FROM platform_objects WHERE plural = 'bucketclaims' AND ${seen('name', 'uid')})
       UNION ALL
       (SELECT claim_uid, namespace, claim_name FROM buckets WHERE gone AND ${seen('claim_name', 'claim_uid')})
     ) known ORDER BY namespace, name, uid LIMIT $4
   )
   SELECT ${columnsListed} FROM page ${joined} ORDER BY page.namespace, page.name, page.uid`,
);
/** One, by its claim's name: that of a claim that is there before one that is kept. */
export const bucketNamed = statement<StoredBucket, [namespace: string, name: string]>(
  `WITH page AS (
     SELECT uid FROM platform_objects WHERE plural = 'bucketclaims' AND namespace = $1 AND name = $2
     UNION SELECT claim_uid FROM buckets WHERE gone AND namespace = $1 AND claim_name = $2
   )
   SELECT ${columnsListed} FROM page ${joined} ORDER BY (o.uid IS NULL), b.created_at DESC LIMIT 1`,
);

export interface StoredAccess {
  uid: string;
  name: string;
  secret_name: string | null;
  account: string | null;
  granted: boolean;
  operation: string | null;
  stopped: string | null;
  error: { detail: string } | null;
  created_at: Date;
}

/** Accesses to one bucket claim. */
export const accessesTo = statement<StoredAccess, [namespace: string, claim: string]>(
  `SELECT o.uid, o.name, o.body #>> '{spec,credentialsSecretName}' AS secret_name, k.account, k.granted_at IS NOT NULL AS granted,
     op.state AS operation, op.stopped, op.error, o.created_at
   FROM platform_objects o LEFT JOIN bucket_keys k ON k.access_uid = o.uid
   LEFT JOIN operations op ON op.kind = 'bucket-key' AND op.subject = o.uid
   WHERE o.plural = 'bucketaccesses' AND o.namespace = $1 AND o.body #>> '{spec,bucketClaimName}' = $2
   ORDER BY o.name LIMIT 500`,
);

/** Bucket classes of ours, with how many buckets and claims name them. */
export const bucketClasses = statement<{ body: PlatformObject; buckets: number }, [driver: string]>(
  `SELECT c.body, (SELECT count(*) FROM (SELECT uid FROM platform_objects o WHERE o.plural = 'bucketclaims' AND o.class_name = c.name
       UNION SELECT claim_uid FROM buckets b WHERE b.class_name = c.name) named) AS buckets
   FROM platform_objects c WHERE c.plural = 'bucketclasses' AND c.body ->> 'driverName' = $1 ORDER BY c.name LIMIT 500`,
);
