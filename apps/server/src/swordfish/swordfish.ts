import type { RootOnNodes } from '@moorage/core/classes/storage-class';
import { setTimeout as pause } from 'node:timers/promises';
import {
  BackendProblem,
  type BackendConnector,
  type BackendView,
  type BackendVolume,
  type DiskAt,
  type GrownVolume,
  type MirrorTarget,
  type NewBackendVolume,
  type NewPool,
  type WantedInstance,
} from './connector';
import type { BackendHttp } from './http';
import {
  accountServiceSchema,
  collectionSchema,
  linkSchema,
  poolSchema,
  roleSchema,
  rootSchema,
  sessionSchema,
  storageSchema,
  taskSchema,
  volumeSchema,
} from './schemas';
import { SwordfishCluster } from './swordfish-cluster';
import { DrivePaths, SwordfishView, volumeFrom, type Paths } from './swordfish-view';
import { InstancePaths, SwordfishInstances } from './swordfish-instances';
import { SwordfishObjects } from './swordfish-objects';
import { SwordfishShares } from './swordfish-shares';
import { SwordfishWays } from './swordfish-ways';

/** How long a volume may take to become ready before its making counts as failed. */
const readyWithinMs = 60_000;

const raidFor = (copies: number): string => ['None', 'RAID1', 'RAID1Triple'][copies - 1] ?? 'RAID1Triple';

/** A backend that speaks the storage extension of Redfish. */
export class SwordfishConnector implements BackendConnector {
  private paths?: Paths;
  private view?: SwordfishView;
  private identity?: string;
  private made?: SwordfishCluster;
  private readonly drivePaths = new DrivePaths();
  private readonly instancePaths = new InstancePaths();
  private readonly serviceClasses = new Set<string>();

  private readonly ways: SwordfishWays;
  private readonly instances: SwordfishInstances;
  private readonly shares: SwordfishShares;
  readonly objects: SwordfishObjects;

  constructor(private readonly http: BackendHttp) {
    this.ways = new SwordfishWays(http);
    this.instances = new SwordfishInstances(http, this.instancePaths);
    this.shares = new SwordfishShares(http, async () => (await this.find()).storage);
    this.objects = new SwordfishObjects(http, this.ways);
  }

  private async find(): Promise<Paths> {
    if (this.paths) return this.paths;
    const root = await this.http.get('/redfish/v1', rootSchema);
    this.identity = root.UUID;
    const { Members } = await this.http.get(root.Storage['@odata.id'], collectionSchema(linkSchema));
    const storage = Members[0]?.['@odata.id'];
    if (!storage) throw new BackendProblem('nonsense', 'the service lists no storage');
    const { StoragePools, Volumes } = await this.http.get(storage, storageSchema);
    return (this.paths = { storage, pools: StoragePools['@odata.id'], volumes: Volumes['@odata.id'] });
  }

  async fetchView(): Promise<BackendView> {
    const paths = await this.find();
    this.view ??= new SwordfishView(this.http, paths, this.drivePaths, this.ways, this.instances, this.instancePaths);
    return { ...(await this.view.fetch()), ...(this.identity !== undefined && { identity: this.identity }) };
  }

  /** Whether the account may change things; true where the service tells nothing of rights. */
  async mayChange(): Promise<boolean> {
    const path = await this.http.openSession();
    const { AccountService } = await this.http.get('/redfish/v1', rootSchema);
    if (!path || !AccountService) return true;
    const { Roles } = await this.http.get(path, sessionSchema);
    const { Roles: roles } = await this.http.get(AccountService['@odata.id'], accountServiceSchema);
    if (!Roles || Roles.length === 0 || !roles) return true;
    const held = await Promise.all(Roles.map((r) => this.http.get(`${roles['@odata.id']}/${r}`, roleSchema)));
    return held.some((r) => r.AssignedPrivileges.length === 0 || r.AssignedPrivileges.includes('ConfigureComponents'));
  }

  // the cluster's own disks and pools

  private get cluster(): Promise<SwordfishCluster> {
    return this.find().then((paths) => (this.made ??= new SwordfishCluster(this.http, paths, this.drivePaths)));
  }
  ensurePool = async (pool: NewPool): Promise<void> => (await this.cluster).ensurePool(pool);
  addDisks = async (pool: string, disks: readonly DiskAt[]): Promise<void> =>
    (await this.cluster).addDisks(pool, disks);
  removeDisks = async (pool: string, disks: readonly DiskAt[]): Promise<void> =>
    (await this.cluster).removeDisks(pool, disks);
  ensurePoolDeleted = async (pool: string): Promise<void> => (await this.cluster).ensurePoolDeleted(pool);
  fetchLoad = async (pools: readonly string[]) => (await this.cluster).fetchLoad(pools);
  fetchVolumeReports = async () => (await this.cluster).fetchVolumeReports();
  fetchVolumeReport = async (name: string) => (await this.cluster).fetchVolumeReport(name);
  fetchEvents = async () => (await this.cluster).fetchEvents();
  fetchClients = async () => (await this.ways.fetch()).clients;
  ensureClient = (address: string): Promise<void> => this.ways.ensureClient(address);
  ensureClientGone = (address: string): Promise<void> => this.ways.ensureClientGone(address);
  close = async (): Promise<void> => {
    await this.objects.close();
    await this.http.close();
  };

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
      const volume = volumeFrom(found, this.instancePaths);
      if (volume.ready) return volume;
      await pause(wait);
    }
    throw new BackendProblem('timed-out', `volume ${name} is listed, and not ready after ${readyWithinMs / 1000} s`);
  }

  async createVolume(asked: NewBackendVolume): Promise<BackendVolume> {
    const { volumes } = await this.find();
    const serviceClass = await this.classFor(asked);
    const { location, data } = await this.http.call('create volume', 'POST', volumes, {
      Name: asked.name,
      ...(asked.shownAs !== undefined && { DisplayName: asked.shownAs }),
      CapacityBytes: asked.bytes,
      ProvisioningPolicy: 'Thin',
      Encrypted: asked.encrypted,
      ...(asked.compressed && { Compressed: true }),
      ...(asked.deduplicated && { Deduplicated: true }),
      CapacitySources: [{ ProvidingPools: [{ '@odata.id': asked.poolPath }] }],
      ...(asked.disks.length > 0 && { RAIDType: raidFor(asked.copies) }),
      Links: {
        ...(asked.disks.length > 0 && {
          Drives: asked.disks.map(this.drivePaths.of),
        }),
        ...(serviceClass && { ClassOfService: { '@odata.id': serviceClass } }),
      },
    });
    const direct = volumeSchema.safeParse(data);
    if (direct.success && (direct.data.Status?.State ?? 'Enabled') === 'Enabled')
      return volumeFrom(direct.data, this.instancePaths);
    if (location) await this.finish(location);
    const made = await this.findVolume(asked.name);
    if (!made)
      throw new BackendProblem('nonsense', `the backend says it made volume ${asked.name}, and does not list it`);
    return made;
  }

  async ensureGrown(asked: GrownVolume): Promise<number> {
    const { volumes } = await this.find();
    const path = `${volumes}/${asked.id}`;
    const { CapacityBytes } = await this.http.get(path, volumeSchema);
    const serviceClass = (await this.classFor(asked)) ?? (asked.lift && (await this.offeredBy(asked.poolPath)));
    if (CapacityBytes >= asked.bytes && !serviceClass) return CapacityBytes;
    const { location } = await this.http.call('grow volume', 'PATCH', path, {
      ...(CapacityBytes < asked.bytes && { CapacityBytes: asked.bytes }),
      ...(serviceClass && { Links: { ClassOfService: { '@odata.id': serviceClass } } }),
    });
    if (location) await this.finish(location);
    const grown = await this.http.get(path, volumeSchema);
    if (grown.CapacityBytes < asked.bytes)
      throw new BackendProblem(
        'nonsense',
        `the backend took the new size of volume ${asked.id}, and tells of ${grown.CapacityBytes} bytes`,
      );
    return grown.CapacityBytes;
  }

  /** The class of service of a pool itself; undefined where it offers none, and no ceiling was ever set there. */
  private async offeredBy(poolPath: string): Promise<string | undefined> {
    const pool = await this.http.get(poolPath, poolSchema);
    return pool.Links?.DefaultClassOfService?.['@odata.id'];
  }

  /** The class of service that holds a volume to its ceilings; undefined where it has none. */
  private async classFor({
    poolPath,
    iopsCeiling: iops,
    bytesPerSecondCeiling: bytesPerSecond,
  }: Pick<GrownVolume, 'poolPath' | 'iopsCeiling' | 'bytesPerSecondCeiling'>): Promise<string | undefined> {
    if (iops === undefined && bytesPerSecond === undefined) return undefined;
    return this.ensureServiceClass(poolPath, { iops, bytesPerSecond });
  }

  async ensureCopy(name: string, disk: DiskAt): Promise<number> {
    const volume = await this.known(name);
    if (volume.copies.some((c) => c.disk === disk.id)) return volume.copies.length;
    return this.layOut(volume, [...volume.copies.map((c) => ({ id: c.disk, node: c.node })), disk]);
  }

  async ensureCopyGone(name: string, disk: string): Promise<number> {
    const volume = await this.known(name);
    const others = volume.copies.filter((c) => c.disk !== disk);
    if (others.length === volume.copies.length) return others.length;
    if (!others.some((c) => c.state === 'Synchronized'))
      throw new BackendProblem('refused', `no copy of ${name} would be whole without the one on ${disk}`);
    return this.layOut(
      volume,
      others.map((c) => ({ id: c.disk, node: c.node })),
    );
  }

  private async known(name: string): Promise<BackendVolume> {
    const volume = await this.findVolume(name);
    if (!volume) throw new BackendProblem('not-found', `the backend lists no volume ${name}`);
    return volume;
  }

  private async layOut({ id }: BackendVolume, disks: readonly DiskAt[]): Promise<number> {
    const { volumes } = await this.find();
    await this.http.call('change copies', 'POST', `${volumes}/${id}/Actions/Volume.ChangeRAIDLayout`, {
      Drives: disks.map(this.drivePaths.of),
      RAIDType: raidFor(disks.length),
    });
    return disks.length;
  }

  findShare = (volume: string) => this.shares.find(volume);
  ensureRoot = (volume: string, root: RootOnNodes) => this.shares.ensureRoot(volume, root);

  ensureInstance = (wanted: WantedInstance) => this.instances.ensure(wanted);
  ensureInstanceGone = (poolPath: string, name: string) => this.instances.ensureGone(poolPath, name);

  async ensureMoved(name: string, instancePath: string): Promise<number> {
    const { id } = await this.known(name);
    return this.instances.move(`${(await this.find()).volumes}/${id}`, instancePath);
  }

  async ensureMirrored(volumeId: string, onto: MirrorTarget): Promise<void> {
    const { volumes } = await this.find();
    const target = `urn:vast-moorage:${onto.backend}:${onto.volume}`;
    const volume = await this.http.get(`${volumes}/${volumeId}`, volumeSchema);
    if (volume.ReplicaTargets.some((r) => r['@odata.id'] === target)) return;
    await this.http.call('mirror volume', 'POST', `${volumes}/${volumeId}/Actions/Volume.AssignReplicaTarget`, {
      ReplicaType: 'Mirror',
      ReplicaUpdateMode: onto.mode === 'synchronous' ? 'Synchronous' : 'Asynchronous',
      TargetVolume: target,
    });
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
  private async ensureServiceClass(
    poolPath: string,
    ceiling: { readonly iops?: number; readonly bytesPerSecond?: number },
  ): Promise<string> {
    const pool = await this.http.get(poolPath, poolSchema);
    const offered = pool.Links?.DefaultClassOfService?.['@odata.id'];
    if (!offered)
      throw new BackendProblem(
        'refused',
        'the backend offers no classes of service, so a ceiling cannot be enforced on it',
      );
    const folder = offered.slice(0, offered.lastIndexOf('/'));
    const { iops, bytesPerSecond } = ceiling;
    const id = [iops !== undefined && `iops-${iops}`, bytesPerSecond !== undefined && `bytes-${bytesPerSecond}`]
      .filter(Boolean)
      .join('-');
    const path = `${folder}/${id}`;
    if (this.serviceClasses.has(path)) return path;
    const { Members } = await this.http.get(folder, collectionSchema(linkSchema));
    if (!Members.some((m) => m['@odata.id'] === path))
      await this.http.call('create class of service', 'POST', folder, {
        Id: id,
        Name: `At most ${id}`,
        IOConnectivityLinesOfService: [
          {
            Name: 'Ceiling',
            ...(iops !== undefined && { MaxIOPS: iops }),
            ...(bytesPerSecond !== undefined && { MaxBytesPerSecond: bytesPerSecond }),
          },
        ],
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
