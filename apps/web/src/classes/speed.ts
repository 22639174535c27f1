import type { StorageClass } from '@moorage/core/classes/storage-class';
import { predict, type Predicted } from '@moorage/core/performance/predict';
import { overhead } from '@moorage/core/performance/queueing';
import { rateFor, type RateTerm } from '@moorage/core/performance/term';
import { roomFor } from '@moorage/core/placement/decide';
import { ruleContext } from '@moorage/core/placement/rules';
import { copiesOffered, type Pool } from '@moorage/core/pools/pool';
import { bytes, gibibytes, TiB } from '@moorage/core/sizes/bytes';
import { sizeText } from '@moorage/core/sizes/display';
import { foolish, impossible, iopsText, megabytesText, plain, type Consequence } from './consequence';

const samples = [gibibytes(10), gibibytes(100), bytes(TiB)];

const exceeds = (floor?: RateTerm, ceiling?: RateTerm): boolean =>
  floor !== undefined && ceiling !== undefined && samples.some((s) => rateFor(floor, s) > rateFor(ceiling, s));

const atSamples = (term: RateTerm, unit: (value: number) => string): string =>
  samples.map((s) => `${unit(rateFor(term, s))} at ${sizeText(s)}`).join(', ');

/** How many claims of 100 GiB a pool can promise the floors of, and what stops it. */
function promisable(cls: StorageClass, pool: Pool) {
  const claim = { namespace: '', size: gibibytes(100), modes: [], volumeMode: 'Filesystem' as const };
  const input = { claim, storageClass: cls, moorings: [], pools: new Map([[pool.id, pool]]), quotas: [] };
  const context = ruleContext(input, pool, { pool: pool.id, enabled: true, order: 1, weight: 1 });
  return { ...roomFor(context), context };
}

/** Clients that the prediction is drawn for. */
export const mostClients = 64;

/** The pools that can keep the class, each with what is predicted of it there. */
export function predictions(cls: StorageClass, pools: readonly Pool[]): (Predicted & { name: string })[] {
  return pools
    .filter((p) => copiesOffered(p).most >= cls.copies && p.iops > 0)
    .map((p) => ({ ...predict(p, cls, mostClients), name: p.name }));
}

/** What a class gives, reserves and costs in speed. */
export function speed(cls: StorageClass, pools: readonly Pool[]): Consequence[] {
  const { iopsFloor, iopsCeiling, throughputFloor, throughputCeiling, latencyAimMs } = cls;
  const found: Consequence[] = [];
  if (!iopsFloor && !throughputFloor) found.push(plain('Nothing is reserved: a claim gets what others leave.'));
  if (iopsFloor) found.push(plain(`Reserved: ${atSamples(iopsFloor, iopsText)}.`));
  if (throughputFloor) found.push(plain(`Reserved: ${atSamples(throughputFloor, megabytesText)}.`));
  if (iopsCeiling) found.push(plain(`Let through at most: ${atSamples(iopsCeiling, iopsText)}.`));
  if (throughputCeiling) found.push(plain(`Let through at most: ${atSamples(throughputCeiling, megabytesText)}.`));
  if (exceeds(iopsFloor, iopsCeiling) || exceeds(throughputFloor, throughputCeiling))
    found.push(
      impossible('The floor is above the ceiling at some sizes: a pool cannot give more than it lets through.'),
    );
  const able = pools.filter((p) => copiesOffered(p).most >= cls.copies);
  if (iopsFloor || throughputFloor)
    for (const pool of able) {
      const { claims, stoppedBy, context } = promisable(cls, pool);
      const cost = iopsFloor
        ? `${iopsText(context.floor)} cost ${iopsText(context.backendIops)}`
        : `${megabytesText(context.throughputFloor)} cost ${megabytesText(context.backendThroughput / 1e6)}`;
      const stop = stoppedBy === 'iops' || stoppedBy === 'throughput' ? '' : ', then there is no more space';
      const text = `${pool.name}: ${cost} there; ${claims.toLocaleString('en-GB')} claims of 100 GiB can be promised it${stop}.`;
      found.push(claims === 0 ? foolish(text) : plain(text));
    }
  const eight = predictions(cls, pools).map((p) => ({ p, as: p.asIs[7]!, one: p.oneCopy[7]! }));
  for (const { p, as, one } of eight) {
    const lost = overhead(one.throughput, as.throughput);
    if (lost > 0.001)
      found.push(
        plain(`${p.name}: keeping the copies costs ${(lost * 100).toFixed(1)} % of the throughput of 8 clients.`),
      );
  }
  if (latencyAimMs !== undefined) {
    const late = eight.filter(({ as }) => as.responseMs > latencyAimMs);
    for (const { p, as } of late)
      found.push(
        foolish(
          `${p.name}: ${as.responseMs.toFixed(2)} ms predicted for 8 clients, above the aim of ${latencyAimMs} ms.`,
        ),
      );
    if (eight.length > 0 && late.length === 0)
      found.push(plain(`The aim of ${latencyAimMs} ms is met for 8 clients on every pool that can keep the class.`));
  }
  return found;
}
