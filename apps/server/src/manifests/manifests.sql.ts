import { statement } from '../database/statement';
import type { PlatformObject } from '../platform/connector';

/** Mirrored objects by kind, namespace and name: three lists that belong together. */
export const objectsNamed = statement<
  { plural: string; namespace: string; name: string; body: PlatformObject },
  [plurals: readonly string[], namespaces: readonly string[], names: readonly string[]]
>(
  `SELECT o.plural, o.namespace, o.name, o.body
   FROM unnest($1::text[], $2::text[], $3::text[]) AS w (plural, namespace, name)
   JOIN platform_objects o ON o.plural = w.plural AND o.name = w.name AND o.namespace = w.namespace LIMIT 2000`,
);

/** Volumes of backends by `BACKEND/VOLUME`, and which claim or persistent volume holds each. */
export const volumesAt = statement<
  { handle: string; bytes: number; held_by: string | null },
  [backends: readonly string[], volumes: readonly string[]]
>(
  `SELECT v.backend_id || '/' || v.volume_id AS handle, v.bytes,
     coalesce(
       (SELECT r.namespace || '/' || r.claim_name FROM reservations r WHERE r.volume_name = v.name LIMIT 1),
       (SELECT o.name FROM platform_objects o
        WHERE o.plural = 'persistentvolumes' AND o.body #>> '{spec,csi,volumeHandle}' = v.backend_id || '/' || v.volume_id LIMIT 1)
     ) AS held_by
   FROM unnest($1::text[], $2::text[]) AS w (backend_id, volume_id)
   JOIN backend_volumes v ON v.backend_id = w.backend_id AND v.volume_id = w.volume_id LIMIT 1000`,
);
