import { statement } from '../database/statement';

/**
 * Takes some of what is due but owners, and notes the owners that hang on it in their place: of claims by the pods that mount them
 * and by the names that a set's claims have, of volumes and what is held of them by their claims, of nodes by pods and copies there.
 */
export const toOwners = statement<{ taken: number }, [most: number]>(
  `WITH taken AS (
     DELETE FROM applications_due WHERE id IN (SELECT id FROM applications_due WHERE what <> 'owner' ORDER BY id LIMIT $1)
     RETURNING what, space, name
   ), held AS (
     SELECT DISTINCT r.namespace, r.claim_name AS name FROM reservations r WHERE r.claim_uid IN (
       SELECT t.name FROM taken t WHERE t.what = 'held'
       UNION SELECT v.claim_uid FROM taken t JOIN reservations v ON v.volume_id = t.name JOIN pools p ON p.id = v.pool_id
         WHERE t.what = 'volume' AND p.backend_id = t.space
       UNION SELECT f.claim_uid FROM taken t JOIN further_copies f ON f.volume_id = t.name JOIN pools p ON p.id = f.pool_id
         WHERE t.what = 'volume' AND p.backend_id = t.space
       UNION SELECT c.claim_uid FROM taken t JOIN reservation_copies c ON c.node = t.name WHERE t.what = 'node')
   ), claimed AS (
     SELECT DISTINCT namespace, name FROM held UNION SELECT space, name FROM taken WHERE what = 'claim'
   ), numbered AS (
     SELECT namespace, substring(name FROM '^(.+)-[0-9]+$') AS stem FROM claimed WHERE name ~ '-[0-9]+$'
   ), owners AS (
     SELECT p.uid FROM claimed c CROSS JOIN LATERAL (
       -- by the index over what pods mount alone: a namespace may hold thousands of them
       SELECT o.body #>> '{metadata,ownerReferences,0,uid}' AS uid FROM platform_objects o WHERE o.plural = 'pods' AND o.namespace || '' = c.namespace
         AND o.body #> '{spec,volumes}' @> jsonb_build_array(jsonb_build_object('persistentVolumeClaim', jsonb_build_object('claimName', c.name)))
       OFFSET 0) p
     UNION SELECT s.uid FROM (SELECT DISTINCT namespace, stem FROM numbered) n
       CROSS JOIN LATERAL generate_series(2, length(n.stem) - 1) i
       JOIN platform_objects s ON s.plural = 'statefulsets' AND s.namespace = n.namespace AND s.name = substr(n.stem, i + 1)
       WHERE substr(n.stem, i, 1) = '-' AND EXISTS (SELECT 1 FROM jsonb_path_query(s.body, '$.spec.volumeClaimTemplates[*].metadata.name') t
         WHERE t #>> '{}' = substr(n.stem, 1, i - 1))
     UNION SELECT p.body #>> '{metadata,ownerReferences,0,uid}' FROM taken t JOIN platform_objects p ON p.plural = 'pods'
       AND p.body #>> '{spec,nodeName}' = t.name WHERE t.what = 'node'
   ), noted AS (
     INSERT INTO applications_due (what, name) SELECT 'owner', uid FROM owners WHERE uid IS NOT NULL
   )
   SELECT count(*) AS taken FROM taken`,
);

/** Takes some owners that are due, each once. */
export const takeOwners = statement<{ name: string }, [most: number]>(
  `WITH chosen AS (
     SELECT DISTINCT name FROM (SELECT name FROM applications_due WHERE what = 'owner' ORDER BY id LIMIT 20 * $1::int) t LIMIT $1
   ), gone AS (
     DELETE FROM applications_due d USING chosen s WHERE d.what = 'owner' AND d.name = s.name
   )
   SELECT name FROM chosen`,
);
