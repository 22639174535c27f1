import type { Instance } from './instances';
import type { Volume } from './resources';
import type { BackendSeed, PoolSeed } from './seed';
import { enabled, link, ServiceViews } from './service-views';

/** How exports of volumes look, and the parts that a pool is sold in. */
export class PartViews extends ServiceViews {
  /** The file system on a volume that is exported. */
  exported(volume: Volume) {
    const path = this.at.exported(volume.id);
    return {
      ...link(path),
      '@odata.type': '#FileSystem.v1_4_0.FileSystem',
      Id: volume.id,
      Name: volume.name,
      CapacitySources: [
        {
          ...link(`${path}/CapacitySources/1`),
          Id: '1',
          Name: 'Source',
          ProvidingVolumes: [link(this.at.volume(volume.id))],
        },
      ],
      ExportedShares: link(`${path}/ExportedFileShares`),
      Status: enabled,
    };
  }

  fileShare(volume: Volume) {
    const path = `${this.at.exported(volume.id)}/ExportedFileShares/1`;
    return {
      ...link(path),
      '@odata.type': '#FileShare.v1_3_0.FileShare',
      Id: '1',
      Name: `Export of ${volume.name}`,
      FileSharePath: `/exports/${volume.name}`,
      FileSharingProtocols: ['NFSv4_1'],
      RootAccess: volume.rootAccess ?? false,
      EthernetInterfaces: link(this.at.interfaces),
      Links: { FileSystem: link(this.at.exported(volume.id)) },
      Status: enabled,
    };
  }

  /** Where files are asked for. */
  filesInterface({ name, address }: NonNullable<BackendSeed['filesAt']>) {
    return {
      ...link(`${this.at.interfaces}/files`),
      '@odata.type': '#EthernetInterface.v1_12_0.EthernetInterface',
      Id: 'files',
      Name: 'Files',
      HostName: name.split('.')[0],
      FQDN: name,
      IPv4Addresses: [{ Address: address, SubnetMask: '255.255.252.0', AddressOrigin: 'Static' }],
      Status: enabled,
    };
  }

  /** A part of a pool that volumes are carved out of. */
  instance(instance: Instance) {
    const pool = this.backend.pool(instance.pool);
    const { encrypts, raidTypes } = pool;
    const inside = this.backend.instances.inside(instance);
    const path = this.at.instance(instance);
    const sum = (of: (v: Volume) => number) => inside.reduce((all, v) => all + of(v), 0);
    return {
      ...link(path),
      '@odata.type': '#StoragePool.v1_9_0.StoragePool',
      Id: instance.id,
      Name: instance.id,
      PoolType: ['File'],
      Capacity: {
        Data: {
          AllocatedBytes: instance.capacity,
          ProvisionedBytes: sum((v) => v.capacity),
          ConsumedBytes: sum((v) => v.consumed),
        },
      },
      SupportedRAIDTypes: raidTypes,
      SupportedProvisioningPolicies: ['Thin'],
      Encrypted: encrypts,
      Status: enabled,
      CapacitySources: [
        {
          ...link(`${path}/CapacitySources/1`),
          Id: '1',
          Name: 'Source',
          ProvidingPools: [link(this.at.pool(pool.id))],
        },
      ],
      Links: { DefaultClassOfService: link(this.at.serviceClass(pool.id)) },
    };
  }

  /** Where it says how large the parts of a pool are. */
  soldAs(pool: PoolSeed) {
    const path = `${this.at.pool(pool.id)}/AllocatedPools`;
    return {
      '@Redfish.CollectionCapabilities': {
        '@odata.type': '#CollectionCapabilities.v1_4_0.CollectionCapabilities',
        Capabilities: [
          {
            CapabilitiesObject: link(`${path}/Capabilities`),
            UseCase: 'StoragePoolCreation',
            Links: { TargetCollection: link(path) },
          },
        ],
      },
    };
  }

  instanceCapabilities(pool: PoolSeed) {
    const { minimum, maximum, step } = pool.sold!;
    return {
      ...link(`${this.at.pool(pool.id)}/AllocatedPools/Capabilities`),
      '@odata.type': '#StoragePool.v1_9_0.StoragePool',
      Id: 'Capabilities',
      Name: `Capabilities of pools within ${pool.id}`,
      'Name@Redfish.RequiredOnCreate': true,
      Capacity: {
        Data: {
          'ProvisionedBytes@Redfish.RequiredOnCreate': true,
          'ProvisionedBytes@Redfish.AllowableNumbers': [`${minimum}:${maximum}:${step}`],
        },
      },
    };
  }
}
