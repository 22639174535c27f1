import { statement } from '../database/statement';

/** What of a namespace is counted against its limits, by class. */
export const countsUsed = statement<
  { namespace: string; class_name: string; claims: number; iops: number },
  [namespaces: readonly string[]]
>(
  'SELECT namespace, class_name, claims::integer AS claims, iops FROM held_totals WHERE namespace = ANY($1) AND claims <> 0 LIMIT 100000',
);

/** The same of bytes, volumes and buckets together, and what is held for claims that are to come. */
export const bytesUsed = statement<{ class_name: string; bytes: number }, [namespace: string]>(
  `SELECT class_name, sum(bytes)::bigint AS bytes FROM (
     SELECT class_name, bytes FROM held_totals WHERE namespace = $1 AND claims <> 0
     UNION ALL SELECT class_name, bytes FROM buckets WHERE namespace = $1
     UNION ALL SELECT class_name, bytes FROM planned_places WHERE namespace = $1 AND held_until IS NOT NULL
   ) held GROUP BY 1 LIMIT 10000`,
);

/** Claims of a namespace that have no volume yet, oldest first; of a class where one is named. */
export const waitingIn = statement<
  { name: string; size: number },
  [namespace: string, className: string | null, most: number]
>(
  `SELECT c.name, c.size_bytes AS size FROM platform_objects c
   WHERE c.plural = 'persistentvolumeclaims' AND c.namespace = $1 AND ($2::text IS NULL OR c.class_name = $2) AND c.phase = 'Pending'
     AND NOT EXISTS (SELECT 1 FROM reservations r WHERE r.claim_uid = c.uid) ORDER BY c.created_at, c.name LIMIT $3`,
);

/** Quota objects that are to be seen to, longest due first. */
export const quotasDue = statement<{ namespace: string; changes: number }, [most: number]>(
  'SELECT namespace, changes FROM quota_objects WHERE due AND next_at <= now() ORDER BY next_at LIMIT $1',
);

/** Notes that what is there is not seen to yet, and when it is tried again. */
export const quotaFailed = statement<object, [namespace: string, problem: string, mostS: number]>(
  `UPDATE quota_objects SET problem = $2, attempts = attempts + 1, next_at = now() + least($3, 2 ^ least(attempts, 12)) * interval '1 second'
   WHERE namespace = $1`,
);

/** Notes of namespaces whether their quota objects are to be seen to, those alone that have one. */
export const quotasChanged = statement<{ namespace: string }, [namespaces: readonly string[]]>(
  `UPDATE quota_objects SET due = true, changes = changes + 1, attempts = 0, next_at = now()
   WHERE namespace = ANY($1) RETURNING namespace`,
);

/** The same of namespaces that are there again, or for the first time, and whose limits the platform was never told. */
export const quotasMissing = statement<{ namespace: string }, [namespaces: readonly string[]]>(
  `UPDATE quota_objects q SET due = true, changes = changes + 1, attempts = 0, next_at = now()
   WHERE namespace = ANY($1) AND agreed IS NULL AND wanted AND NOT due AND (EXISTS (SELECT 1 FROM limits l WHERE l.namespace = q.namespace)
     OR EXISTS (SELECT 1 FROM counted_limits l WHERE l.namespace = q.namespace)) RETURNING namespace`,
);

/** Grants whose time is over. */
export const grantsOver = statement<{ id: string; namespace: string }, [most: number]>(
  `SELECT id, namespace FROM limit_requests WHERE state = 'granted' AND ends_at <= site_now() ORDER BY ends_at LIMIT $1`,
);
