import dayjs from 'dayjs';
import duration from 'dayjs/plugin/duration';
import { expand, idOf, isUp, lastPart } from './links';
import type { Disk, PoolFacts } from '@moorage/contract/backends';
import type { InventoryDisk } from '@moorage/core/clusters/disk';
import { bytes } from '@moorage/core/sizes/bytes';
import type { z } from 'zod';
import { BackendProblem, type BackendNode, type BackendView, type BackendVolume, type DiskAt } from './connector';
import type { BackendHttp } from './http';
import {
  chassisSchema,
  collectionSchema,
  defaultSizes,
  driveSchema,
  fileSystemSchema,
  poolSchema,
  rootSchema,
  serviceClassSchema,
  storageSchema,
  volumeCapabilitiesSchema,
  allocatedVolumesSchema,
  volumeSchema,
  type DriveResource,
  type PoolResource,
  type VolumeResource,
} from './schemas';
import type { InstancePaths, SwordfishInstances } from './swordfish-instances';
import type { SwordfishWays } from './swordfish-ways';

dayjs.extend(duration);

export interface Paths {
  readonly pools: string;
  readonly volumes: string;
  readonly storage: string;
}
type ServiceClass = z.infer<typeof serviceClassSchema>;
export type Sizes = Pick<PoolFacts, 'minimum' | 'maximum' | 'granule'>;

const fileProtocols = /^(NFS|SMB)/;
const blockProtocols = /^(iSCSI|FC|FCP|NVMe)/;

/** Failures that one of the standard's RAID types survives. */
const raidSurvives: Record<string, number> = {
  RAID1: 1,
  RAID5: 1,
  RAID10: 1,
  RAID6: 2,
  RAID60: 2,
  RAID1Triple: 2,
  RAID10Triple: 2,
};
const levels: Record<string, 'node' | 'rack' | 'zone'> = { Server: 'node', Rack: 'rack', Row: 'zone' };

/** Names of drives repeat from chassis to chassis; what lasts, or else both names together, tells them apart. */
export const driveId = (d: DriveResource): string =>
  d.Identifiers.find((i) => i.DurableName)?.DurableName ?? `${idOf(d.Links?.Chassis)}/${d.Id}`;

/** Paths of drives by their ids, as last seen. */
export class DrivePaths {
  private readonly known = new Map<string, string>();

  keep(drives: ReadonlyMap<string, DriveResource>): void {
    this.known.clear();
    for (const [path, drive] of drives) this.known.set(driveId(drive), path);
  }

  /** Before anything was seen, the usual place of a drive in its chassis. */
  of = ({ id, node }: DiskAt): { '@odata.id': string } => ({
    '@odata.id': this.known.get(id) ?? `/redfish/v1/Chassis/${node}/Drives/${id}`,
  });
}

type Ceiling = Pick<BackendVolume, 'iopsCeiling' | 'bytesPerSecondCeiling'>;

/** Reads everything that a backend says of itself. What never changes is read once. */
export class SwordfishView {
  private readonly sizes = new Map<string, Sizes>();
  private chassis?: string | 'none';

  constructor(
    private readonly http: BackendHttp,
    private readonly paths: Paths,
    private readonly drivePaths: DrivePaths,
    private readonly ways: SwordfishWays,
    private readonly instances: SwordfishInstances,
    private readonly instancePaths: InstancePaths,
  ) {}

  async fetch(): Promise<BackendView> {
    const { paths, http } = this;
    const [storage, pools, volumes, nodes, ways] = await Promise.all([
      http.get(paths.storage, storageSchema),
      http.get(paths.pools + expand, collectionSchema(poolSchema)),
      http.get(paths.volumes + expand, collectionSchema(volumeSchema)),
      this.fetchNodes(),
      this.ways.fetch(),
    ]);
    const drives = await this.fetchDrives(storage.Drives.map((d) => d['@odata.id']));
    this.drivePaths.keep(drives);
    const used = await this.ownUse(volumes.Members, storage.FileSystems?.['@odata.id']);
    const shards = new Map(storage.Redundancy.flatMap((r) => r.RedundancySet.map((pool) => [idOf(pool), r] as const)));
    const forVolumes = pools.Members.filter((p) => !(p.PoolType.length === 1 && p.PoolType[0] === 'Pool'));
    const read = await Promise.all(
      forVolumes.map(async (pool) => {
        const cls = pool.Links?.DefaultClassOfService;
        const offered = cls ? await http.get(cls['@odata.id'], serviceClassSchema) : undefined;
        const shard = shards.get(pool.Id);
        const scheme = shard && { needed: shard.MinNumNeeded ?? 1, of: shard.MaxNumSupported ?? 1 };
        const [sizes, instances] = await Promise.all([
          this.fetchSizes(pool),
          this.instances.fetch(pool, volumes.Members),
        ]);
        const facts = { ...poolFacts(pool, drives, offered, scheme, sizes), ...(instances && { instances }) };
        return { name: pool.Id, path: pool['@odata.id'], facts };
      }),
    );
    const ceilings = await this.fetchCeilings(pools.Members);
    const disks = [...drives.values()].map((d) => inventoryDisk(d, used));
    return {
      healthy: isUp(storage.Status),
      pools: read,
      volumes: volumes.Members.filter((v) => (v.CapacitySources[0]?.ProvidingPools.length ?? 0) > 0).map((v) =>
        volumeFrom(v, this.instancePaths, drives, ceilings),
      ),
      nodes: nodes.length > 0 ? nodes : nodesFrom(disks),
      disks,
      ways,
    };
  }

  /** What each class of service holds volumes to, by its path; those that pools offer by themselves say what the pool can do. */
  private async fetchCeilings(pools: readonly PoolResource[]): Promise<Map<string, Ceiling>> {
    const offered = pools.flatMap((p) => p.Links?.DefaultClassOfService?.['@odata.id'] ?? []);
    const folders = [...new Set(offered.map((path) => path.slice(0, path.lastIndexOf('/'))))];
    const lists = await Promise.all(
      folders.map((f) => this.http.get(f + expand, collectionSchema(serviceClassSchema))),
    );
    return new Map(
      lists
        .flatMap((l) => l.Members)
        .filter((c) => c['@odata.id'] !== undefined && !offered.includes(c['@odata.id']))
        .map((c) => {
          const { MaxIOPS, MaxBytesPerSecond } = c.IOConnectivityLinesOfService[0] ?? {};
          return [
            c['@odata.id']!,
            {
              ...(MaxIOPS !== undefined && { iopsCeiling: MaxIOPS }),
              ...(MaxBytesPerSecond !== undefined && { bytesPerSecondCeiling: MaxBytesPerSecond }),
            },
          ];
        }),
    );
  }

  /** Drives by path, a node at a time. */
  private async fetchDrives(paths: readonly string[]): Promise<Map<string, DriveResource>> {
    const folders = [...new Set(paths.map((p) => p.slice(0, p.lastIndexOf('/'))))];
    const lists = await Promise.all(folders.map((f) => this.http.get(f + expand, collectionSchema(driveSchema))));
    return new Map(lists.flatMap((l) => l.Members).map((d) => [d['@odata.id'], d]));
  }

  private async fetchNodes(): Promise<BackendNode[]> {
    this.chassis ??= (await this.http.get('/redfish/v1', rootSchema)).Chassis?.['@odata.id'] ?? 'none';
    if (this.chassis === 'none') return [];
    const { data } = await this.http.call('get', 'GET', this.chassis + expand);
    // a service that does not expand gives links only: the drives say where they are
    const listed = collectionSchema(chassisSchema).safeParse(data);
    if (!listed.success) return [];
    return listed.data.Members.map((c) => ({
      name: c.Id,
      zone: c.Location?.Placement?.Row ?? '',
      rack: c.Location?.Placement?.Rack ?? '',
      up: isUp(c.Status),
    }));
  }

  /** Drives that the nodes use themselves, by path: for their system, mounted, or with a partition on them. */
  private async ownUse(
    volumes: readonly VolumeResource[],
    fileSystems: string | undefined,
  ): Promise<ReadonlyMap<string, InventoryDisk['use']>> {
    const own = volumes.filter((v) => v.CapacitySources.some((s) => s.ProvidingDrives.length > 0));
    if (own.length === 0) return new Map();
    const mounted = new Set<string>();
    if (fileSystems)
      for (const system of (await this.http.get(fileSystems + expand, collectionSchema(fileSystemSchema))).Members)
        for (const source of system.CapacitySources)
          for (const volume of source.ProvidingVolumes) mounted.add(volume['@odata.id']);
    return new Map(
      own.flatMap((v) => {
        const system = v.VolumeUsage === 'SystemData' || v.VolumeUsage === 'SystemReserve';
        const use = system ? 'system' : mounted.has(v['@odata.id']) ? 'mounted' : 'partitioned';
        return v.CapacitySources.flatMap((s) => s.ProvidingDrives).map((d) => [d['@odata.id'], use] as const);
      }),
    );
  }

  /** The sizes of volume that a pool takes, from the capabilities of its collection. */
  private async fetchSizes(pool: PoolResource): Promise<Sizes> {
    const known = this.sizes.get(pool['@odata.id']);
    if (known) return known;
    let sizes: Sizes = defaultSizes;
    if (pool.AllocatedVolumes) {
      const collection = await this.http.get(pool.AllocatedVolumes['@odata.id'], allocatedVolumesSchema);
      const offered = collection['@Redfish.CollectionCapabilities']?.Capabilities.find(
        (c) => c.UseCase === 'VolumeCreation',
      );
      if (offered) {
        const said = await this.http.get(offered.CapabilitiesObject['@odata.id'], volumeCapabilitiesSchema);
        sizes = numbersFrom(said['CapacityBytes@Redfish.AllowableNumbers']) ?? defaultSizes;
      }
    }
    this.sizes.set(pool['@odata.id'], sizes);
    return sizes;
  }
}

/** "minimum:maximum:step" as the standard writes allowable numbers; undefined when it is not so. */
export function numbersFrom(allowable: readonly string[] | undefined, of = 'volumes'): Sizes | undefined {
  const parts = (allowable?.[0] ?? '').split(':').map(Number);
  if (parts.length !== 3 || !parts.every((n) => Number.isSafeInteger(n) && n > 0)) return undefined;
  const [minimum, maximum, granule] = parts as [number, number, number];
  if (maximum < minimum) throw new BackendProblem('nonsense', `${of} from ${minimum} to ${maximum} bytes`);
  return { minimum, maximum, granule };
}

const nodesFrom = (disks: readonly InventoryDisk[]): BackendNode[] =>
  [...new Map(disks.map((d) => [d.node, d])).values()].map((d) => ({
    name: d.node,
    zone: d.zone,
    rack: d.rack,
    up: true,
  }));

function inventoryDisk(d: DriveResource, used: ReadonlyMap<string, InventoryDisk['use']>): InventoryDisk {
  const owner = idOf(d.Links?.StoragePools[0]);
  const lasting = d.Identifiers.find((i) => i.DurableName)?.DurableName;
  return {
    id: driveId(d),
    lasting: lasting !== undefined && lasting !== null,
    node: idOf(d.Links?.Chassis),
    zone: d.PhysicalLocation?.Placement?.Row ?? '',
    rack: d.PhysicalLocation?.Placement?.Rack ?? '',
    media: d.MediaType,
    capacity: bytes(d.CapacityBytes),
    works: isUp(d.Status),
    failing: d.FailurePredicted ?? false,
    lifeLeft: Math.round(d.PredictedMediaLifeLeftPercent ?? 100),
    use: owner ? 'owned' : (used.get(d['@odata.id']) ?? 'free'),
    ...(owner && { owner }),
  };
}

const lasting = (text: string | undefined): number => {
  const ms = text === undefined ? 0 : dayjs.duration(text).asMilliseconds();
  return Number.isFinite(ms) && ms > 0 ? ms : 0;
};

/** Operations that a cache answered are operations like others. */
const countedOf = (io: NonNullable<VolumeResource['IOStatistics']>): NonNullable<BackendVolume['counted']> => ({
  operations: io.ReadIORequests + io.ReadHitIORequests + io.WriteIORequests + io.WriteHitIORequests,
  bytes: (io.ReadIOKiBytes + io.WriteIOKiBytes) * 1024,
  busyMs: lasting(io.ReadIORequestTime) + lasting(io.WriteIORequestTime),
});

export function volumeFrom(
  v: VolumeResource,
  instances: InstancePaths,
  drives?: ReadonlyMap<string, DriveResource>,
  ceilings?: ReadonlyMap<string, Ceiling>,
): BackendVolume {
  return {
    ...(v.Encrypted !== undefined && { encrypted: v.Encrypted }),
    ...ceilings?.get(v.Links?.ClassOfService?.['@odata.id'] ?? ''),
    id: v.Id,
    name: v.Name,
    pool: idOf(v.CapacitySources[0]?.ProvidingPools[0]),
    ...instances.at(v.CapacitySources[0]?.ProvidingPools[0]?.['@odata.id']),
    bytes: v.CapacityBytes,
    consumed: v.Capacity?.Data?.ConsumedBytes ?? v.Capacity?.Data?.AllocatedBytes ?? 0,
    ...(v.IOStatistics && { counted: countedOf(v.IOStatistics) }),
    ready: (v.Status?.State ?? 'Enabled') === 'Enabled',
    degraded: v.Status?.Health !== undefined && v.Status.Health !== 'OK',
    offline: /^(UnavailableOffline|Absent|Disabled)$/.test(v.Status?.State ?? ''),
    // volumes of other backends that are written at the same time are no copies of this one's
    copies: v.ReplicaTargets.filter((r) => !r['@odata.id']?.startsWith('urn:')).map((replica) => {
      const path = replica.Links?.Drives[0]?.['@odata.id'] ?? '';
      const drive = drives?.get(path);
      return {
        disk: drive ? driveId(drive) : lastPart(path),
        node: idOf(drive?.Links?.Chassis),
        state: replica.ReplicaInfo?.ReplicaState ?? 'Synchronized',
        percent: replica.ReplicaInfo?.PercentSynced ?? 100,
      };
    }),
  };
}

/** What one pool can do, from the standard's resources alone. */
export function poolFacts(
  pool: PoolResource,
  drives: ReadonlyMap<string, DriveResource>,
  offered: ServiceClass | undefined,
  shard: { needed: number; of: number } | undefined,
  sizes: Sizes = defaultSizes,
): PoolFacts {
  const connectivity = offered?.IOConnectivityLinesOfService[0];
  const protocols = connectivity?.AccessProtocols ?? [];
  const protections = offered?.DataProtectionLinesOfService ?? [];
  const scope = protections.find((p) => p.ReplicaType === 'Mirror' && p.RecoveryGeographicObjective! in levels);
  const level = levels[scope?.RecoveryGeographicObjective ?? 'Server']!;
  const access = offered?.DataStorageLinesOfService[0]?.AccessCapabilities;
  const block = protocols.some((p) => blockProtocols.test(p));
  const file = protocols.some((p) => fileProtocols.test(p));
  const disks = pool.CapacitySources.flatMap((s) => s.ProvidingDrives)
    .map((l) => drives.get(l['@odata.id']))
    .filter((d): d is DriveResource => d !== undefined)
    .map((d): Disk => ({
      id: driveId(d),
      node: idOf(d.Links?.Chassis),
      zone: d.PhysicalLocation?.Placement?.Row ?? '',
      rack: d.PhysicalLocation?.Placement?.Rack ?? '',
      media: d.MediaType,
      capacity: d.CapacityBytes,
      works: isUp(d.Status),
    }));
  const domains = [...new Set(disks.map((d) => d[level]))].sort().map((name) => {
    const own = disks.filter((d) => d[level] === name && d.works);
    return { name, capacity: own.reduce((sum, d) => sum + d.capacity, 0), live: own.length > 0 };
  });
  const replicated = pool.SupportedRAIDTypes.some((t) => t === 'RAID1' || t === 'RAID1Triple');
  const spread = disks.length > 0 && (replicated || shard !== undefined);
  return {
    protocols,
    access: [...(block ? (['block'] as const) : []), ...(file ? (['file'] as const) : [])],
    // a namespace of NVMe over fabrics may be attached by several hosts
    sharedBlock: protocols.some((p) => p.startsWith('NVMeOverFabrics')),
    encryption: pool.Encrypted,
    expansion: pool.SupportedProvisioningPolicies.includes('Thin'),
    snapshots: protections.some((p) => p.ReplicaType === 'Snapshot'),
    clones: protections.some((p) => p.ReplicaType === 'Clone'),
    offsite: protections.some((p) => p.RecoveryGeographicObjective === 'Datacenter'),
    compression: pool.CompressionEnabled,
    deduplication: pool.DeduplicationEnabled,
    busy: pool.Status?.State === 'Updating',
    readOnly: access !== undefined && !access.includes('Write'),
    zones: [],
    ...sizes,
    redundancy: spread
      ? {
          kind: 'spread',
          scheme: shard
            ? { kind: 'erasure', data: shard.needed, parity: shard.of - shard.needed }
            : { kind: 'copies', copies: pool.SupportedRAIDTypes.includes('RAID1Triple') ? 3 : 2 },
          level,
          domains,
        }
      : {
          kind: 'inner',
          survives: Math.max(0, ...pool.SupportedRAIDTypes.map((t) => raidSurvives[t] ?? 0)),
          usable: pool.Capacity.Data.AllocatedBytes,
        },
    disks,
    consumedRaw: pool.Capacity.Data.ConsumedBytes,
    iops: connectivity?.MaxIOPS ?? 0,
    throughput: connectivity?.MaxBytesPerSecond ?? 0,
    amplification: 1,
  };
}
