import { plainClass, type StorageClass } from '../classes/storage-class';
import { defaultMarks } from '../capacity/thin';
import type { Pool } from '../pools/pool-state';
import { GiB, gibibytes, TiB, tebibytes } from '../sizes/bytes';
import type { ClaimRequest, Mooring, PlacementInput } from './request';
import type { RuleName } from './rule';

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
  protocols: ['iSCSI', 'NVMe/TCP'],
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
    ...(part.counts && { counts: part.counts }),
    ...(part.site !== undefined && { site: part.site }),
    ...(part.granted !== undefined && { granted: part.granted }),
    ...(part.planned !== undefined && { planned: part.planned }),
  };
}

/** A pool that another site reaches. */
export const rock = (part: Partial<Pool> = {}) => aPool('rock', { backend: 'limpet', sites: ['gull-rock'], ...part });

/** One input for each rule in which that rule alone fails: a rule without a row here fails the completeness test below. */
export const failing: Record<RuleName, () => PlacementInput> = {
  mooring: () => anInput([aPool('a')], { moorings: [moored('a', 1, { enabled: false })] }),
  grant: () => anInput([aPool('a')], { granted: false }),
  allowance: () => anInput([aPool('a')], { claim: aClaim({ tuned: { 'iops-floor': 500 } }) }),
  backend: () => anInput([aPool('a', { reachable: false })]),
  writable: () => anInput([aPool('a', { takes: 'nothing' })]),
  'access-mode': () => anInput([aPool('a')], { claim: aClaim({ modes: ['ReadWriteMany'] }) }),
  'volume-mode': () =>
    anInput([aPool('a', { access: ['file'] })], { claim: aClaim({ volumeMode: 'Block', modes: [] }) }),
  protocol: () => anInput([aPool('a')], { storageClass: aClass({ protocols: ['Fibre Channel', 'NFS'] }) }),
  encryption: () => anInput([aPool('a', { encryption: false })], { storageClass: aClass({ encrypted: true }) }),
  reduction: () => anInput([aPool('a', { compression: true })], { storageClass: aClass({ deduplication: true }) }),
  snapshots: () =>
    anInput([aPool('a', { snapshots: false })], { storageClass: aClass({ safeguard: { everyHours: 6, keep: 4 } }) }),
  offsite: () => anInput([aPool('a'), rock()], { site: 'quayside', storageClass: aClass({ offsite: true }) }),
  site: () => anInput([rock()], { site: 'quayside' }),
  expansion: () => anInput([aPool('a', { expansion: false })]),
  copies: () => anInput([aPool('a', { redundancy: { kind: 'inner', survives: 1, usable: tebibytes(10) } })]),
  'domain-level': () => anInput([aSpreadPool('k', [900, 900, 900])], { storageClass: aClass({ level: 'zone' }) }),
  witness: () => anInput([aSpreadPool('k', [900, 900])], { storageClass: aClass({ copies: 2, witness: true }) }),
  'pinned-nodes': () =>
    anInput([aSpreadPool('k', [900, 900, 900])], { storageClass: aClass({ pinnedNodes: ['quay-1', 'quay-9'] }) }),
  topology: () => anInput([aPool('a', { zones: ['north'] })], { claim: aClaim({ zone: 'south' }) }),
  'size-limit': () => anInput([aPool('a', { maximum: gibibytes(64) })]),
  fill: () => anInput([aPool('a', { consumedRaw: 9.5 * TiB })]),
  subscription: () => anInput([aPool('a', { subscribedRaw: 9.95 * TiB })]),
  'disk-room': () => {
    const pool = aSpreadPool('k', [900, 900, 900]);
    if (pool.redundancy.kind !== 'spread') throw new Error('a spread pool');
    const disks = pool.redundancy.domains.map((d) => ({
      id: `${d.name}-1`,
      node: d.name,
      domain: d.name,
      capacity: d.capacity,
      used: d.name === 'quay-3' ? d.capacity - 40 * GiB : 0,
      usable: true,
    }));
    return anInput([{ ...pool, redundancy: { ...pool.redundancy, disks } }]);
  },
  allotment: () => anInput([aPool('a', { allotment: 100 * GiB, taken: 60 * GiB })]),
  'backend-cap': () => anInput([aPool('a', { backendCap: { limit: 100 * GiB, taken: 60 * GiB } })]),
  iops: () =>
    anInput([aPool('a', { promisedIops: 69_900 })], {
      storageClass: aClass({ iopsFloor: { kind: 'per-gib', perGiB: 12 } }),
    }),
  throughput: () =>
    anInput([aPool('a', { promisedThroughput: 6.9e9 })], {
      storageClass: aClass({ throughputFloor: { kind: 'fixed', value: 200 } }),
    }),
  'second-copy': () => anInput([aPool('a'), aPool('b')], { storageClass: aClass({ secondCopy: true }) }),
  'offsite-copy': () =>
    anInput([aPool('a', { offsite: true })], { site: 'quayside', storageClass: aClass({ offsite: true }) }),
  'namespace-quota': () =>
    anInput([aPool('a')], { quotas: [{ scope: 'namespace', limit: 100 * GiB, used: 40 * GiB }] }),
  'class-quota': () => anInput([aPool('a')], { quotas: [{ scope: 'class', limit: 100 * GiB, used: 40 * GiB }] }),
  'claims-limit': () => anInput([aPool('a')], { counts: [{ scope: 'class', of: 'claims', limit: 5, used: 5 }] }),
  'iops-limit': () =>
    anInput([aPool('a')], {
      storageClass: aClass({ iopsFloor: { kind: 'fixed', value: 500 } }),
      counts: [{ scope: 'namespace', of: 'iops', limit: 1000, used: 600 }],
    }),
};
