import type { ApplicationPage, ApplicationQuery } from '@moorage/contract/applications';
import type { CommonPoint } from '@moorage/core/applications/common-points';
import { statement } from '../database/statement';

export interface StoredApplication {
  uid: string;
  namespace: string;
  kind: string;
  name: string;
  wanted: number | null;
  pods: number;
  ready: number;
  claims: number;
  bytes: number;
  classes: string[];
  pools: string[];
  nodes: string[];
  zones: string[];
  worst: number | null;
  points: Pick<CommonPoint, 'level' | 'name' | 'of' | 'leaves'>[];
  created_at: Date;
}

/** What each order goes by, its type, and as text whatever the server's own zone. Of what is ready, the share of what is wanted. */
const sorts: Readonly<Record<ApplicationQuery['sort'], { by: string; type: string; text?: string }>> = {
  namespace: { by: `a.namespace || '/' || a.name`, type: 'text' },
  name: { by: 'a.name', type: 'text' },
  bytes: { by: 'a.bytes', type: 'bigint' },
  claims: { by: 'a.claims', type: 'integer' },
  ready: { by: '(a.ready * 1000000 / greatest(coalesce(a.wanted, a.pods), 1))', type: 'integer' },
  worst: { by: 'coalesce(a.worst, -1)', type: 'integer' },
  points: { by: 'jsonb_array_length(a.points)', type: 'integer' },
  created: {
    by: 'a.created_at',
    type: 'timestamptz',
    text: `to_char(a.created_at AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI:SS.US') || '+00'`,
  },
};

const lacksReplicas = 'a.ready < coalesce(a.wanted, a.pods)';
const lacksCopies = 'a.worst > 0';
// that all of its data is on one array is true of most, and another matter than where things stand
const hasPoints = `a.points @? '$[*] ? (@.level != "pool" && @.level != "backend")'`;

type Filter = [namespace: string | undefined, like: string | undefined, namespaces: readonly string[] | null];
const matching = `($1::text IS NULL OR a.namespace = $1) AND ($3::text[] IS NULL OR a.namespace = ANY($3))
   AND ($2::text IS NULL OR a.namespace ILIKE $2 OR a.name ILIKE $2 OR array_to_string(a.classes || a.pools || a.nodes || a.zones, ' ') ILIKE $2)`;

const page = (sort: ApplicationQuery['sort'], direction: ApplicationQuery['direction']) => {
  const { by, type, text } = sorts[sort];
  return statement<
    StoredApplication & { sort_value: string },
    [
      ...Filter,
      need: ApplicationQuery['need'],
      afterValue: string | undefined,
      afterUid: string | undefined,
      limit: number,
    ]
  >(
    `SELECT a.*, ${text ?? `(${by})::text`} AS sort_value FROM applications a WHERE ${matching}
     AND CASE $4::text WHEN 'replicas' THEN ${lacksReplicas} WHEN 'copies' THEN ${lacksCopies} WHEN 'points' THEN ${hasPoints} ELSE true END
     AND ($5::text IS NULL OR (${by}, a.uid) ${direction === 'asc' ? '>' : '<'} ($5::text::${type}, $6))
   ORDER BY ${by} ${direction}, a.uid ${direction} LIMIT $7`,
  );
};
const bothWays = (sort: ApplicationQuery['sort']) => ({ asc: page(sort, 'asc'), desc: page(sort, 'desc') });

/** One page of applications in each order; `like` is a pattern for a text in any name. */
export const applicationPages = {
  namespace: bothWays('namespace'),
  name: bothWays('name'),
  bytes: bothWays('bytes'),
  claims: bothWays('claims'),
  ready: bothWays('ready'),
  worst: bothWays('worst'),
  points: bothWays('points'),
  created: bothWays('created'),
};

/** How many applications there are in all pages together, and how many of them need something. */
export const applicationCounts = statement<ApplicationPage['counts'], Filter>(
  `SELECT count(*) AS "all", count(*) FILTER (WHERE ${lacksReplicas}) AS replicas, count(*) FILTER (WHERE ${lacksCopies}) AS copies,
     count(*) FILTER (WHERE ${hasPoints}) AS points FROM applications a WHERE ${matching}`,
);

/** The owner of a name, a set before others that are called the same; a set is known before it is listed. */
export const applicationNamed = statement<{ uid: string }, [namespace: string, name: string]>(
  `SELECT uid FROM (
     SELECT s.uid, 0 AS place, s.created_at FROM platform_objects s WHERE s.plural = 'statefulsets' AND s.namespace = $1 AND s.name = $2
     UNION ALL SELECT a.uid, 1, a.created_at FROM applications a WHERE a.namespace = $1 AND a.name = $2
   ) t ORDER BY place, created_at DESC LIMIT 1`,
);

/** Nodes that take pods now, with where they stand. */
export const openNodes = statement<{ name: string }, []>(
  `SELECT n.name FROM platform_objects n WHERE n.plural = 'nodes' AND (n.body #> '{spec,unschedulable}') IS DISTINCT FROM 'true'::jsonb
     AND n.body #> '{status,conditions}' @> '[{"type": "Ready", "status": "True"}]' AND NOT n.deleting ORDER BY n.name LIMIT 10000`,
);

/** Zones from which volumes can be reached, as their persistent volumes say. */
export const zonesOfVolumes = statement<{ name: string; zones: string[] }, [names: readonly string[]]>(
  `SELECT v.name, array_agg(DISTINCT z.zone) AS zones FROM platform_objects v,
     jsonb_path_query(v.body, '$.spec.nodeAffinity.required.nodeSelectorTerms[*].matchExpressions[*] ? (@.key == "topology.kubernetes.io/zone").values[*]') q,
     LATERAL (SELECT q #>> '{}' AS zone) z
   WHERE v.plural = 'persistentvolumes' AND v.namespace = '' AND v.name = ANY($1) GROUP BY v.name LIMIT 10000`,
);
