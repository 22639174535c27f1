import { statement } from '../database/statement';
import { claimsOf } from '../mirror/claim-rows.sql';

/** Claims with everything that hangs on them. Namespaces and names go by their place. */
export const claimsToDelete = statement<
  {
    uid: string;
    namespace: string;
    name: string;
    bytes: number | null;
    used: number;
    reclaim: 'Delete' | 'Retain' | null;
    grace_days: number | null;
    adopted: boolean | null;
    copies_on: string[];
  },
  [namespaces: readonly string[], names: readonly string[]]
>(
  `SELECT c.uid, c.namespace, c.name, coalesce(r.bytes, pv.size_bytes) AS bytes, coalesce(c.consumed, 0) AS used,
     pv.body #>> '{spec,persistentVolumeReclaimPolicy}' AS reclaim, r.grace_days,
     coalesce(r.adopted, r.claim_uid IS NULL) AS adopted,
     (SELECT coalesce(jsonb_agg(p.backend_id ORDER BY f.mode DESC), '[]') FROM further_copies f JOIN pools p ON p.id = f.pool_id
      WHERE f.claim_uid = c.uid) AS copies_on
   FROM ${claimsOf(`SELECT s.claim_uid, asked.place FROM unnest($1::text[], $2::text[]) WITH ORDINALITY AS asked (namespace, name, place)
     JOIN claim_states s ON s.namespace = asked.namespace AND s.name = asked.name`)}
   LEFT JOIN reservations r ON r.claim_uid = c.uid
   LEFT JOIN platform_objects pv ON pv.plural = 'persistentvolumes' AND pv.name = c.volume_name ORDER BY k.place LIMIT 1000`,
);

/** Pods that use claims of these names, with what owns them. */
export const podsOfMany = statement<
  {
    namespace: string;
    claim: string;
    pod: string;
    owner: string | null;
    replicas: number | null;
  },
  [namespaces: readonly string[], claims: readonly string[]]
>(
  `SELECT p.namespace, v #>> '{persistentVolumeClaim,claimName}' AS claim, p.name AS pod, p.body #>> '{metadata,ownerReferences,0,name}' AS owner,
     (s.body #>> '{spec,replicas}')::integer AS replicas
   FROM platform_objects p CROSS JOIN LATERAL jsonb_array_elements(p.body #> '{spec,volumes}') v
   LEFT JOIN platform_objects s ON s.plural = 'statefulsets' AND s.uid = p.body #>> '{metadata,ownerReferences,0,uid}'
   WHERE p.plural = 'pods' AND p.namespace = ANY($1) AND v #>> '{persistentVolumeClaim,claimName}' = ANY($2)
   ORDER BY p.name LIMIT 5000`,
);

/** Claims of the replicas of sets, by what stands before their ordinals; those that are being deleted hold nothing for long. */
export const claimsOfSets = statement<
  { namespace: string; set: string; name: string; has_volume: boolean },
  [namespaces: readonly string[], sets: readonly string[]]
>(
  `SELECT c.namespace, k.set, c.name, c.volume_name IS NOT NULL AND c.state <> 'deleting' AS has_volume
   FROM ${claimsOf(`SELECT s.claim_uid, w.set FROM unnest($1::text[], $2::text[]) AS w (namespace, set)
     JOIN claim_states s ON s.namespace = w.namespace AND starts_with(s.name, w.set || '-') AND substr(s.name, length(w.set) + 2) ~ '^(0|[1-9][0-9]{0,5})$'`)}
   ORDER BY c.namespace, c.name LIMIT 20000`,
);
