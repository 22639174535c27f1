import type { Grants } from '@moorage/contract/classes';
import { statement } from '../database/statement';

/** Every namespace with whether it was granted a class, and what it uses of it. `namespaces`: those alone. */
export const grantsOf = statement<
  Grants['namespaces'][number],
  [className: string, namespaces: readonly string[] | null]
>(
  `SELECT n.name AS namespace, coalesce(n.body #> '{metadata,labels}', '{}'::jsonb) AS labels,
     g.namespace IS NOT NULL AS granted, l.bytes AS quota,
     coalesce(c.claims, 0) AS claims, coalesce(r.bytes, 0)::bigint AS provisioned
   FROM platform_objects n
   LEFT JOIN grants g ON g.class_name = $1 AND g.namespace = n.name
   LEFT JOIN limits l ON l.class_name = $1 AND l.namespace = n.name
   LEFT JOIN claim_totals c ON c.class_name = $1 AND c.namespace = n.name
   LEFT JOIN held_totals r ON r.class_name = $1 AND r.namespace = n.name
   WHERE n.plural = 'namespaces' AND ($2::text[] IS NULL OR n.name = ANY($2)) ORDER BY n.name LIMIT 10000`,
);

/** Grants a class to namespaces; there may be thousands. */
export const grantTo = statement<object, [className: string, namespaces: readonly string[], person: string]>(
  'INSERT INTO grants (class_name, namespace, person) SELECT $1, n, $3 FROM unnest($2::text[]) n ON CONFLICT DO NOTHING',
);

/** Limits namespaces in a class, each to its bytes. */
export const limitTo = statement<object, [className: string, namespaces: readonly string[], bytes: readonly number[]]>(
  'INSERT INTO limits (namespace, class_name, bytes) SELECT n, $1, b FROM unnest($2::text[], $3::bigint[]) AS q(n, b)',
);
