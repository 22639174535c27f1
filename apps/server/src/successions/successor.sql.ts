import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { statement } from '../database/statement';

/** Claims that a plan moves at most. */
const mostMoved = 20_000;

export interface StoredMover {
  uid: string;
  namespace: string;
  claim: string;
  from: string | null;
  bytes: number;
  consumed: number;
  in_use: boolean;
  modes: AccessMode[];
  volume_mode: VolumeMode;
}

/** Claims of a class with where their data is, and whether pods use them. */
export const moversOf = statement<StoredMover, [className: string]>(
  `SELECT o.uid, o.namespace, o.name AS claim, r.pool_id AS "from", coalesce(r.bytes, o.size_bytes)::bigint AS bytes,
     coalesce(v.consumed, 0)::bigint AS consumed,
     EXISTS (SELECT 1 FROM platform_objects p WHERE p.plural = 'pods' AND p.namespace = o.namespace
       AND p.body #> '{spec,volumes}' @> jsonb_build_array(jsonb_build_object('persistentVolumeClaim', jsonb_build_object('claimName', o.name)))) AS in_use,
     coalesce(o.body #> '{spec,accessModes}', '[]'::jsonb) AS modes,
     coalesce(o.body #>> '{spec,volumeMode}', 'Filesystem') AS volume_mode
   FROM platform_objects o
   LEFT JOIN reservations r ON r.claim_uid = o.uid
   LEFT JOIN pools p ON p.id = r.pool_id
   LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
   WHERE o.plural = 'persistentvolumeclaims' AND o.class_name = $1 ORDER BY o.namespace, o.name LIMIT ${mostMoved}`,
);

/** Moorings of a class for another one. */
export const inheritMoorings = statement<object, [from: string, to: string]>(
  `INSERT INTO moorings (class_name, pool_id, enabled, rank, weight)
   SELECT $2, pool_id, enabled, rank, weight FROM moorings WHERE class_name = $1 ON CONFLICT DO NOTHING`,
);

/** Whether a class is open, for another one. */
export const inheritAccess = statement<object, [from: string, to: string]>(
  `INSERT INTO class_access (class_name, open) SELECT $2, open FROM class_access WHERE class_name = $1 ON CONFLICT DO NOTHING`,
);

/** Grants of a class for another one. */
export const inheritGrants = statement<object, [from: string, to: string, person: string]>(
  `INSERT INTO grants (class_name, namespace, person) SELECT $2, namespace, $3 FROM grants WHERE class_name = $1 ON CONFLICT DO NOTHING`,
);
