import { plainClass, type StorageClass } from '../classes/storage-class';
import { defaultMarks } from '../capacity/thin';
import type { Pool } from '../pools/pool-state';
import { gibibytes, tebibytes } from '../sizes/bytes';
import type { ClaimRequest, Mooring, PlacementInput } from './request';

/** Made-up inputs that tests and benches vary. */
export const aClass = (part: Partial<StorageClass> = {}): StorageClass => ({
  ...plainClass,
  name: 'tide-fast',
  copies: 3,
  expansion: true,
  ...part,
});

export const aPool = (id: string, part: Partial<Pool> = {}): Pool => ({
  id,
  name: id,
  backend: 'basalt',
  reachable: true,
  healthy: true,
  takes: 'volumes',
  access: ['block'],
  sharedBlock: false,
  encryption: true,
  expansion: true,
  compression: false,
  deduplication: false,
  snapshots: true,
  offsite: false,
  zones: [],
  minimum: gibibytes(1),
  maximum: tebibytes(64),
  granule: gibibytes(1),
  redundancy: { kind: 'inner', survives: 2, usable: tebibytes(10) },
  subscribedRaw: 0,
  consumedRaw: 0,
  overcommit: 1,
  ...defaultMarks,
  taken: 0,
  iops: 100_000,
  promisedIops: 0,
  amplification: 1,
  throughput: 10e9,
  promisedThroughput: 0,
  largest: 0,
  ...part,
});

/** A software-defined pool over nodes of these sizes (GiB). */
export const aSpreadPool = (id: string, nodesGiB: readonly number[], part: Partial<Pool> = {}): Pool =>
  aPool(id, {
    backend: 'kelp',
    redundancy: {
      kind: 'spread',
      scheme: { kind: 'copies', copies: 3 },
      level: 'node',
      domains: nodesGiB.map((c, i) => ({ name: `quay-${i + 1}`, capacity: gibibytes(c), live: true })),
    },
    ...part,
  });

export const aClaim = (part: Partial<ClaimRequest> = {}): ClaimRequest => ({
  namespace: 'tide-gauges',
  size: gibibytes(80),
  modes: ['ReadWriteOnce'],
  volumeMode: 'Filesystem',
  ...part,
});

export const moored = (pool: string, order = 1, part: Partial<Mooring> = {}): Mooring => ({
  pool,
  order,
  enabled: true,
  weight: 1,
  ...part,
});

export function anInput(pools: readonly Pool[], part: Partial<Omit<PlacementInput, 'pools'>> = {}): PlacementInput {
  return {
    claim: part.claim ?? aClaim(),
    storageClass: part.storageClass ?? aClass(),
    moorings: part.moorings ?? pools.map((p, i) => moored(p.id, i + 1)),
    pools: new Map(pools.map((p) => [p.id, p])),
    quotas: part.quotas ?? [],
    ...(part.site !== undefined && { site: part.site }),
    ...(part.granted !== undefined && { granted: part.granted }),
    ...(part.planned !== undefined && { planned: part.planned }),
  };
}
