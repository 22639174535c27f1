import type { StorageClass } from '../classes/storage-class';
import { copiesOn, writeCost } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { backendRate } from './term';
import { meanValues, type Population, type Station } from './queueing';

/** What the prediction assumes where nobody measured; said on the screen beside it. */
export const assumed = {
  /** Between two nodes of one site, there and back. */
  roundTripMs: 0.2,
  /** What a client does between two requests. */
  thinkMs: 2,
  /** Devices that share a pool's load, where it does not tell of its disks. */
  devices: 12,
} as const;

const mostStations = 12;

/**
 * The pool as a network of stations for one request of a class. The pool's rate is shared evenly by its devices, each a queueing
 * station; a write visits as many of them as it costs operations (`R + c·a·W`, docs/calculations.md, Rates), and with more than one copy it waits for
 * the slowest copy's round trip.
 */
export function stationsOf(pool: Pool, cls: StorageClass, copies: number): Station[] {
  const told = pool.redundancy.kind === 'spread' ? (pool.redundancy.disks?.length ?? 0) : 0;
  const devices = Math.max(1, Math.min(mostStations, told || assumed.devices));
  const operations = backendRate(1, writeCost(pool, copies), pool.amplification, cls.writeShare);
  // a device does iops/devices a second and is visited by operations/devices of them: the devices cancel out
  const demandMs = pool.iops > 0 ? (1000 * operations) / pool.iops : 0;
  const stations: Station[] = Array.from({ length: devices }, (_, i) => ({
    name: `device ${i + 1}`,
    kind: 'queue',
    demandMs,
  }));
  if (copies > 1) stations.push({ name: 'copies', kind: 'delay', demandMs: cls.writeShare * assumed.roundTripMs });
  return stations;
}

export interface Predicted {
  readonly pool: string;
  /** For 1 to N clients: the class as it is, and the same class with one copy. */
  readonly asIs: readonly Population[];
  readonly oneCopy: readonly Population[];
}

/** Predicted throughput and latency of a class on a pool, beside the same class with one copy. */
export function predict(pool: Pool, cls: StorageClass, clients: number): Predicted {
  const of = (copies: number) => meanValues(stationsOf(pool, cls, copies), clients, assumed.thinkMs);
  const copies = copiesOn(pool, cls.copies);
  const asIs = of(copies);
  return { pool: pool.id, asIs, oneCopy: copies === 1 ? asIs : of(1) };
}
