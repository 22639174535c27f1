import type { DecisionRow } from '@moorage/contract/claims';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { rateFor } from '@moorage/core/performance/term';
import { type Decision, type FurtherCopy } from '@moorage/core/placement/decide';
import type { PlacementInput } from '@moorage/core/placement/request';
import { placeOnPool, promisableDisks } from '@moorage/core/replicas/on-pool';
import type { PlacedCopy } from '@moorage/core/replicas/place';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import type { Operation } from '../operations/operation';
import { advance } from '../operations/operations';
import { binding } from './kinds';
import { decisions } from '../reservations/decision-model';
import { renewDecision, type StoredClaim } from './choose.sql';

/** Lets the operation wait, and tells the pages when that is news. The result is undefined: there is nothing to go on with. */
export async function rest(
  database: Database,
  operation: Operation,
  waitingFor: string,
  decision?: Kept,
): Promise<undefined> {
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
export async function keepDecision(
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
  planned: readonly string[] | undefined,
): readonly PlacedCopy[] {
  const pool = input.pools.get(at.pool)!;
  if (!promisableDisks(pool)) return [];
  const placed = placeOnPool(pool, storageClass, at.provisioned, node, planned);
  // the rule about disk room passed for this very state
  if (!placed) throw new Error(`copies cannot be placed on ${pool.id} although every rule passed`);
  return placed;
}

/** The places of the copies on one pool, as they are written down: on the disks that a plan kept, where they can be had. */
export const placesOf = (
  input: PlacementInput,
  at: { readonly pool: string; readonly provisioned: number },
  storageClass: StorageClass,
  node?: string,
  planned?: readonly string[],
) =>
  placedCopies(input, at, storageClass, node, planned).map(({ disk, node: on, domain, role }) => ({
    ...{ pool_id: at.pool, disk, node: on, domain, role },
    bytes: role === 'data' ? at.provisioned : 0,
  }));

/** What is reserved for a claim, as it is written down. */
export function reservationRecord(claim: StoredClaim, storageClass: StorageClass, decision: Decision) {
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
export const furtherRecord = (copy: FurtherCopy, mode: 'synchronous' | 'asynchronous') => ({
  mode,
  pool_id: copy.pool,
  bytes: copy.provisioned,
  raw_bytes: Math.ceil(copy.provisioned * copy.footprintFactor),
  backend_iops: copy.backendIops,
  backend_throughput: copy.backendThroughput,
});
