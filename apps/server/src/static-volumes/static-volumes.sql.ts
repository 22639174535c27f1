import { statement } from '../database/statement';
import type { PlatformObject } from '../platform/connector';

/** Persistent volumes that no claim holds: of the class first, the smallest that is large enough first. */
export const freeVolumes = statement<{ body: PlatformObject }, [className: string, size: number, limit: number]>(
  `SELECT v.body FROM platform_objects v
   WHERE v.plural = 'persistentvolumes' AND v.phase IN ('Available', 'Pending')
   ORDER BY v.class_name = $1 DESC NULLS LAST, v.size_bytes >= $2 DESC NULLS LAST, v.size_bytes, v.name LIMIT $3`,
);
