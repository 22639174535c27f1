import { tunedClass } from '@moorage/core/classes/allowance';
import { offsiteClass } from '@moorage/core/classes/elsewhere';
import { fromManifest, provisioner } from '@moorage/core/classes/manifest';
import { decide, type Decision } from '@moorage/core/placement/decide';
import { whatWouldBind } from '@moorage/core/placement/remedies';
import type { PlacementInput } from '@moorage/core/placement/request';
import type { Database } from '../database/database';
import { asRecords, first } from '../database/statement';
import { liveChannel, payloadsOf } from '../live/announce';
import type { Metrics } from '../metrics/metrics';
import { placeTaken } from '../moorings/planned';
import type { Operation } from '../operations/operation';
import { advance } from '../operations/operations';
import { binding } from './kinds';
import { corePools, livePools } from '../pools/pools';
import { claimHeld, reserveAll } from './choose.sql';
import { factsFor, isForeseen, notYet } from './facts';
import { furtherRecord, keepDecision, placesOf, reservationRecord, rest } from './keep';

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
  const chosen = await takeBackIfMoved(() =>
    database.transaction(() => chooseUnderLocks(database, metrics, site, operation)),
  );
  if ('moved' in chosen) return chosen.moved;
  const { refused, decision, tookMicros } = chosen;
  const everywhere = { ...refused, pools: corePools(await livePools(database, 'all')) };
  const remedies = whatWouldBind(everywhere);
  return database.transaction(async () =>
    rest(database, operation, 'capacity', await keepDecision(database, operation, decision, tookMicros, remedies)),
  );
}

class MovedMeanwhile extends Error {}

/** A decision about what somebody else moved on is taken back with its transaction. */
async function takeBackIfMoved(choose: () => Promise<Chosen>): Promise<Chosen> {
  try {
    return await choose();
  } catch (error) {
    if (error instanceof MovedMeanwhile) return { moved: undefined };
    throw error;
  }
}

async function chooseUnderLocks(
  database: Database,
  metrics: Metrics,
  site: string,
  operation: Operation,
): Promise<Chosen> {
  const claim = await first(claimHeld(database, operation.subject));
  // gone, going, or bound to a volume made beforehand: not ours to provide
  if (!claim || claim.body.metadata.deletionTimestamp || claim.phase === 'Lost' || claim.phase === 'Bound')
    return { moved: await advance(database, binding, operation, 'abandoned') };
  if (claim.class?.provisioner !== provisioner) return { moved: await rest(database, operation, 'class') };
  const held = notYet(claim);
  if (held) return { moved: await rest(database, operation, held) };
  const { storageClass } = fromManifest(claim.class);
  const node = claim.node ?? undefined;
  if (storageClass.binding === 'WaitForFirstConsumer' && !node)
    return { moved: await rest(database, operation, 'first-consumer') };
  if (isForeseen(claim)) return { moved: await rest(database, operation, 'beforehand') };

  const input = await factsFor(database, site, claim, storageClass);
  const started = performance.now();
  const decision = decide(input);
  const tookMicros = (performance.now() - started) * 1000;
  metrics.decisions.observe(tookMicros / 1e6);
  if (!decision.winner) return { refused: input, decision, tookMicros };

  const tuned = tunedClass(storageClass, input.claim.tuned);
  const { second, offsite } = decision;
  const kept = claim.planned?.pool === decision.winner ? claim.planned : undefined;
  const places = [
    placesOf(input, { pool: decision.winner, provisioned: decision.provisioned! }, tuned, node, kept?.disks),
    ...(second ? [placesOf(input, second, tuned)] : []),
    ...(offsite ? [placesOf(input, offsite, offsiteClass(tuned))] : []),
  ].flat();
  const further = [
    ...(second ? [furtherRecord(second, 'synchronous')] : []),
    ...(offsite ? [furtherRecord(offsite, 'asynchronous')] : []),
  ];
  const carved = decision.carved && {
    ...decision.carved,
    // ours and unique, so that a purchase whose answer was lost is found again
    id: decision.carved.instance ?? `moorage-${claim.uid.slice(0, 8)}`,
  };
  const moved = await first(
    reserveAll(
      database,
      claim.uid,
      tookMicros,
      JSON.stringify(decision),
      JSON.stringify({ ...reservationRecord(claim, tuned, decision), instance: carved?.id ?? null }),
      asRecords(places),
      asRecords(further),
      operation.id,
      operation.state,
      liveChannel,
      payloadsOf([{ topic: 'claims' }, { topic: 'pools' }, { topic: 'namespaces' }]),
      carved ? JSON.stringify({ pool_id: decision.winner, id: carved.id, bytes: carved.size }) : null,
    ),
  );
  // somebody ended it meanwhile: nothing is reserved then
  if (!moved) throw new MovedMeanwhile();
  if (claim.planned !== null) await placeTaken(database, claim);
  return { moved };
}
