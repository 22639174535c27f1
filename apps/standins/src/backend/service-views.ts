import { volumesOfDay } from './course';
import { loadReport } from './load';
import type { Instance } from './instances';
import type { Backend } from './model';
import type { BoxEvent, Task } from './resources';
import type { ClientRange, DriveSeed, PathSeed, PoolSeed } from './seed';

export const root = '/redfish/v1';
export const link = (path: string) => ({ '@odata.id': path });

/** Paths of the resources of one backend. */
export function paths(id: string) {
  const storage = `${root}/Storage/${id}`;
  const service = `${root}/StorageServices/${id}`;
  return {
    storage,
    service,
    pools: `${storage}/StoragePools`,
    pool: (p: string) => `${storage}/StoragePools/${p}`,
    instance: (i: Pick<Instance, 'pool' | 'id'>) => `${storage}/StoragePools/${i.pool}/AllocatedPools/${i.id}`,
    volumes: `${storage}/Volumes`,
    volume: (v: string) => `${storage}/Volumes/${v}`,
    fileSystems: `${storage}/FileSystems`,
    exported: (v: string) => `${storage}/FileSystems/of-${v}`,
    interfaces: `${root}/Systems/${id}/EthernetInterfaces`,
    copy: (v: string, n: number) => `${storage}/Volumes/${v}/Replicas/${n}`,
    chassis: (n: string) => `${root}/Chassis/${n}`,
    system: (n: string) => `${root}/Systems/${n}`,
    drive: (d: DriveSeed) => `${root}/Chassis/${d.node}/Drives/${d.id}`,
    classes: `${service}/ClassesOfService`,
    serviceClass: (c: string) => `${service}/ClassesOfService/${c}`,
    endpoints: `${service}/Endpoints`,
    endpoint: (e: string) => `${service}/Endpoints/${e}`,
    task: (t: string) => `${root}/TaskService/Tasks/${t}`,
    report: (p: string) => `${root}/TelemetryService/MetricReports/${p}`,
    entries: `${root}/Systems/${id}/LogServices/Events/Entries`,
  };
}

export const collection = (type: string, path: string, name: string, members: unknown[]) => ({
  '@odata.id': path,
  '@odata.type': `#${type}Collection.${type}Collection`,
  Name: name,
  'Members@odata.count': members.length,
  Members: members,
});

export const enabled = { State: 'Enabled', Health: 'OK' };
/** How the parts of a service look that hold no data: ways to it, what it did, what it is at. */
export class ServiceViews {
  readonly at: ReturnType<typeof paths>;
  constructor(protected readonly backend: Backend) {
    this.at = paths(backend.seed.id);
  }

  path(path: PathSeed, index: number) {
    const id = `path-${index + 1}`;
    return {
      ...link(this.at.endpoint(id)),
      '@odata.type': '#Endpoint.v1_8_0.Endpoint',
      Id: id,
      Name: `${path.node} by ${path.protocol}`,
      EndpointProtocol: path.protocol,
      HostReservationMemoryBytes: 0,
      ConnectedEntities: [
        {
          EntityType: 'NetworkController',
          EntityRole: 'Initiator',
          Identifiers: [
            { DurableNameFormat: path.initiator.startsWith('iqn') ? 'iQN' : 'NQN', DurableName: path.initiator },
          ],
        },
      ],
      Status: path.up ? enabled : { State: 'UnavailableOffline', Health: 'Critical' },
    };
  }

  client(range: ClientRange, id: string) {
    return {
      ...link(this.at.endpoint(id)),
      '@odata.type': '#Endpoint.v1_8_0.Endpoint',
      Id: id,
      Name: `Addresses that may mount, from ${range.address}`,
      EndpointProtocol: 'NFSv4',
      ConnectedEntities: [{ EntityType: 'NetworkController', EntityRole: 'Initiator' }],
      IPTransportDetails: [
        { TransportProtocol: 'TCP', IPv4Address: { Address: range.address, SubnetMask: range.mask } },
      ],
      Status: enabled,
    };
  }

  /** Where objects are asked for. */
  objects(host: string) {
    const [address, port] = host.split(':');
    return {
      ...link(this.at.endpoint('objects')),
      '@odata.type': '#Endpoint.v1_8_0.Endpoint',
      Id: 'objects',
      Name: 'Objects',
      EndpointProtocol: 'HTTP',
      ConnectedEntities: [{ EntityType: 'NetworkController', EntityRole: 'Target' }],
      IPTransportDetails: [{ TransportProtocol: 'TCP', IPv4Address: { Address: address }, Port: Number(port) }],
      Status: enabled,
    };
  }

  report(pool: PoolSeed) {
    return {
      ...link(this.at.report(pool.id)),
      '@odata.type': '#MetricReport.v1_5_1.MetricReport',
      Id: pool.id,
      Name: `A day of ${pool.id}`,
      MetricValues: loadReport(this.backend, pool, this.backend.clock.now()),
    };
  }

  /** A day of its volumes. */
  dayReport(day: string) {
    return {
      ...link(this.at.report(`volumes-${day}`)),
      '@odata.type': '#MetricReport.v1_5_1.MetricReport',
      Id: `volumes-${day}`,
      Name: `Volumes on ${day}`,
      Timestamp: `${day}T23:59:59Z`,
      MetricValues: volumesOfDay(this.backend, day, this.at),
    };
  }

  entry(event: BoxEvent, index: number) {
    return {
      ...link(`${this.at.entries}/${index + 1}`),
      '@odata.type': '#LogEntry.v1_16_1.LogEntry',
      Id: String(index + 1),
      Name: `Event ${index + 1}`,
      EntryType: 'Event',
      Created: event.at,
      Severity: event.severity,
      Message: event.message,
    };
  }

  task(task: Task) {
    const made = task.volume ? this.at.volume(task.volume) : task.pool ? this.at.pool(task.pool) : undefined;
    return {
      ...link(this.at.task(task.id)),
      '@odata.type': '#Task.v1_7_3.Task',
      Id: task.id,
      Name: task.name,
      TaskState: task.state,
      TaskStatus: 'OK',
      PercentComplete: task.percent,
      Messages: task.message ? [{ Message: task.message }] : [],
      Links: { CreatedResources: made ? [link(made)] : [] },
    };
  }
}
