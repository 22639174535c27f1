import type { ClaimPage, ClaimQuery, ClaimRow, DecisionRow } from '@moorage/contract/claims';
import type { GrowthAnswer } from '@moorage/contract/growth';
import { statement } from '../database/statement';

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
const select = `SELECT c.*, d.trace,
   (SELECT jsonb_build_object('name', p.name, 'why', (SELECT k ->> 'message' FROM jsonb_array_elements(p.body #> '{status,conditions}') k
       WHERE k ->> 'type' = 'PodScheduled' AND k ->> 'status' = 'False' LIMIT 1)) FROM platform_objects p WHERE p.plural = 'pods' AND p.namespace = c.namespace
     AND p.body #> '{spec,volumes}' @> jsonb_build_array(jsonb_build_object('persistentVolumeClaim', jsonb_build_object('claimName', c.name)))
     ORDER BY p.name LIMIT 1) AS pod
   FROM claims c LEFT JOIN decisions d ON d.id = c.decision_id`;

const sortColumns = {
  created: 'c.created_at',
  name: 'c.name',
  namespace: 'c.namespace',
  class: `coalesce(c.class_name, '')`,
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

/** Failed attempts after which trying again is no longer expected to help without a person. */
const stubborn = 5;

const inSight = '($4::text[] IS NULL OR c.namespace = ANY($4))';
const ofClass = '($2::text IS NULL OR c.class_name = $2)';
/**
 * Claims of which a name or an identifier of either world has a text in it: found from what holds those, without how they stand;
 * each place by itself, so that it is known that few are found.
 */
const having = `SELECT o.uid FROM platform_objects o LEFT JOIN reservations r ON r.claim_uid = o.uid LEFT JOIN pools rp ON rp.id = r.pool_id
     WHERE o.plural = 'persistentvolumeclaims' AND ($1::text IS NULL OR o.namespace = $1)
     AND (o.namespace ILIKE $3 OR o.name ILIKE $3 OR o.class_name ILIKE $3 OR r.pool_id ILIKE $3
       OR o.uid ILIKE $3 OR r.volume_name ILIKE $3 OR rp.backend_id || '/' || r.volume_id ILIKE $3)
   -- a disk or a node of its copies
   UNION SELECT rc.claim_uid FROM reservation_copies rc WHERE rc.disk ILIKE $3 OR rc.node ILIKE $3
   -- a pod that uses it, its application, its node
   UNION SELECT o.uid FROM platform_objects p, jsonb_array_elements(p.body #> '{spec,volumes}') pv, platform_objects o
     WHERE p.plural = 'pods' AND (p.name ILIKE $3 OR p.body #>> '{spec,nodeName}' ILIKE $3 OR p.body #>> '{metadata,ownerReferences,0,name}' ILIKE $3)
     AND o.plural = 'persistentvolumeclaims' AND o.namespace = p.namespace AND o.name = pv #>> '{persistentVolumeClaim,claimName}'`;
const matching = `c.uid IN (${having}) AND ($1::text IS NULL OR c.namespace = $1) AND ${ofClass} AND ${inSight}`;

/** Claims that may be in another state than bound: found from what makes them so, without a look at all others. */
const perhapsUnbound = `SELECT o.uid FROM platform_objects o
     WHERE o.plural = 'persistentvolumeclaims' AND (o.phase IS DISTINCT FROM 'Bound' OR o.deleting)
   UNION SELECT r.claim_uid FROM reservations r WHERE r.missing_since IS NOT NULL
   UNION SELECT r.claim_uid FROM backend_volumes v JOIN reservations r ON r.volume_id = v.volume_id WHERE NOT v.reachable`;

/** The filters that have plans of their own: what is not asked is not looked at. */
const narrowed = {
  all: `$1::text IS NULL AND ${ofClass} AND $3::text IS NULL AND ${inSight}`,
  namespace: `c.namespace = $1 AND ${ofClass} AND $3::text IS NULL AND ${inSight}`,
  unbound: `c.uid IN (${perhapsUnbound}) AND ($1::text IS NULL OR c.namespace = $1) AND ${ofClass} AND $3::text IS NULL AND ${inSight}`,
  matching,
} as const;
export type Narrowed = keyof typeof narrowed;

const page = (sort: ClaimQuery['sort'], direction: ClaimQuery['direction'], by: Narrowed) => {
  const column = sortColumns[sort];
  const text = sortTexts[sort] ?? `${column}::text`;
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
    `${select.replace('SELECT c.*', `SELECT c.*, ${text} AS sort_value`)} WHERE ${narrowed[by]}
     AND ($5::text IS NULL OR (c.state = 'bound') = ($5 = 'bound'))
     AND ($6::text IS NULL OR (${column}, c.uid) ${direction === 'asc' ? '>' : '<'} ($6::text::${sortTypes[sort]}, $7))
   ORDER BY ${column} ${direction}, c.uid ${direction} LIMIT $8`,
  );
};
const byEach = (sort: ClaimQuery['sort'], direction: ClaimQuery['direction']) => ({
  all: page(sort, direction, 'all'),
  namespace: page(sort, direction, 'namespace'),
  unbound: page(sort, direction, 'unbound'),
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
const stuck = `c.state IN ('nothing-fits', 'no-class', 'lost', 'unreachable', 'stopped') OR (c.state = 'retrying' AND c.attempts >= ${stubborn})`;

/** How many claims there are in all pages together, by what becomes of them, of those that a text matches. */
export const claimsMatching = statement<ClaimPage['counts'], Filter>(
  `SELECT count(*) FILTER (WHERE c.state = 'bound') AS bound, count(*) FILTER (WHERE c.state <> 'bound') AS unbound,
   count(*) FILTER (WHERE ${stuck}) AS stuck FROM claims c WHERE ${matching}`,
);

/** The same of all claims, of a namespace or a class: counted from the index, and looked at only where they may not be bound. */
export const claimCounts = statement<ClaimPage['counts'], Filter>(
  `SELECT (SELECT count(*) FROM platform_objects c WHERE c.plural = 'persistentvolumeclaims' AND ($1::text IS NULL OR c.namespace = $1)
       AND ${ofClass} AND $3::text IS NULL AND ${inSight}) - u.unbound AS bound, u.unbound, u.stuck
   FROM (SELECT count(*) FILTER (WHERE c.state <> 'bound') AS unbound, count(*) FILTER (WHERE ${stuck}) AS stuck
     FROM claims c WHERE ${narrowed.unbound}) u`,
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
