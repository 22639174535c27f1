import type { StorageClass } from '@moorage/core/classes/storage-class';
import { predict, type Predicted } from '@moorage/core/performance/predict';
import { overhead } from '@moorage/core/performance/queueing';
import { rateFor, type RateTerm } from '@moorage/core/performance/term';
import { roomFor } from '@moorage/core/placement/decide';
import { ruleContext } from '@moorage/core/placement/rules';
import { copiesOffered } from '@moorage/core/pools/pool';
import type { Pool } from '@moorage/core/pools/pool-state';
import { gibibytes } from '@moorage/core/sizes/bytes';
import { sizeText } from '@moorage/core/sizes/display';
import { foolish, impossible, iopsText, megabytesText, names, plain, type Consequence } from './consequence';
import { samples } from './pool-lines';

const exceeds = (floor?: RateTerm, ceiling?: RateTerm): boolean =>
  floor !== undefined && ceiling !== undefined && samples.some((s) => rateFor(floor, s) > rateFor(ceiling, s));

const atSamples = (term: RateTerm, unit: (value: number) => string): string =>
  samples.map((s) => `${unit(rateFor(term, s))} at ${sizeText(s)}`).join(', ');

/** How many claims of 100 GiB a pool can promise the floors of. */
function promisable(cls: StorageClass, pool: Pool): number {
  const claim = { namespace: '', size: gibibytes(100), modes: [], volumeMode: 'Filesystem' as const };
  const input = { claim, storageClass: cls, moorings: [], pools: new Map([[pool.id, pool]]), quotas: [] };
  return roomFor(ruleContext(input, pool, { pool: pool.id, enabled: true, order: 1, weight: 1 })).claims;
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
  if (iopsFloor || throughputFloor) {
    const full = able.filter((pool) => promisable(cls, pool) === 0);
    if (full.length > 0)
      found.push(foolish(`No further claim of 100 GiB can be promised these floors on ${names(full)}.`));
  }
  const eight = predictions(cls, pools).map((p) => ({ p, as: p.asIs[7]!, one: p.oneCopy[7]! }));
  const costs = eight.flatMap(({ p, as, one }) => {
    const lost = overhead(one.throughput, as.throughput);
    return lost > 0.001 ? [`${(lost * 100).toFixed(1)} % on ${p.name}`] : [];
  });
  if (costs.length > 0)
    found.push(plain(`Keeping the copies costs, of the throughput of 8 clients: ${costs.join(', ')}.`));
  if (latencyAimMs !== undefined) {
    const late = eight.filter(({ as }) => as.responseMs > latencyAimMs);
    if (late.length > 0)
      found.push(
        foolish(
          `Above the aim of ${latencyAimMs} ms for 8 clients: ${late.map(({ p, as }) => `${as.responseMs.toFixed(2)} ms on ${p.name}`).join(', ')}.`,
        ),
      );
    if (eight.length > 0 && late.length === 0)
      found.push(plain(`The aim of ${latencyAimMs} ms is met for 8 clients on every pool that can keep the class.`));
  }
  return found;
}
