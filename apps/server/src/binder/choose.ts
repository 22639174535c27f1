import type { DecisionRow } from '@moorage/contract/claims';
import { tunedClass } from '@moorage/core/classes/allowance';
import { offsiteClass } from '@moorage/core/classes/elsewhere';
import { fromManifest, provisioner, readTuned } from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { rateFor } from '@moorage/core/performance/term';
import { decide, type Decision, type FurtherCopy } from '@moorage/core/placement/decide';
import { whatWouldBind } from '@moorage/core/placement/remedies';
import type { ClaimRequest, PlacementInput, Quota } from '@moorage/core/placement/request';
import { placeOnPool, promisableDisks } from '@moorage/core/replicas/on-pool';
import type { PlacedCopy } from '@moorage/core/replicas/place';
import type { Bytes } from '@moorage/core/sizes/bytes';
import type { Database } from '../database/database';
import { lockNamespace } from '../database/locks.sql';
import { asRecords, first } from '../database/statement';
import { announce } from '../live/announce';
import type { Metrics } from '../metrics/metrics';
import { placeTaken } from '../moorings/planned';
import type { Operation } from '../operations/operation';
import { advance } from '../operations/operations';
import { binding } from './kinds';
import { corePools, livePools } from '../pools/pools';
import { decisions } from '../reservations/decision-model';
import { claimToDecide, renewDecision, reserveAll, usedInNamespace, type StoredClaim } from './choose.sql';

async function readQuotas(database: Database, { namespace, limits }: StoredClaim): Promise<Quota[]> {
  if (limits.length === 0) return [];
  await lockNamespace(database, namespace);
  const used = await usedInNamespace(database, namespace);
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
  const claim = await first(claimToDecide(database, operation.subject));
  // gone, going, or bound to a volume made beforehand: not ours to provide
  if (!claim || claim.body.metadata.deletionTimestamp || claim.phase === 'Lost' || claim.phase === 'Bound')
    return { moved: await advance(database, binding, operation, 'abandoned') };
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

  const tuned = tunedClass(storageClass, request.tuned);
  const { second, offsite } = decision;
  const places = [
    placesOf(input, { pool: decision.winner, provisioned: decision.provisioned! }, tuned, node),
    ...(second ? [placesOf(input, second, tuned)] : []),
    ...(offsite ? [placesOf(input, offsite, offsiteClass(tuned))] : []),
  ].flat();
  const further = [
    ...(second ? [furtherRecord(second, 'synchronous')] : []),
    ...(offsite ? [furtherRecord(offsite, 'asynchronous')] : []),
  ];
  const moved = await first(
    reserveAll(
      database,
      claim.uid,
      tookMicros,
      JSON.stringify(decision),
      JSON.stringify(reservationRecord(claim, tuned, decision)),
      asRecords(places),
      asRecords(further),
      operation.id,
      operation.state,
    ),
  );
  if (claim.planned !== null) await placeTaken(database, claim);
  await announce(database, [{ topic: 'claims' }, { topic: 'pools' }, { topic: 'namespaces' }]);
  return { moved };
}

/** Lets the operation wait, and tells the pages when that is news. The result is undefined: there is nothing to go on with. */
async function rest(database: Database, operation: Operation, waitingFor: string, decision?: Kept): Promise<undefined> {
  await advance(database, binding, operation, 'waiting', { waitingFor, decisionId: decision?.id });
  const isNews = operation.state !== 'waiting' || decision?.isNew === true;
  if (isNews) await announce(database, [{ topic: 'claims' }]);
  return undefined;
}

interface Kept {
  readonly id: number;
  /** It says something else than the claim's last decision. */
  readonly isNew: boolean;
}

/** Keeps a decision that nothing fits; one that says the same as the claim's last only renews its time. */
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
      : await first(renewDecision(database, uid, trace, tookMicros, JSON.stringify(remedies)));
  if (renewed) return { id: renewed.id, isNew: false };
  const row = await decisions.in(database).create({
    claimUid: uid,
    tookMicros,
    winner: null,
    // the same, but that the core's lists are read-only and the contract's are not
    trace: decision as unknown as DecisionRow['trace'],
    remedies: remedies as DecisionRow['remedies'],
  });
  return { id: row.id, isNew: true };
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

/** The places of the copies on one pool, as they are written down. */
const placesOf = (
  input: PlacementInput,
  at: { readonly pool: string; readonly provisioned: number },
  storageClass: StorageClass,
  node?: string,
) =>
  placedCopies(input, at, storageClass, node).map(({ disk, node: on, domain, role }) => ({
    ...{ pool_id: at.pool, disk, node: on, domain, role },
    bytes: role === 'data' ? at.provisioned : 0,
  }));

/** What is reserved for a claim, as it is written down. */
function reservationRecord(claim: StoredClaim, storageClass: StorageClass, decision: Decision) {
  const provisioned = decision.provisioned!;
  const { iopsCeiling, throughputCeiling } = storageClass;
  return {
    namespace: claim.namespace,
    claim_name: claim.name,
    class_name: storageClass.name,
    reclaim: storageClass.reclaim,
    pool_id: decision.winner,
    bytes: provisioned,
    raw_bytes: Math.ceil(provisioned * decision.footprintFactor!),
    iops_floor: decision.iopsFloor,
    iops_ceiling: iopsCeiling && rateFor(iopsCeiling, provisioned),
    backend_iops: decision.backendIops,
    volume_name: `pvc-${claim.uid}`,
    throughput_floor: decision.throughputFloor,
    throughput_ceiling: throughputCeiling && rateFor(throughputCeiling, provisioned),
    backend_throughput: decision.backendThroughput,
    grace_days: storageClass.graceDays,
  };
}

/** A copy elsewhere, as it is written down. */
const furtherRecord = (copy: FurtherCopy, mode: 'synchronous' | 'asynchronous') => ({
  mode,
  pool_id: copy.pool,
  bytes: copy.provisioned,
  raw_bytes: Math.ceil(copy.provisioned * copy.footprintFactor),
  backend_iops: copy.backendIops,
  backend_throughput: copy.backendThroughput,
});
