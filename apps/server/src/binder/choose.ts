import { fromManifest, provisioner, readTuned, type ClassManifest } from '@moorage/core/classes/manifest';
import { tunedClass } from '@moorage/core/classes/allowance';
import type { AccessMode, StorageClass, VolumeMode } from '@moorage/core/classes/storage-class';
import { rateFor } from '@moorage/core/performance/term';
import { decide, type Decision, type FurtherCopy } from '@moorage/core/placement/decide';
import { offsiteClass } from '@moorage/core/classes/elsewhere';
import { whatWouldBind } from '@moorage/core/placement/remedies';
import type { ClaimRequest, Mooring, PlacementInput, Quota } from '@moorage/core/placement/request';
import { placeOnPool, promisableDisks } from '@moorage/core/replicas/on-pool';
import type { PlacedCopy } from '@moorage/core/replicas/place';
import type { Bytes } from '@moorage/core/sizes/bytes';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import type { Metrics } from '../metrics/metrics';
import { placeTaken } from '../moorings/planned';
import { advance } from '../operations/operations';
import type { Operation } from '../operations/operation';
import { corePools, livePools } from '../pools/pools';

/** Everything about a claim that its decision rests on, pools and quotas aside. */
interface StoredClaim {
  uid: string;
  namespace: string;
  name: string;
  size_bytes: number;
  phase: string | null;
  body: {
    metadata: { annotations?: Record<string, string>; deletionTimestamp?: string };
    spec: {
      accessModes?: AccessMode[];
      volumeMode?: VolumeMode;
      dataSource?: unknown;
      dataSourceRef?: unknown;
      volumeName?: string;
      selector?: unknown;
    };
  };
  class: ClassManifest | null;
  /** The node the platform chose for the claim's first pod, and its zone. */
  node: string | null;
  zone: string | null;
  moorings: Mooring[];
  /** Whether the class is open to all namespaces, and whether this one was granted it. */
  open: boolean;
  granted: boolean;
  /** The pool that a plan for many claims chose for this one. */
  planned: string | null;
  limits: { class_name: string; bytes: number }[];
}

// one statement, since each costs a way to the database and back while pools wait to be locked
const claimSelect = `SELECT o.uid, o.namespace, o.name, o.size_bytes, o.phase, o.body, c.body AS class, at.node,
    (SELECT n.body #>> '{metadata,labels,topology.kubernetes.io/zone}' FROM platform_objects n WHERE n.plural = 'nodes' AND n.name = at.node) AS zone,
    (SELECT coalesce(jsonb_agg(jsonb_build_object('pool', pool_id, 'enabled', enabled, 'order', rank, 'weight', weight) ORDER BY rank, pool_id), '[]')
     FROM (SELECT * FROM moorings WHERE class_name = o.class_name ORDER BY rank, pool_id LIMIT 1000) m) AS moorings,
    coalesce((SELECT open FROM class_access a WHERE a.class_name = o.class_name), true) AS open,
    EXISTS (SELECT 1 FROM grants g WHERE g.class_name = o.class_name AND g.namespace = o.namespace) AS granted,
    (SELECT pool_id FROM planned_places p WHERE p.namespace = o.namespace AND p.claim_name = o.name) AS planned,
    (SELECT coalesce(jsonb_agg(jsonb_build_object('class_name', class_name, 'bytes', bytes)), '[]')
     FROM limits l WHERE l.namespace = o.namespace AND l.class_name IN ('', o.class_name)) AS limits
  FROM platform_objects o
  LEFT JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
  CROSS JOIN LATERAL (SELECT o.body #>> '{metadata,annotations,volume.kubernetes.io/selected-node}' AS node) at
  WHERE o.plural = 'persistentvolumeclaims' AND o.uid = $1`;

async function readQuotas(database: Database, { namespace, limits }: StoredClaim): Promise<Quota[]> {
  if (limits.length === 0) return [];
  // two claims of one namespace must not both see the last free bytes
  await database.rows('SELECT pg_advisory_xact_lock(4413, hashtext($1))', [namespace]);
  const used = await database.rows<{ class_name: string; bytes: number }>(
    'SELECT class_name, sum(bytes)::bigint AS bytes FROM reservations WHERE namespace = $1 GROUP BY 1',
    [namespace],
  );
  return limits.map(({ class_name, bytes }) => ({
    scope: class_name === '' ? ('namespace' as const) : ('class' as const),
    limit: bytes,
    used: used.filter((u) => class_name === '' || u.class_name === class_name).reduce((sum, u) => sum + u.bytes, 0),
  }));
}

/** What a claim asks for that is not carried out yet: an empty volume must never stand in the place of data. */
function notYet({ body: { spec } }: StoredClaim): 'source' | 'named-volume' | 'selector' | undefined {
  if (spec.dataSource || spec.dataSourceRef) return 'source';
  if (spec.volumeName) return 'named-volume';
  return spec.selector ? 'selector' : undefined;
}

type Chosen =
  | { readonly moved: Operation | undefined }
  | { readonly refused: PlacementInput; readonly decision: Decision; readonly tookMicros: number };

/**
 * Chooses a pool for a claim and reserves it, in one transaction under the locks of the namespace and of the moored pools:
 * any number of servers together never exceed a ceiling. The trace is kept whether or not something fits; what would bind a
 * claim that fits nowhere is looked for once the locks are gone.
 */
export async function chooseAndReserve(
  database: Database,
  metrics: Metrics,
  site: string,
  operation: Operation,
): Promise<Operation | undefined> {
  const chosen = await database.transaction(() => chooseUnderLocks(database, metrics, site, operation));
  if ('moved' in chosen) return chosen.moved;
  const { refused, decision, tookMicros } = chosen;
  const everywhere = { ...refused, pools: corePools(await livePools(database, 'all')) };
  const remedies = whatWouldBind(everywhere);
  return database.transaction(async () =>
    rest(database, operation, 'capacity', await keepDecision(database, operation, decision, tookMicros, remedies)),
  );
}

async function chooseUnderLocks(
  database: Database,
  metrics: Metrics,
  site: string,
  operation: Operation,
): Promise<Chosen> {
  const claim = await database.one<StoredClaim>(claimSelect, [operation.subject]);
  // gone, going, or bound to a volume made beforehand: not ours to provide
  if (!claim || claim.body.metadata.deletionTimestamp || claim.phase === 'Lost' || claim.phase === 'Bound')
    return { moved: await advance(database, operation, 'abandoned', {}) };
  if (claim.class?.provisioner !== provisioner) return { moved: await rest(database, operation, 'class') };
  const held = notYet(claim);
  if (held) return { moved: await rest(database, operation, held) };
  const { storageClass } = fromManifest(claim.class);
  const { moorings } = claim;
  const node = claim.node ?? undefined;
  if (storageClass.binding === 'WaitForFirstConsumer' && !node)
    return { moved: await rest(database, operation, 'first-consumer') };

  const quotas = await readQuotas(database, claim);
  const live = await livePools(
    database,
    moorings.map((m) => m.pool),
    'lock',
  );
  const request: ClaimRequest = {
    namespace: claim.namespace,
    size: claim.size_bytes as Bytes,
    modes: claim.body.spec.accessModes ?? [],
    volumeMode: claim.body.spec.volumeMode ?? 'Filesystem',
    zone: claim.zone ?? undefined,
    tuned: readTuned(claim.body.metadata.annotations),
  };
  const input: PlacementInput = {
    claim: request,
    site,
    storageClass,
    moorings,
    pools: corePools(live),
    quotas,
    ...(!claim.open && { granted: claim.granted }),
    ...(claim.planned !== null && { planned: claim.planned }),
  };
  const started = performance.now();
  const decision = decide(input);
  const tookMicros = (performance.now() - started) * 1000;
  metrics.decisions.observe(tookMicros / 1e6);
  if (!decision.winner) return { refused: input, decision, tookMicros };

  const { id } = await keepDecision(database, operation, decision, tookMicros, []);
  const tuned = tunedClass(storageClass, request.tuned);
  const copies = placedCopies(input, { pool: decision.winner, provisioned: decision.provisioned! }, tuned, node);
  await reserve(database, claim, tuned, decision, copies);
  if (claim.planned !== null) await placeTaken(database, claim);
  const { second, offsite } = decision;
  if (second) await reserveFurther(database, claim.uid, 'synchronous', tuned, input, second);
  if (offsite) await reserveFurther(database, claim.uid, 'asynchronous', offsiteClass(tuned), input, offsite);
  await announce(database, [{ topic: 'claims' }, { topic: 'pools' }, { topic: 'namespaces' }]);
  return { moved: await advance(database, operation, 'making', { decisionId: id }) };
}

/** Lets the operation wait, and tells the pages when that is news. The result is undefined: there is nothing to go on with. */
async function rest(database: Database, operation: Operation, waitingFor: string, decision?: Kept): Promise<undefined> {
  await advance(database, operation, 'waiting', { waitingFor, decisionId: decision?.id });
  const isNews = operation.state !== 'waiting' || decision?.isNew === true;
  if (isNews) await announce(database, [{ topic: 'claims' }]);
  return undefined;
}

interface Kept {
  readonly id: number;
  /** It says something else than the claim's last decision. */
  readonly isNew: boolean;
}

/** Keeps a decision; one that says the same as the claim's last only renews its time. */
async function keepDecision(
  database: Database,
  { subject: uid, state }: Operation,
  decision: Decision,
  tookMicros: number,
  remedies: unknown,
): Promise<Kept> {
  const trace = JSON.stringify(decision);
  // the first decision of a claim has none before it
  const renewed =
    state === 'deciding'
      ? undefined
      : await database.one<{ id: number }>(
          `UPDATE decisions SET made_at = now(), took_micros = $3, remedies = $4::jsonb
     WHERE id = (SELECT max(id) FROM decisions WHERE claim_uid = $1) AND trace = $2::jsonb RETURNING id`,
          [uid, trace, tookMicros, JSON.stringify(remedies)],
        );
  if (renewed) return { id: renewed.id, isNew: false };
  const row = await database.one<{ id: number }>(
    `INSERT INTO decisions (claim_uid, took_micros, winner, trace, remedies) VALUES ($1, $2, $3, $4::jsonb, $5::jsonb) RETURNING id`,
    [uid, tookMicros, decision.winner, trace, JSON.stringify(remedies)],
  );
  return { id: row!.id, isNew: true };
}

function placedCopies(
  input: PlacementInput,
  at: { readonly pool: string; readonly provisioned: number },
  storageClass: StorageClass,
  node: string | undefined,
): readonly PlacedCopy[] {
  const pool = input.pools.get(at.pool)!;
  if (!promisableDisks(pool)) return [];
  const placed = placeOnPool(pool, storageClass, at.provisioned, node);
  // the rule about disk room passed for this very state
  if (!placed) throw new Error(`copies cannot be placed on ${pool.id} although every rule passed`);
  return placed;
}

async function reserve(
  database: Database,
  claim: StoredClaim,
  storageClass: StorageClass,
  decision: Decision,
  copies: readonly PlacedCopy[],
): Promise<void> {
  const provisioned = decision.provisioned!;
  const ceiling = storageClass.iopsCeiling && rateFor(storageClass.iopsCeiling, provisioned);
  const throughputCeiling = storageClass.throughputCeiling && rateFor(storageClass.throughputCeiling, provisioned);
  await database.rows(
    `INSERT INTO reservations (claim_uid, namespace, claim_name, class_name, reclaim, pool_id, bytes, raw_bytes, iops_floor, iops_ceiling, backend_iops, volume_name,
       throughput_floor, throughput_ceiling, backend_throughput, grace_days)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16)`,
    [
      claim.uid,
      claim.namespace,
      claim.name,
      storageClass.name,
      storageClass.reclaim,
      decision.winner,
      provisioned,
      Math.ceil(provisioned * decision.footprintFactor!),
      decision.iopsFloor,
      ceiling,
      decision.backendIops,
      `pvc-${claim.uid}`,
      decision.throughputFloor,
      throughputCeiling,
      decision.backendThroughput,
      storageClass.graceDays,
    ],
  );
  await keepCopies(database, claim.uid, decision.winner!, provisioned, copies);
}

async function keepCopies(
  database: Database,
  uid: string,
  pool: string,
  provisioned: number,
  copies: readonly PlacedCopy[],
): Promise<void> {
  if (copies.length === 0) return;
  await database.rows(
    `INSERT INTO reservation_copies (claim_uid, pool_id, disk, node, domain, bytes, role)
     SELECT $1, $2, disk, node, domain, CASE role WHEN 'data' THEN $4::bigint ELSE 0 END, role
     FROM jsonb_to_recordset($3::jsonb) AS c(disk text, node text, domain text, role text)`,
    [uid, pool, JSON.stringify(copies), provisioned],
  );
}

/** Reserves a copy elsewhere, in the transaction and under the locks of the first. */
async function reserveFurther(
  database: Database,
  uid: string,
  mode: 'synchronous' | 'asynchronous',
  storageClass: StorageClass,
  input: PlacementInput,
  copy: FurtherCopy,
): Promise<void> {
  const { pool, provisioned, footprintFactor, backendIops, backendThroughput } = copy;
  await database.rows(
    `INSERT INTO further_copies (claim_uid, mode, pool_id, bytes, raw_bytes, backend_iops, backend_throughput)
     VALUES ($1, $2, $3, $4, $5, $6, $7)`,
    [uid, mode, pool, provisioned, Math.ceil(provisioned * footprintFactor), backendIops, backendThroughput],
  );
  await keepCopies(database, uid, pool, provisioned, placedCopies(input, copy, storageClass, undefined));
}
