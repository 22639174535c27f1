import { statement } from '../database/statement';

/** Names listed in a finding; its weight says how many there are. */
export const mostNamed = 8;

/** Claims of one class that cannot go on by themselves, for one and the same reason. */
export interface Stuck {
  readonly class_name: string | null;
  readonly state: string;
  readonly count: number;
  readonly bytes: number;
  readonly some: string[];
  readonly since: Date;
}

/** `namespaces`: those alone. */
export const stuckClaims = statement<Stuck, [namespaces: readonly string[] | null]>(
  `SELECT nullif(class_name, '') AS class_name, state, count(*) AS count, coalesce(sum(size_bytes), 0)::bigint AS bytes, min(created_at) AS since,
     (array_agg(namespace || '/' || name ORDER BY created_at))[1:${mostNamed}] AS some
   FROM claim_states WHERE ($1::text[] IS NULL OR namespace = ANY($1)) AND state <> 'bound' AND (stuck OR state = 'held-back')
   GROUP BY 1, 2
   UNION ALL
   -- bound, and refused the size they ask for
   SELECT r.class_name, 'cannot-grow', count(*), coalesce(sum(o.size_bytes - r.bytes), 0)::bigint, min(op.created_at),
     (array_agg(r.namespace || '/' || r.claim_name ORDER BY op.created_at))[1:${mostNamed}]
   FROM operations op JOIN reservations r ON r.claim_uid = op.subject
   JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = op.subject
   WHERE op.kind = 'grow' AND op.ended_at IS NULL AND (op.stopped = 'refused' OR op.state = 'waiting')
     AND ($1::text[] IS NULL OR r.namespace = ANY($1))
   GROUP BY 1 LIMIT 200`,
);
