import { statement } from '../database/statement';

/** A set as its manifest has it. */
export interface OwnerRow {
  uid: string;
  namespace: string;
  name: string;
  wanted: number;
  templates: string[] | null;
  created_at: Date;
}

/** Stateful sets of these uids. */
export const setsOf = statement<OwnerRow, [uids: readonly string[]]>(
  `SELECT uid, namespace, name, created_at,
     CASE WHEN body #>> '{spec,replicas}' ~ '^[0-9]{1,6}$' THEN (body #>> '{spec,replicas}')::int ELSE 1 END AS wanted,
     (SELECT array_agg(t #>> '{}') FROM jsonb_path_query(body, '$.spec.volumeClaimTemplates[*].metadata.name') t) AS templates
   FROM platform_objects WHERE plural = 'statefulsets' AND uid = ANY($1) LIMIT 1000`,
);

export interface PodRow {
  owner: string;
  kind: string | null;
  owner_name: string | null;
  namespace: string;
  name: string;
  node: string | null;
  phase: string | null;
  ready: boolean;
  deleting: boolean;
  created_at: Date;
  claims: string[] | null;
  /** Why the platform has not placed it, in its own words. */
  why: string | null;
}

/** Pods of these owners, with the claims that they mount. */
export const podsOfOwners = statement<PodRow, [uids: readonly string[]]>(
  `SELECT p.body #>> '{metadata,ownerReferences,0,uid}' AS owner, p.body #>> '{metadata,ownerReferences,0,kind}' AS kind,
     p.body #>> '{metadata,ownerReferences,0,name}' AS owner_name, p.namespace, p.name, p.body #>> '{spec,nodeName}' AS node,
     p.phase, p.deleting, p.created_at,
     coalesce(p.body @? '$.status.conditions[*] ? (@.type == "Ready" && @.status == "True")', false) AS ready,
     (SELECT k ->> 'message' FROM jsonb_path_query(p.body, '$.status.conditions[*] ? (@.type == "PodScheduled" && @.status == "False")') k LIMIT 1) AS why,
     (SELECT array_agg(v #>> '{}') FROM jsonb_path_query(p.body, '$.spec.volumes[*].persistentVolumeClaim.claimName') v) AS claims
   FROM platform_objects p WHERE p.plural = 'pods' AND p.body #>> '{metadata,ownerReferences,0,uid}' = ANY($1) ORDER BY p.name LIMIT 200000`,
);

export interface PartRow {
  pool: string;
  backend: string;
  needs: number | null;
  /** Written bytes, as its backend says. */
  written: number;
  copies: { disk: string; node: string; state: string; percent: number }[];
  witness: { disk: string; node: string } | null;
}
export interface AppClaimRow {
  owner: string;
  uid: string;
  namespace: string;
  name: string;
  class_name: string | null;
  size_bytes: number;
  phase: string | null;
  provisioned: number | null;
  volume_name: string | null;
  volume_id: string | null;
  deleting: boolean;
  modes: string[];
  volume_mode: string;
  parts: PartRow[] | null;
}

const part = (of: string, claim: string) =>
  `jsonb_build_object('pool', p.id, 'backend', p.backend_id,
     'needs', CASE WHEN p.facts #>> '{redundancy,scheme,kind}' = 'erasure' THEN (p.facts #>> '{redundancy,scheme,data}')::int END,
     'copies', coalesce(v.copies, '[]'), 'written', coalesce(v.consumed, 0),
     'witness', (SELECT jsonb_build_object('disk', w.disk, 'node', w.node) FROM reservation_copies w
        WHERE w.claim_uid = ${claim} AND w.pool_id = ${of}.pool_id AND w.role = 'witness' LIMIT 1))`;
const lies = (of: string) =>
  `JOIN pools p ON p.id = ${of}.pool_id LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = ${of}.volume_id`;

/**
 * Claims by their names, and those whose names go on from a stem (`from`, up to `until`) with a number alone, with where their
 * volumes lie: first the volume, then what is kept in step with it elsewhere.
 */
export const claimsOfOwners = statement<AppClaimRow, [named: string, stems: string]>(
  `WITH named AS (
     SELECT a.owner, o.uid FROM jsonb_to_recordset($1::jsonb) AS a(owner text, namespace text, name text)
     JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.namespace = a.namespace AND o.name = a.name
     UNION SELECT s.owner, o.uid FROM jsonb_to_recordset($2::jsonb) AS s(owner text, namespace text, "from" text, until text)
     JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.namespace = s.namespace
       AND o.name COLLATE "C" >= s."from" AND o.name COLLATE "C" < s.until AND substr(o.name, length(s."from") + 1) ~ '^[0-9]+$'
   )
   SELECT n.owner, o.uid, o.namespace, o.name, o.class_name, o.size_bytes, o.phase, o.deleting, r.bytes AS provisioned,
     coalesce(o.body #> '{spec,accessModes}', '[]') AS modes, coalesce(o.body #>> '{spec,volumeMode}', 'Filesystem') AS volume_mode,
     coalesce(r.volume_name, o.body #>> '{spec,volumeName}') AS volume_name, r.volume_id,
     (SELECT jsonb_agg(x.part ORDER BY x.place) FROM (
        SELECT 0 AS place, ${part('h', 'o.uid')} AS part FROM reservations h ${lies('h')} WHERE h.claim_uid = o.uid AND h.volume_id IS NOT NULL
        UNION ALL SELECT 1, ${part('f', 'o.uid')} FROM further_copies f ${lies('f')}
          WHERE f.claim_uid = o.uid AND f.mode = 'synchronous' AND f.volume_id IS NOT NULL) x) AS parts
   FROM named n JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = n.uid
   LEFT JOIN reservations r ON r.claim_uid = o.uid LIMIT 400000`,
);

export interface HolderRow {
  volume: string;
  node: string;
  attached: boolean;
  ready: boolean;
  /** A pod there that mounts the claim, and whether it ends; null where none does. */
  pod: string | null;
  ending: boolean | null;
}

/** Nodes that these volumes are attached to, and the pods there that mount their claims. */
export const holdersOf = statement<HolderRow, [volumes: readonly string[]]>(
  `SELECT a.body #>> '{spec,source,persistentVolumeName}' AS volume, a.body #>> '{spec,nodeName}' AS node,
     coalesce((a.body #> '{status,attached}') = 'true'::jsonb, false) AS attached,
     coalesce(n.body @? '$.status.conditions[*] ? (@.type == "Ready" && @.status == "True")', false) AS ready, p.name AS pod, p.deleting AS ending
   FROM platform_objects a
   LEFT JOIN platform_objects n ON n.plural = 'nodes' AND n.namespace = '' AND n.name = a.body #>> '{spec,nodeName}'
   LEFT JOIN platform_objects v ON v.plural = 'persistentvolumes' AND v.namespace = '' AND v.name = a.body #>> '{spec,source,persistentVolumeName}'
   LEFT JOIN LATERAL (SELECT p.name, p.deleting FROM platform_objects p WHERE p.plural = 'pods' AND p.namespace = v.body #>> '{spec,claimRef,namespace}'
     AND p.body #>> '{spec,nodeName}' = a.body #>> '{spec,nodeName}'
     AND p.body #> '{spec,volumes}' @> jsonb_build_array(jsonb_build_object('persistentVolumeClaim', jsonb_build_object('claimName', v.body #>> '{spec,claimRef,name}')))
     ORDER BY p.name LIMIT 1) p ON true
   WHERE a.plural = 'volumeattachments' AND a.body #>> '{spec,source,persistentVolumeName}' = ANY($1) ORDER BY 1, 2 LIMIT 5000`,
);

export interface NodeRow {
  name: string;
  zone: string | null;
  rack: string | null;
}

/** Where nodes stand: as the platform labels them, or else as a backend says. */
export const nodesNamed = statement<NodeRow, [names: readonly string[]]>(
  `SELECT a.name, coalesce(n.body #>> '{metadata,labels,topology.kubernetes.io/zone}', b.zone) AS zone,
     coalesce((SELECT l ->> 'value' FROM jsonb_path_query(n.body, '$.metadata.labels.keyvalue()') l WHERE l ->> 'key' LIKE '%/rack' ORDER BY l ->> 'key' LIMIT 1), b.rack) AS rack
   FROM unnest($1::text[]) a(name) LEFT JOIN platform_objects n ON n.plural = 'nodes' AND n.namespace = '' AND n.name = a.name
   LEFT JOIN LATERAL (SELECT zone, rack FROM backend_nodes b WHERE b.name = a.name LIMIT 1) b ON true LIMIT 100000`,
);
