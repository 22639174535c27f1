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
  `SELECT class_name, state, count(*) AS count, coalesce(sum(size_bytes), 0)::bigint AS bytes, min(created_at) AS since,
     (array_agg(namespace || '/' || name ORDER BY created_at))[1:${mostNamed}] AS some
   FROM claims WHERE ($1::text[] IS NULL OR namespace = ANY($1))
     AND (state IN ('nothing-fits', 'no-class', 'lost', 'unreachable', 'held-back', 'stopped') OR (state = 'retrying' AND attempts >= 5))
   GROUP BY 1, 2 LIMIT 200`,
);
