import { collection, enabled, link } from './service-views';
import { PartViews } from './part-views';
import type { Copy } from './copies';
import { ioStatistics } from './io';
import type { Backend } from './model';
import type { ServiceClass, Volume } from './resources';
import type { DriveSeed, PoolSeed } from './seed';

/** Volume that a node itself made on one of its drives. */
export const ownVolume = (drive: DriveSeed): string => `on-${drive.id}`;

export class Views extends PartViews {
  copy(volume: Volume, copy: Copy, index: number) {
    const percent = volume.consumed > 0 ? Math.floor(100 * (1 - copy.left / volume.consumed)) : 100;
    const whole = copy.state === 'Synchronized' || copy.from !== undefined;
    return {
      ...link(this.at.copy(volume.id, index)),
      '@odata.type': '#Volume.v1_10_0.Volume',
      Id: String(index),
      Name: `${volume.name} copy ${index}`,
      CapacityBytes: volume.capacity,
      Status: {
        State: copy.state === 'Failed' ? 'UnavailableOffline' : 'Enabled',
        Health: whole ? 'OK' : 'Warning',
      },
      ReplicaInfo: {
        ReplicaRole: 'Target',
        ReplicaType: 'Mirror',
        ReplicaState: copy.state,
        PercentSynced: copy.state === 'Synchronized' ? 100 : copy.state === 'Failed' ? 0 : percent,
      },
      Links: { Drives: [link(this.at.drive(this.backend.drive(copy.drive)))] },
    };
  }

  volume(volume: Volume, expand: 'replicas' | 'links') {
    const arrived = this.backend.arrived(volume.id);
    const degraded = volume.copies.some((c) => c.state !== 'Synchronized' && c.from === undefined);
    return {
      ...link(this.at.volume(volume.id)),
      '@odata.type': '#Volume.v1_10_0.Volume',
      Id: volume.id,
      Name: volume.name,
      DisplayName: volume.shownAs ?? volume.name,
      Identifiers: [{ DurableNameFormat: 'UUID', DurableName: volume.id }],
      CapacityBytes: volume.capacity,
      Capacity: {
        Data: { ProvisionedBytes: volume.capacity, AllocatedBytes: volume.consumed, ConsumedBytes: volume.consumed },
      },
      RAIDType: volume.raidType,
      VolumeUsage: 'Data',
      ProvisioningPolicy: 'Thin',
      Encrypted: volume.encrypted,
      ...(arrived !== undefined && { Operations: [{ OperationName: 'Move', PercentageComplete: arrived }] }),
      IOStatistics: ioStatistics(
        volume,
        // a pool that is not listed any more has its volumes still
        this.backend.pools.get(volume.pool),
        this.backend.serviceClasses.get(volume.serviceClass ?? '')?.maxIops,
        this.backend.clock.now(),
      ),
      Status: { State: volume.state, Health: degraded ? 'Warning' : 'OK' },
      CapacitySources: [
        {
          ...link(`${this.at.volume(volume.id)}/CapacitySources/1`),
          Id: '1',
          Name: 'Source',
          ProvidingPools: [
            link(
              volume.instance === undefined
                ? this.at.pool(volume.pool)
                : this.at.instance({ pool: volume.pool, id: volume.instance }),
            ),
          ],
        },
      ],
      ReplicaTargets: [
        ...volume.copies.map((copy, i) =>
          expand === 'replicas' ? this.copy(volume, copy, i) : link(this.at.copy(volume.id, i)),
        ),
        ...(volume.mirrors ?? []).map(({ target }) => link(target)),
      ],
      Actions: {
        '#Volume.AssignReplicaTarget': {
          target: `${this.at.volume(volume.id)}/Actions/Volume.AssignReplicaTarget`,
        },
        '#Volume.ChangeRAIDLayout': { target: `${this.at.volume(volume.id)}/Actions/Volume.ChangeRAIDLayout` },
      },
      Links: {
        Drives: volume.copies.map((c) => link(this.at.drive(this.backend.drive(c.drive)))),
        ...(volume.serviceClass && { ClassOfService: link(this.at.serviceClass(volume.serviceClass)) }),
      },
    };
  }

  /** What a node keeps on a drive of its own: its system, a file system, or a bare partition. */
  ownVolume(drive: DriveSeed) {
    const path = this.at.volume(ownVolume(drive));
    return {
      ...link(path),
      '@odata.type': '#Volume.v1_10_0.Volume',
      Id: ownVolume(drive),
      Name: `Of ${drive.node} itself`,
      CapacityBytes: drive.capacity,
      VolumeUsage: drive.use === 'system' ? 'SystemData' : 'Data',
      RAIDType: 'None',
      Status: enabled,
      CapacitySources: [
        {
          ...link(`${path}/CapacitySources/1`),
          Id: '1',
          Name: 'Source',
          ProvidingDrives: [link(this.at.drive(drive))],
        },
      ],
      Links: { Drives: [link(this.at.drive(drive))] },
    };
  }

  fileSystem(drive: DriveSeed) {
    const path = `${this.at.fileSystems}/${ownVolume(drive)}`;
    return {
      ...link(path),
      '@odata.type': '#FileSystem.v1_4_0.FileSystem',
      Id: ownVolume(drive),
      Name: `Mounted on ${drive.node}`,
      CapacitySources: [
        {
          ...link(`${path}/CapacitySources/1`),
          Id: '1',
          Name: 'Source',
          ProvidingVolumes: [link(this.at.volume(ownVolume(drive)))],
        },
      ],
      Status: enabled,
    };
  }

  pool(pool: PoolSeed) {
    const { allocated, provisioned, consumed } = this.backend.figures(pool);
    const path = this.at.pool(pool.id);
    const { encrypts } = pool;
    const work = this.backend.poolWork.get(pool.id);
    const unwell = work !== undefined || this.backend.isLocked(pool.id);
    return {
      ...link(path),
      '@odata.type': '#StoragePool.v1_9_0.StoragePool',
      Id: pool.id,
      Name: pool.id,
      PoolType: pool.internal ? ['Pool'] : pool.protocols.some((p) => p.startsWith('NFS')) ? ['File'] : ['Block'],
      Capacity: { Data: { AllocatedBytes: allocated, ProvisionedBytes: provisioned, ConsumedBytes: consumed } },
      RemainingCapacityPercent: allocated > 0 ? Math.round(100 * (1 - consumed / allocated)) : 0,
      SupportedRAIDTypes:
        pool.kind === 'copies' && !pool.raidTypes.includes('None') ? ['None', ...pool.raidTypes] : pool.raidTypes,
      SupportedProvisioningPolicies: ['Thin'],
      Encrypted: encrypts,
      CompressionEnabled: pool.compresses ?? false,
      DeduplicationEnabled: pool.deduplicates ?? false,
      Status: { State: work ? 'Updating' : 'Enabled', Health: unwell ? 'Warning' : 'OK' },
      CapacitySources: [
        {
          ...link(`${path}/CapacitySources/1`),
          Id: '1',
          Name: 'Drives',
          ProvidingDrives: this.backend.drivesOf(pool).map((d) => link(this.at.drive(d))),
        },
      ],
      AllocatedVolumes: link(`${path}/AllocatedVolumes`),
      ...(pool.sold && { AllocatedPools: link(`${path}/AllocatedPools`) }),
      Links: { DefaultClassOfService: link(this.at.serviceClass(pool.id)) },
      Actions: {
        '#StoragePool.AddDrives': { target: `${path}/Actions/StoragePool.AddDrives` },
        '#StoragePool.RemoveDrives': { target: `${path}/Actions/StoragePool.RemoveDrives` },
      },
    };
  }

  /** What sizes of volume a pool takes. */
  capabilities(pool: PoolSeed) {
    return {
      ...link(`${this.at.pool(pool.id)}/AllocatedVolumes/Capabilities`),
      '@odata.type': '#Volume.v1_10_0.Volume',
      Id: 'Capabilities',
      Name: `Capabilities of volumes on ${pool.id}`,
      'CapacityBytes@Redfish.RequiredOnCreate': true,
      'CapacityBytes@Redfish.AllowableNumbers': [`${pool.minimum}:${pool.maximum}:${pool.granule}`],
      'Name@Redfish.RequiredOnCreate': true,
    };
  }

  allocatedVolumes(pool: PoolSeed) {
    const path = `${this.at.pool(pool.id)}/AllocatedVolumes`;
    const held = [...this.backend.volumes.values()].filter((v) => v.pool === pool.id);
    const volumes = held.map((v) => link(this.at.volume(v.id)));
    return {
      ...collection('Volume', path, 'Volumes', volumes),
      '@Redfish.CollectionCapabilities': {
        '@odata.type': '#CollectionCapabilities.v1_4_0.CollectionCapabilities',
        Capabilities: [
          {
            CapabilitiesObject: link(`${path}/Capabilities`),
            UseCase: 'VolumeCreation',
            Links: { TargetCollection: link(this.at.volumes) },
          },
        ],
      },
    };
  }

  /** The class of service a pool offers by default: its protocols and what it can do. */
  poolClass(pool: PoolSeed) {
    const { iops, bytesPerSecond } = this.backend.speed(pool);
    const protections = [
      ...(pool.kind === 'array'
        ? []
        : [{ ReplicaType: 'Mirror', RecoveryGeographicObjective: pool.scope ?? 'Server' }]),
      ...(pool.snapshots ? [{ ReplicaType: 'Snapshot' }] : []),
      ...(pool.clones ? [{ ReplicaType: 'Clone' }] : []),
      ...(pool.offsite ? [{ ReplicaType: 'Mirror', RecoveryGeographicObjective: 'Datacenter' }] : []),
    ];
    return {
      ...link(this.at.serviceClass(pool.id)),
      '@odata.type': '#ClassOfService.v1_2_0.ClassOfService',
      Id: pool.id,
      Name: `Offered by ${pool.id}`,
      DataProtectionLinesOfService: protections.map((p, i) => ({ Name: `Protection ${i + 1}`, ...p })),
      DataStorageLinesOfService: [
        {
          Name: 'Storage',
          ProvisioningPolicy: 'Thin',
          AccessCapabilities: this.backend.isLocked(pool.id) ? ['Read'] : ['Read', 'Write'],
        },
      ],
      IOConnectivityLinesOfService: [
        {
          Name: 'Connectivity',
          AccessProtocols: pool.protocols,
          MaxIOPS: iops,
          MaxBytesPerSecond: bytesPerSecond,
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
        {
          Name: 'Connectivity',
          ...(cls.maxIops !== undefined && { MaxIOPS: cls.maxIops }),
          ...(cls.maxBytesPerSecond !== undefined && { MaxBytesPerSecond: cls.maxBytesPerSecond }),
          ...(cls.protocols && { AccessProtocols: cls.protocols }),
        },
      ],
      ...(cls.scope && {
        DataProtectionLinesOfService: [
          { Name: 'Copies', ReplicaType: 'Mirror', RecoveryGeographicObjective: cls.scope },
        ],
      }),
    };
  }

  drive(drive: DriveSeed, use: ReturnType<Backend['useOfDrives']>) {
    const node = this.backend.nodeWorks(drive.node);
    const failed = this.backend.driveFailed(drive);
    const owner = this.backend.ownerOf(drive);
    const state = failed || !node ? 'UnavailableOffline' : 'Enabled';
    return {
      ...link(this.at.drive(drive)),
      '@odata.type': '#Drive.v1_20_0.Drive',
      Id: drive.id,
      Name: drive.id,
      CapacityBytes: drive.capacity,
      MediaType: drive.media,
      Protocol: drive.protocol ?? (drive.media === 'SSD' ? 'NVMe' : 'SAS'),
      PredictedMediaLifeLeftPercent: drive.lifeLeft ?? 100,
      FailurePredicted: drive.failing ?? false,
      ...(!drive.nameless && { Identifiers: [{ DurableNameFormat: 'EUI', DurableName: drive.id }] }),
      PhysicalLocation: { Placement: { Row: drive.zone, Rack: drive.rack } },
      Status: { State: state, Health: failed ? 'Critical' : !node ? 'Critical' : drive.failing ? 'Warning' : 'OK' },
      Links: {
        Chassis: link(this.at.chassis(drive.node)),
        StoragePools: owner ? [link(this.at.pool(owner))] : [],
        Volumes: [
          ...(use.get(drive.id)?.volumes ?? []).map((v) => link(this.at.volume(v))),
          ...(drive.use ? [link(this.at.volume(ownVolume(drive)))] : []),
        ],
      },
    };
  }

  /** Switching on is all that can be done to a system from here. */
  reset = (system: string) => ({
    Boot: { BootSourceOverrideEnabled: 'Disabled', BootSourceOverrideTarget: 'None' },
    Actions: {
      '#ComputerSystem.Reset': {
        target: `${this.at.system(system)}/Actions/ComputerSystem.Reset`,
        'ResetType@Redfish.AllowableValues': ['On'],
      },
    },
  });

  system(node: string) {
    const { seed } = this.backend;
    return {
      ...link(this.at.system(node)),
      '@odata.type': '#ComputerSystem.v1_23_0.ComputerSystem',
      Id: node,
      Name: node,
      HostName: node,
      SystemType: 'Physical',
      PowerState: this.backend.nodeWorks(node) ? 'On' : 'Off',
      ProcessorSummary: { Count: 1, CoreCount: seed.cores ?? 32 },
      MemorySummary: { TotalSystemMemoryGiB: seed.memoryGiB ?? 256 },
      Status: this.backend.nodeWorks(node) ? enabled : { State: 'UnavailableOffline', Health: 'Critical' },
      Links: { Chassis: [link(this.at.chassis(node))] },
      ...this.reset(node),
    };
  }
}
