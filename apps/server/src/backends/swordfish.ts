import type { Disk, PoolFacts } from '@moorage/contract/backends';
import { setTimeout as pause } from 'node:timers/promises';
import {
  BackendProblem,
  type BackendConnector,
  type BackendView,
  type BackendVolume,
  type NewBackendVolume,
} from './connector';
import type { BackendHttp } from './http';
import {
  collectionSchema,
  defaultSizes,
  driveSchema,
  linkSchema,
  poolSchema,
  rootSchema,
  serviceClassSchema,
  storageSchema,
  taskSchema,
  volumeSchema,
  type DriveResource,
  type PoolResource,
  type VolumeResource,
} from './schemas';

const expand = '?$expand=.($levels=2)';
/** How long a volume may take to become ready before its making counts as failed. */
const readyWithinMs = 60_000;

const lastPart = (path: string): string => path.split('/').filter(Boolean).pop() ?? path;
const idOf = (link: { '@odata.id': string } | undefined): string => (link ? lastPart(link['@odata.id']) : '');
const isUp = (status: { State?: string; Health?: string } | undefined): boolean =>
  (status?.State ?? 'Enabled') === 'Enabled' && status?.Health !== 'Critical';

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
const raidFor = (copies: number): string => ['None', 'RAID1', 'RAID1Triple'][copies - 1] ?? 'RAID1Triple';

interface Paths {
  readonly pools: string;
  readonly volumes: string;
  readonly storage: string;
}

/** A backend that speaks the storage extension of Redfish. */
export class SwordfishConnector implements BackendConnector {
  private paths?: Paths;
  private readonly serviceClasses = new Set<string>();

  constructor(private readonly http: BackendHttp) {}

  private async find(): Promise<Paths> {
    if (this.paths) return this.paths;
    const root = await this.http.get('/redfish/v1', rootSchema);
    const { Members } = await this.http.get(root.Storage['@odata.id'], collectionSchema(linkSchema));
    const storage = Members[0]?.['@odata.id'];
    if (!storage) throw new BackendProblem('nonsense', 'the service lists no storage');
    const { StoragePools, Volumes } = await this.http.get(storage, storageSchema);
    return (this.paths = { storage, pools: StoragePools['@odata.id'], volumes: Volumes['@odata.id'] });
  }

  async fetchView(): Promise<BackendView> {
    const paths = await this.find();
    const [storage, pools, volumes] = await Promise.all([
      this.http.get(paths.storage, storageSchema),
      this.http.get(paths.pools + expand, collectionSchema(poolSchema)),
      this.http.get(paths.volumes + expand, collectionSchema(volumeSchema)),
    ]);
    const drives = await this.fetchDrives(storage.Drives.map((d) => d['@odata.id']));
    const shards = new Map(storage.Redundancy.flatMap((r) => r.RedundancySet.map((pool) => [idOf(pool), r] as const)));
    const read = await Promise.all(
      pools.Members.map(async (pool) => {
        const cls = pool.Links?.DefaultClassOfService;
        const offered = cls
          ? (await this.http.get(cls['@odata.id'], serviceClassSchema)).IOConnectivityLinesOfService[0]
          : undefined;
        const shard = shards.get(pool.Id);
        return {
          name: pool.Id,
          path: pool['@odata.id'],
          facts: poolFacts(
            pool,
            drives,
            offered,
            shard && { needed: shard.MinNumNeeded ?? 1, of: shard.MaxNumSupported ?? 1 },
          ),
        };
      }),
    );
    return { healthy: isUp(storage.Status), pools: read, volumes: volumes.Members.map((v) => this.volume(v, drives)) };
  }

  /** Drives by path, a node at a time. */
  private async fetchDrives(paths: readonly string[]): Promise<Map<string, DriveResource>> {
    const folders = [...new Set(paths.map((p) => p.slice(0, p.lastIndexOf('/'))))];
    const lists = await Promise.all(folders.map((f) => this.http.get(f + expand, collectionSchema(driveSchema))));
    return new Map(lists.flatMap((l) => l.Members).map((d) => [d['@odata.id'], d]));
  }

  private volume(v: VolumeResource, drives?: ReadonlyMap<string, DriveResource>): BackendVolume {
    return {
      id: v.Id,
      name: v.Name,
      pool: idOf(v.CapacitySources[0]?.ProvidingPools[0]),
      bytes: v.CapacityBytes,
      consumed: v.Capacity?.Data?.ConsumedBytes ?? v.Capacity?.Data?.AllocatedBytes ?? 0,
      ready: (v.Status?.State ?? 'Enabled') === 'Enabled',
      degraded: v.Status?.Health !== undefined && v.Status.Health !== 'OK',
      copies: v.ReplicaTargets.map((replica) => {
        const path = replica.Links?.Drives[0]?.['@odata.id'] ?? '';
        return {
          disk: lastPart(path),
          node: idOf(drives?.get(path)?.Links?.Chassis),
          state: replica.ReplicaInfo?.ReplicaState ?? 'Synchronized',
          percent: replica.ReplicaInfo?.PercentSynced ?? 100,
        };
      }),
    };
  }

  async findVolume(name: string): Promise<BackendVolume | undefined> {
    const { volumes } = await this.find();
    const deadline = performance.now() + readyWithinMs;
    for (let wait = 20; performance.now() < deadline; wait = Math.min(wait * 2, 1000)) {
      const { Members } = await this.http.get(
        `${volumes}?$filter=${encodeURIComponent(`Name eq '${name}'`)}&$expand=.($levels=2)`,
        collectionSchema(volumeSchema),
      );
      const found = Members.find((v) => v.Name === name);
      if (!found) return undefined;
      const volume = this.volume(found);
      if (volume.ready) return volume;
      await pause(wait);
    }
    throw new BackendProblem('timed-out', `volume ${name} is listed, and not ready after ${readyWithinMs / 1000} s`);
  }

  async createVolume(asked: NewBackendVolume): Promise<BackendVolume> {
    const { volumes } = await this.find();
    const serviceClass =
      asked.iopsCeiling === undefined ? undefined : await this.ensureServiceClass(asked.poolPath, asked.iopsCeiling);
    const { location, data } = await this.http.call('create volume', 'POST', volumes, {
      Name: asked.name,
      CapacityBytes: asked.bytes,
      ProvisioningPolicy: 'Thin',
      Encrypted: asked.encrypted,
      CapacitySources: [{ ProvidingPools: [{ '@odata.id': asked.poolPath }] }],
      ...(asked.disks.length > 0 && { RAIDType: raidFor(asked.copies) }),
      Links: {
        ...(asked.disks.length > 0 && {
          Drives: asked.disks.map((d) => ({ '@odata.id': `/redfish/v1/Chassis/${d.node}/Drives/${d.id}` })),
        }),
        ...(serviceClass && { ClassOfService: { '@odata.id': serviceClass } }),
      },
    });
    const direct = volumeSchema.safeParse(data);
    if (direct.success && (direct.data.Status?.State ?? 'Enabled') === 'Enabled') return this.volume(direct.data);
    if (location) await this.finish(location);
    const made = await this.findVolume(asked.name);
    if (!made)
      throw new BackendProblem('nonsense', `the backend says it made volume ${asked.name}, and does not list it`);
    return made;
  }

  /** Waits for a task. The pauses start short: making a thin volume usually takes a fraction of a second. */
  private async finish(path: string): Promise<void> {
    const deadline = performance.now() + readyWithinMs;
    for (let wait = 20; performance.now() < deadline; wait = Math.min(wait * 1.5, 2000)) {
      const task = await this.http.get(path, taskSchema);
      if (task.TaskState === 'Completed') return;
      if (/^(Exception|Killed|Cancelled)$/.test(task.TaskState))
        throw new BackendProblem(
          'refused',
          task.Messages?.map((m) => m.Message).join(' ') || `the task ended as ${task.TaskState}`,
        );
      await pause(wait);
    }
    throw new BackendProblem('timed-out', `task ${path} is not done after ${readyWithinMs / 1000} s`);
  }

  /** The class of service that enforces a ceiling, made when it is not there yet. */
  private async ensureServiceClass(poolPath: string, iops: number): Promise<string> {
    const pool = await this.http.get(poolPath, poolSchema);
    const offered = pool.Links?.DefaultClassOfService?.['@odata.id'];
    if (!offered)
      throw new BackendProblem(
        'refused',
        'the backend offers no classes of service, so an IOPS ceiling cannot be enforced on it',
      );
    const folder = offered.slice(0, offered.lastIndexOf('/'));
    const path = `${folder}/iops-${iops}`;
    if (this.serviceClasses.has(path)) return path;
    const { Members } = await this.http.get(folder, collectionSchema(linkSchema));
    if (!Members.some((m) => m['@odata.id'] === path))
      await this.http.call('create class of service', 'POST', folder, {
        Id: `iops-${iops}`,
        Name: `At most ${iops} IOPS`,
        IOConnectivityLinesOfService: [{ Name: 'Ceiling', MaxIOPS: iops }],
      });
    this.serviceClasses.add(path);
    return path;
  }

  async ensureVolumeDeleted(id: string): Promise<void> {
    const { volumes } = await this.find();
    try {
      await this.http.call('delete volume', 'DELETE', `${volumes}/${id}`);
    } catch (error) {
      if (!(error instanceof BackendProblem && error.code === 'not-found')) throw error;
    }
  }
}

/** What one pool can do, from the standard's resources alone. */
export function poolFacts(
  pool: PoolResource,
  drives: ReadonlyMap<string, DriveResource>,
  offered: { AccessProtocols: string[]; MaxIOPS?: number; MaxBytesPerSecond?: number } | undefined,
  shard: { needed: number; of: number } | undefined,
): PoolFacts {
  const protocols = offered?.AccessProtocols ?? [];
  const block = protocols.some((p) => blockProtocols.test(p));
  const file = protocols.some((p) => fileProtocols.test(p));
  const disks = pool.CapacitySources.flatMap((s) => s.ProvidingDrives)
    .map((l) => drives.get(l['@odata.id']))
    .filter((d): d is DriveResource => d !== undefined)
    .map((d): Disk => ({
      id: d.Id,
      node: idOf(d.Links?.Chassis),
      zone: d.PhysicalLocation?.Placement?.Row ?? '',
      rack: d.PhysicalLocation?.Placement?.Rack ?? '',
      media: d.MediaType,
      capacity: d.CapacityBytes,
      works: isUp(d.Status),
    }));
  const domains = [...new Set(disks.map((d) => d.node))].sort().map((name) => {
    const own = disks.filter((d) => d.node === name && d.works);
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
    zones: [],
    ...defaultSizes,
    redundancy: spread
      ? {
          kind: 'spread',
          scheme: shard
            ? { kind: 'erasure', data: shard.needed, parity: shard.of - shard.needed }
            : { kind: 'copies', copies: 3 },
          level: 'node',
          domains,
        }
      : {
          kind: 'inner',
          survives: Math.max(0, ...pool.SupportedRAIDTypes.map((t) => raidSurvives[t] ?? 0)),
          usable: pool.Capacity.Data.AllocatedBytes,
        },
    disks,
    consumedRaw: pool.Capacity.Data.ConsumedBytes,
    iops: offered?.MaxIOPS ?? 0,
    throughput: offered?.MaxBytesPerSecond ?? 0,
    amplification: 1,
  };
}
