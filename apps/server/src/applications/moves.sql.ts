import { statement } from '../database/statement';

const pods = `jsonb_to_recordset($1::jsonb) AS p(uid text, namespace text, pod text, owner text, node text, ready boolean, ended_at timestamptz, claims text[], data jsonb)`;

/**
 * Notes pods of sets that were told to end, or are gone. One that had not come back yet is the same way still, begun anew: what it
 * serves has been out since the first of them. What a pod says last, while it ends, is what it leaves.
 */
export const noteEnding = statement<{ pod: string }, [pods: string]>(
  `WITH ending AS (SELECT * FROM ${pods}),
   again AS (
     UPDATE moves m SET left_uid = e.uid, from_node = e.node, came_uid = NULL, to_node = NULL, gone_at = NULL, detached_at = NULL,
       placed_at = NULL, attached_at = NULL
     FROM ending e WHERE m.namespace = e.namespace AND m.pod = e.pod AND m.ready_at IS NULL AND m.came_uid = e.uid RETURNING m.left_uid
   )
   INSERT INTO moves (owner, namespace, pod, volumes, class_name, backend_id, left_uid, from_node, ended_at, left_data)
   SELECT e.owner, e.namespace, e.pod, coalesce(v.volumes, '{}'), v.class_name, v.backend_id, e.uid, e.node, e.ended_at, e.data
   FROM ending e LEFT JOIN LATERAL (
     SELECT array_agg(coalesce(r.volume_name, o.body #>> '{spec,volumeName}') ORDER BY o.name) AS volumes,
       (array_agg(o.class_name ORDER BY o.name))[1] AS class_name, (array_agg(l.backend_id ORDER BY o.name))[1] AS backend_id
     FROM platform_objects o LEFT JOIN reservations r ON r.claim_uid = o.uid LEFT JOIN pools l ON l.id = r.pool_id
     WHERE o.plural = 'persistentvolumeclaims' AND o.namespace = e.namespace AND o.name = ANY(e.claims)) v ON true
   WHERE NOT EXISTS (SELECT 1 FROM again a WHERE a.left_uid = e.uid)
   ON CONFLICT (left_uid) DO UPDATE SET left_data = EXCLUDED.left_data
     WHERE EXCLUDED.left_data IS NOT NULL AND EXCLUDED.left_data IS DISTINCT FROM moves.left_data RETURNING pod`,
);

/** Notes that pods are gone. */
export const noteGone = statement<{ pod: string }, [uids: readonly string[]]>(
  `UPDATE moves SET gone_at = now() WHERE left_uid = ANY($1) AND gone_at IS NULL RETURNING pod`,
);

/** Notes how far pods in the place of others have come. */
export const noteComing = statement<{ pod: string }, [pods: string]>(
  `UPDATE moves m SET came_uid = p.uid, to_node = coalesce(p.node, m.to_node),
     placed_at = CASE WHEN p.node IS NULL THEN m.placed_at ELSE coalesce(m.placed_at, now()) END,
     ready_at = CASE WHEN p.ready THEN now() END, came_data = CASE WHEN p.ready THEN p.data END
   FROM ${pods} WHERE m.namespace = p.namespace AND m.pod = p.pod AND m.ready_at IS NULL AND m.left_uid <> p.uid
     AND (m.came_uid IS NULL OR m.came_uid = p.uid)
     AND (m.came_uid IS NULL OR p.ready OR m.to_node IS DISTINCT FROM p.node) RETURNING m.pod`,
);

const attachments = `jsonb_to_recordset($1::jsonb) AS a(volume text, node text)`;

/** Notes volumes that are attached where pods are to come back. */
export const noteAttached = statement<{ pod: string }, [attachments: string]>(
  `UPDATE moves m SET attached_at = now() FROM ${attachments}
   WHERE m.ready_at IS NULL AND m.to_node = a.node AND a.volume = ANY(m.volumes) RETURNING m.pod`,
);

/** Notes volumes that were taken from where pods ended. */
export const noteDetached = statement<{ pod: string }, [attachments: string]>(
  `UPDATE moves m SET detached_at = now() FROM ${attachments}
   WHERE m.ready_at IS NULL AND m.from_node = a.node AND a.volume = ANY(m.volumes) RETURNING m.pod`,
);

export interface Measured {
  class_name: string | null;
  backend_id: string | null;
  count: number;
  half: number;
  most: number;
  longest: number;
}

/** How long pods took from being told to end until one in their place was ready, seconds, over the last of a class on a backend. */
export const measuredMoves = statement<Measured, [className: string | null, backend: string | null]>(
  `SELECT $1::text AS class_name, $2::text AS backend_id, count(*) AS count,
     coalesce(percentile_cont(0.5) WITHIN GROUP (ORDER BY t.seconds), 0) AS half,
     coalesce(percentile_cont(0.9) WITHIN GROUP (ORDER BY t.seconds), 0) AS most, coalesce(max(t.seconds), 0) AS longest
   FROM (SELECT extract(epoch FROM m.ready_at - m.ended_at)::float8 AS seconds FROM moves m
     WHERE m.ready_at IS NOT NULL AND m.class_name IS NOT DISTINCT FROM $1 AND m.backend_id IS NOT DISTINCT FROM $2 ORDER BY m.id DESC LIMIT 500) t`,
);

/** Forgets some ways that ended, or should have, long ago. */
export const forgetMoves = statement<{ id: number }, [days: number]>(
  `DELETE FROM moves WHERE id IN (SELECT id FROM moves WHERE ended_at < now() - make_interval(days => $1) ORDER BY ended_at LIMIT 5000) RETURNING id`,
);
