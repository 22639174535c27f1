import type { ClaimPage, ClaimQuery, ClaimRow, DecisionRow } from '@moorage/contract/claims';
import type { GrowthAnswer } from '@moorage/contract/growth';
import { statement } from '../database/statement';
import { claimsOf } from '../mirror/claim-rows.sql';

export interface StoredClaim {
  uid: string;
  namespace: string;
  name: string;
  class_name: string | null;
  size_bytes: number;
  state: ClaimRow['state'];
  created_at: Date;
  body: {
    metadata: object;
    spec: {
      accessModes?: string[];
      volumeMode?: string;
      volumeName?: string;
      resources?: { requests?: { storage?: string } };
    };
    status?: object;
  };
  provisioned: number | null;
  consumed: number | null;
  pool_id: string | null;
  backend_id: string | null;
  volume_name: string | null;
  volume_id: string | null;
  error: { code: string; detail: string } | null;
  attempts: number | null;
  next_attempt_at: Date | null;
  operation_id: string | null;
  operation_stopped: 'paused' | 'refused' | null;
  trace: DecisionRow['trace'] | null;
  /** The first pod that mounts it, and why the platform has not placed that yet. */
  pod: { name: string; why: string | null } | null;
  waiting_for: 'source' | 'named-volume' | 'selector' | 'beforehand' | null;
  missing_since: Date | null;
  growth_id: string | null;
  growth: string | null;
  growth_waiting_for: NonNullable<ClaimRow['growth']>['waitingFor'];
  growth_error: { code: string; detail: string } | null;
  growth_stopped: 'paused' | 'refused' | null;
  growth_next_attempt_at: Date | null;
  growth_answer: GrowthAnswer | null;
}

// the last decision, and the pod that mounts the claim, for the rows of one page only
const shown = `d.trace,
   (SELECT jsonb_build_object('name', p.name, 'why', (SELECT k ->> 'message' FROM jsonb_array_elements(p.body #> '{status,conditions}') k
       WHERE k ->> 'type' = 'PodScheduled' AND k ->> 'status' = 'False' LIMIT 1)) FROM platform_objects p WHERE p.plural = 'pods' AND p.namespace = c.namespace
     AND p.body #> '{spec,volumes}' @> jsonb_build_array(jsonb_build_object('persistentVolumeClaim', jsonb_build_object('claimName', c.name)))
     ORDER BY p.name LIMIT 1) AS pod`;
const select = `SELECT c.*, ${shown} FROM claims c LEFT JOIN decisions d ON d.id = c.decision_id`;

const sortColumns = {
  created: 'c.created_at',
  name: 'c.name',
  namespace: 'c.namespace',
  class: 'c.class_name',
  size: 'c.size_bytes',
  state: 'c.state',
} as const;
const sortTypes = {
  created: 'timestamptz',
  name: 'text',
  namespace: 'text',
  class: 'text',
  size: 'bigint',
  state: 'text',
} as const;

/** A time as text whatever the server's own zone. */
const sortTexts: Partial<Record<ClaimQuery['sort'], string>> = {
  created: `to_char(c.created_at AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI:SS.US') || '+00'`,
};

const inSight = '($4::text[] IS NULL OR c.namespace = ANY($4))';
const ofClass = '($2::text IS NULL OR c.class_name = $2)';
const narrow = `($1::text IS NULL OR c.namespace = $1) AND ${ofClass} AND ${inSight}`;
/** How an identifier begins that has the text of the pattern `$3` at its beginning. */
const begins = `lower(substr($3::text, 2))`;
/**
 * Claims of which a name has a text in it, or an identifier of either world begins with it: found from what holds those, each place by
 * its own index.
 */
const having = `SELECT claim_uid FROM claim_states WHERE namespace || '/' || name || ' ' || class_name ILIKE $3 OR lower(claim_uid) LIKE ${begins}
   UNION SELECT r.claim_uid FROM reservations r WHERE lower(r.volume_name) LIKE ${begins} OR lower(r.volume_id) LIKE ${begins}
   UNION SELECT r.claim_uid FROM reservations r JOIN pools p ON p.id = r.pool_id WHERE p.id ILIKE $3
   -- a backend and the beginning of its own identifier
   UNION SELECT r.claim_uid FROM reservations r JOIN pools p ON p.id = r.pool_id WHERE strpos($3, '/') > 0
     AND lower(p.backend_id) LIKE split_part(${begins}, '/', 1) AND lower(r.volume_id) LIKE split_part(${begins}, '/', 2)
   -- a disk or a node of its copies
   UNION SELECT rc.claim_uid FROM reservation_copies rc WHERE lower(rc.disk) LIKE ${begins} OR lower(rc.node) LIKE ${begins}
   -- a pod that uses it, which is named after its application
   UNION SELECT s.claim_uid FROM platform_objects p, jsonb_array_elements(p.body #> '{spec,volumes}') pv, claim_states s
     WHERE p.plural = 'pods' AND p.name ILIKE $3 AND s.namespace = p.namespace AND s.name = pv #>> '{persistentVolumeClaim,claimName}'
   -- the node that a pod of it stands on
   UNION SELECT s.claim_uid FROM platform_objects p, jsonb_array_elements(p.body #> '{spec,volumes}') pv, claim_states s
     WHERE p.plural = 'pods' AND p.body #>> '{spec,nodeName}' = trim('%' FROM $3::text) AND s.namespace = p.namespace AND s.name = pv #>> '{persistentVolumeClaim,claimName}'`;
/** Claims by what is kept of them: all, or those that a text matches, each read by its key. */
const among = {
  named: 'claim_states c',
  matching: `(${having}) m CROSS JOIN LATERAL (SELECT * FROM claim_states s WHERE s.claim_uid = m.claim_uid OFFSET 0) c`,
} as const;

const narrowed = { named: `${narrow} AND $3::text IS NULL`, matching: narrow } as const;
type Narrowed = keyof typeof narrowed;

const page = (sort: ClaimQuery['sort'], direction: ClaimQuery['direction'], by: Narrowed) => {
  const column = sortColumns[sort];
  const text = sortTexts[sort] ?? `${column}::text`;
  const order = (uid: string) => `ORDER BY ${column} ${direction}, ${uid} ${direction}`;
  return statement<
    StoredClaim & { sort_value: string },
    [
      namespace: string | undefined,
      className: string | undefined,
      like: string | undefined,
      namespaces: readonly string[] | null,
      state: 'bound' | 'unbound' | undefined,
      afterValue: string | undefined,
      afterUid: string | undefined,
      limit: number,
    ]
  >(
    // the rows of the page from what is kept of all claims, and all else of those alone
    `SELECT c.*, k.sort_value, ${shown} FROM ${claimsOf(`SELECT c.claim_uid, ${text} AS sort_value, row_number() OVER (${order('c.claim_uid')}) AS place FROM ${among[by]} WHERE ${narrowed[by]}
         AND ($5::text IS DISTINCT FROM 'unbound' OR c.state <> 'bound') AND ($5::text IS DISTINCT FROM 'bound' OR c.state = 'bound')
         AND ($6::text IS NULL OR (${column}, c.claim_uid) ${direction === 'asc' ? '>' : '<'} ($6::text::${sortTypes[sort]}, $7))
       ${order('c.claim_uid')} LIMIT $8`)}
     LEFT JOIN decisions d ON d.id = c.decision_id ORDER BY k.place`,
  );
};
const byEach = (sort: ClaimQuery['sort'], direction: ClaimQuery['direction']) => ({
  named: page(sort, direction, 'named'),
  matching: page(sort, direction, 'matching'),
});
const bothWays = (sort: ClaimQuery['sort']) => ({ asc: byEach(sort, 'asc'), desc: byEach(sort, 'desc') });

/** One page of claims in each order, by each filter that has a plan of its own; `like` is a pattern for a text in any name or identifier. */
export const claimPages = {
  created: bothWays('created'),
  name: bothWays('name'),
  namespace: bothWays('namespace'),
  class: bothWays('class'),
  size: bothWays('size'),
  state: bothWays('state'),
};

type Filter = [
  namespace: string | undefined,
  className: string | undefined,
  like: string | undefined,
  namespaces: readonly string[] | null,
];
/** How many claims there are in all pages together, by what becomes of them, of those that a text matches. */
export const claimsMatching = statement<ClaimPage['counts'], Filter>(
  `SELECT count(*) FILTER (WHERE c.state = 'bound') AS bound, count(*) FILTER (WHERE c.state <> 'bound') AS unbound,
   count(*) FILTER (WHERE c.stuck) AS stuck FROM ${among.matching} WHERE ${narrow}`,
);

/** The same of all claims, of a namespace or a class: from what is counted of each, and from those that are not bound. */
export const claimCounts = statement<ClaimPage['counts'], Filter>(
  `SELECT (SELECT coalesce(sum(c.claims), 0) FROM claim_totals c WHERE ${narrow} AND $3::text IS NULL)::bigint - u.unbound AS bound, u.unbound, u.stuck
   FROM (SELECT count(*) AS unbound, count(*) FILTER (WHERE c.stuck) AS stuck FROM claim_states c WHERE c.state <> 'bound' AND ${narrow} AND $3::text IS NULL) u`,
);

/** The claim of a name. */
export const claimNamed = statement<StoredClaim, [namespace: string, name: string]>(
  `${select} WHERE c.namespace = $1 AND c.name = $2 ORDER BY c.created_at DESC LIMIT 1`,
  'planned once',
);

/** Pods that mount a claim, and their owners. */
export const podsOf = statement<
  {
    pod: string;
    node: string | null;
    owner: string | null;
    owner_uid: string | null;
  },
  [namespace: string, claim: string]
>(
  `SELECT p.name AS pod, p.body #>> '{spec,nodeName}' AS node, p.body #>> '{metadata,ownerReferences,0,name}' AS owner,
     p.body #>> '{metadata,ownerReferences,0,uid}' AS owner_uid
   FROM platform_objects p WHERE p.plural = 'pods' AND p.namespace = $1
     AND p.body #> '{spec,volumes}' @> jsonb_build_array(jsonb_build_object('persistentVolumeClaim', jsonb_build_object('claimName', $2::text)))
   ORDER BY p.name LIMIT 20`,
);

/** The driver that a class names, and on how many nodes of the platform it is. */
export const driverOf = statement<{ driver: string; nodes: number }, [className: string]>(
  `SELECT c.body ->> 'provisioner' AS driver, (SELECT count(*)::int FROM platform_objects n WHERE n.plural = 'csinodes'
     AND n.body #> '{spec,drivers}' @> jsonb_build_array(jsonb_build_object('name', c.body ->> 'provisioner'))) AS nodes
   FROM platform_objects c WHERE c.plural = 'storageclasses' AND c.name = $1 AND c.body ->> 'provisioner' IS NOT NULL LIMIT 1`,
);

/** How many other pods an owner has. */
export const otherPodsOf = statement<{ count: number }, [namespace: string, owner: string, but: readonly string[]]>(
  `SELECT count(*) FROM platform_objects p WHERE p.plural = 'pods' AND p.namespace = $1
   AND p.body #>> '{metadata,ownerReferences,0,uid}' = $2 AND NOT p.name = ANY($3)`,
);
