import type { ClassManifest } from '@moorage/core/classes/manifest';
import { statement } from '../database/statement';

export interface StoredClass {
  uid: string;
  body: ClassManifest;
  version: number;
  created_at: Date;
  claims: number;
  bound: number;
  stateful: number;
  provisioned: number;
  moored: number;
}

/** Classes of a provisioner with what uses them, or the one of a name. A claim of a stateful set carries the labels of its pods. */
export const classesWithUse = statement<
  StoredClass,
  [provisioner: string, name: string | undefined, namespaces: readonly string[] | null]
>(
  `SELECT c.uid, c.body, c.version, c.created_at, coalesce(o.claims, 0) AS claims, coalesce(o.bound, 0) AS bound,
     coalesce(o.stateful, 0) AS stateful,
     coalesce((SELECT sum(r.bytes) FROM held_totals r WHERE r.class_name = c.name AND ($3::text[] IS NULL OR r.namespace = ANY($3))), 0)::bigint AS provisioned,
     (SELECT count(*) FROM moorings m WHERE m.class_name = c.name AND m.enabled) AS moored
   FROM platform_objects c LEFT JOIN (
     SELECT class_name, count(*) AS claims, count(*) FILTER (WHERE phase = 'Bound') AS bound,
       count(*) FILTER (WHERE body #> '{metadata,labels}' <> '{}'::jsonb) AS stateful
     FROM platform_objects WHERE plural = 'persistentvolumeclaims' AND ($2::text IS NULL OR class_name = $2)
       AND ($3::text[] IS NULL OR namespace = ANY($3)) GROUP BY 1
   ) o ON o.class_name = c.name
   WHERE c.plural = 'storageclasses' AND c.body ->> 'provisioner' = $1 AND ($2::text IS NULL OR c.name = $2)
   ORDER BY c.name LIMIT 2000`,
);

/** Classes of other provisioners. */
export const foreignClasses = statement<{ body: ClassManifest }, [provisioner: string]>(
  `SELECT body FROM platform_objects WHERE plural = 'storageclasses' AND body ->> 'provisioner' <> $1 ORDER BY name LIMIT 1000`,
);

/** Classes that an annotation says `true` of. */
export const markedClasses = statement<{ name: string }, [annotation: string]>(
  `SELECT name FROM platform_objects WHERE plural = 'storageclasses'
   AND body #>> ARRAY['metadata','annotations',$1] = 'true' ORDER BY name LIMIT 100`,
);
