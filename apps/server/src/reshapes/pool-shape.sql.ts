import { statement } from '../database/statement';

/** Volumes on a pool with the disks of their copies, by the claim that holds each, for whoever reads why it cannot move. */
export const volumesOn = statement<
  {
    name: string;
    namespace: string | null;
    bytes: number;
    written: number;
    disks: string[];
  },
  [backend: string, pool: string]
>(
  `SELECT coalesce(r.namespace || '/' || r.claim_name, v.name) AS name, r.namespace, v.bytes, v.consumed AS written, ARRAY(SELECT c ->> 'disk' FROM jsonb_array_elements(v.copies) c) AS disks
   FROM backend_volumes v LEFT JOIN reservations r ON r.volume_name = v.name
   WHERE v.backend_id = $1 AND v.pool_id = $2 ORDER BY v.name LIMIT 100000`,
);
