import type { Backend, Copy, DriveSeed, PoolSeed, ServiceClass, Task, Volume } from './model';

export const root = '/redfish/v1';
export const link = (path: string) => ({ '@odata.id': path });

/** Paths of the resources of one backend. */
function paths(id: string) {
  const storage = `${root}/Storage/${id}`;
  return {
    storage,
    pools: `${storage}/StoragePools`,
    pool: (p: string) => `${storage}/StoragePools/${p}`,
    volumes: `${storage}/Volumes`,
    volume: (v: string) => `${storage}/Volumes/${v}`,
    copy: (v: string, n: number) => `${storage}/Volumes/${v}/Replicas/${n}`,
    chassis: (n: string) => `${root}/Chassis/${n}`,
    drive: (d: DriveSeed) => `${root}/Chassis/${d.node}/Drives/${d.id}`,
    classes: `${root}/StorageServices/${id}/ClassesOfService`,
    serviceClass: (c: string) => `${root}/StorageServices/${id}/ClassesOfService/${c}`,
    task: (t: string) => `${root}/TaskService/Tasks/${t}`,
  };
}

export const collection = (type: string, path: string, name: string, members: unknown[]) => ({
  '@odata.id': path,
  '@odata.type': `#${type}Collection.${type}Collection`,
  Name: name,
  'Members@odata.count': members.length,
  Members: members,
});

export class Views {
  readonly at: ReturnType<typeof paths>;
  constructor(private readonly backend: Backend) {
    this.at = paths(backend.seed.id);
  }

  copy(volume: Volume, copy: Copy, index: number) {
    const percent = volume.consumed > 0 ? Math.round(100 * (1 - copy.left / volume.consumed)) : 100;
    return {
      ...link(this.at.copy(volume.id, index)),
      '@odata.type': '#Volume.v1_10_0.Volume',
      Id: String(index),
      Name: `${volume.name} copy ${index}`,
      CapacityBytes: volume.capacity,
      Status: {
        State: copy.state === 'Failed' ? 'UnavailableOffline' : 'Enabled',
        Health: copy.state === 'Synchronized' ? 'OK' : 'Warning',
      },
      ReplicaInfo: {
        ReplicaRole: 'Target',
        ReplicaType: 'Mirror',
        ReplicaState: copy.state,
        PercentSynced: copy.state === 'Synchronized' ? 100 : percent,
      },
      Links: { Drives: [link(this.at.drive(this.backend.drive(copy.drive)))] },
    };
  }

  volume(volume: Volume, expand: 'replicas' | 'links') {
    const degraded = volume.copies.some((c) => c.state !== 'Synchronized');
    return {
      ...link(this.at.volume(volume.id)),
      '@odata.type': '#Volume.v1_10_0.Volume',
      Id: volume.id,
      Name: volume.name,
      DisplayName: volume.name,
      Identifiers: [{ DurableNameFormat: 'UUID', DurableName: volume.id }],
      CapacityBytes: volume.capacity,
      Capacity: {
        Data: { ProvisionedBytes: volume.capacity, AllocatedBytes: volume.consumed, ConsumedBytes: volume.consumed },
      },
      RAIDType: volume.raidType,
      ProvisioningPolicy: 'Thin',
      Encrypted: volume.encrypted,
      Status: { State: volume.state, Health: degraded ? 'Warning' : 'OK' },
      CapacitySources: [
        {
          ...link(`${this.at.volume(volume.id)}/CapacitySources/1`),
          Id: '1',
          Name: 'Source',
          ProvidingPools: [link(this.at.pool(volume.pool))],
        },
      ],
      ReplicaTargets: volume.copies.map((copy, i) =>
        expand === 'replicas' ? this.copy(volume, copy, i) : link(this.at.copy(volume.id, i)),
      ),
      Links: {
        Drives: volume.copies.map((c) => link(this.at.drive(this.backend.drive(c.drive)))),
        ...(volume.serviceClass && { ClassOfService: link(this.at.serviceClass(volume.serviceClass)) }),
      },
    };
  }

  pool(pool: PoolSeed) {
    const { allocated, provisioned, consumed } = this.backend.figures(pool);
    const path = this.at.pool(pool.id);
    const { encrypts } = pool;
    return {
      ...link(path),
      '@odata.type': '#StoragePool.v1_9_0.StoragePool',
      Id: pool.id,
      Name: pool.id,
      PoolType: ['Block'],
      Capacity: { Data: { AllocatedBytes: allocated, ProvisionedBytes: provisioned, ConsumedBytes: consumed } },
      RemainingCapacityPercent: Math.round(100 * (1 - consumed / allocated)),
      SupportedRAIDTypes: pool.raidTypes,
      SupportedProvisioningPolicies: ['Thin'],
      Encrypted: encrypts,
      Status: { State: 'Enabled', Health: 'OK' },
      CapacitySources: [
        {
          ...link(`${path}/CapacitySources/1`),
          Id: '1',
          Name: 'Drives',
          ProvidingDrives: this.backend.drivesOf(pool).map((d) => link(this.at.drive(d))),
        },
      ],
      AllocatedVolumes: link(`${path}/AllocatedVolumes`),
      Links: { DefaultClassOfService: link(this.at.serviceClass(pool.id)) },
    };
  }

  /** The class of service a pool offers by default: its protocols and what it can do. */
  poolClass(pool: PoolSeed) {
    return {
      ...link(this.at.serviceClass(pool.id)),
      '@odata.type': '#ClassOfService.v1_2_0.ClassOfService',
      Id: pool.id,
      Name: `Offered by ${pool.id}`,
      IOConnectivityLinesOfService: [
        {
          Name: 'Connectivity',
          AccessProtocols: pool.protocols,
          MaxIOPS: pool.iops,
          MaxBytesPerSecond: pool.bytesPerSecond,
        },
      ],
    };
  }

  serviceClass(cls: ServiceClass) {
    return {
      ...link(this.at.serviceClass(cls.id)),
      '@odata.type': '#ClassOfService.v1_2_0.ClassOfService',
      Id: cls.id,
      Name: cls.id,
      IOConnectivityLinesOfService: [
        { Name: 'Connectivity', ...(cls.maxIops !== undefined && { MaxIOPS: cls.maxIops }) },
      ],
    };
  }

  drive(drive: DriveSeed) {
    const works = this.backend.driveWorks(drive);
    return {
      ...link(this.at.drive(drive)),
      '@odata.type': '#Drive.v1_20_0.Drive',
      Id: drive.id,
      Name: drive.id,
      CapacityBytes: drive.capacity,
      MediaType: drive.media,
      Protocol: drive.media === 'SSD' ? 'NVMe' : 'SAS',
      Identifiers: [{ DurableNameFormat: 'EUI', DurableName: drive.id }],
      PhysicalLocation: { Placement: { Row: drive.zone, Rack: drive.rack } },
      Status: works ? { State: 'Enabled', Health: 'OK' } : { State: 'UnavailableOffline', Health: 'Critical' },
      Links: {
        Chassis: link(this.at.chassis(drive.node)),
        StoragePools: [link(this.at.pool(drive.pool))],
        Volumes: [...this.backend.volumes.values()]
          .filter((v) => v.copies.some((c) => c.drive === drive.id))
          .map((v) => link(this.at.volume(v.id))),
      },
    };
  }

  task(task: Task) {
    return {
      ...link(this.at.task(task.id)),
      '@odata.type': '#Task.v1_7_3.Task',
      Id: task.id,
      Name: 'Create volume',
      TaskState: task.state,
      TaskStatus: 'OK',
      PercentComplete: task.state === 'Completed' ? 100 : 0,
      Links: { CreatedResources: [link(this.at.volume(task.volume))] },
    };
  }
}
