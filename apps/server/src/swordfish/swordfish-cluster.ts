import type { BackendEvents } from '@moorage/contract/inventory';
import { BackendProblem, type DiskAt, type LoadPoint, type NewPool, type ToldVolumes } from './connector';
import type { BackendHttp } from './http';
import {
  collectionSchema,
  linkSchema,
  logEntrySchema,
  logServiceSchema,
  metricReportSchema,
  rootSchema,
  systemSchema,
  telemetrySchema,
} from './schemas';
import type { DrivePaths, Paths } from './swordfish-view';
import { lastPart } from './links';

const scopes = { node: 'Server', rack: 'Rack', zone: 'Row' } as const;
const link = (path: string) => ({ '@odata.id': path });
/** What the standard's list of events may hold of one look. */
const mostEvents = 200;

/** Pools made of disks, and what the cluster tells of its work. */
export class SwordfishCluster {
  constructor(
    private readonly http: BackendHttp,
    private readonly paths: Paths,
    private readonly drivePaths: DrivePaths,
  ) {}

  private pool = (name: string): string => `${this.paths.pools}/${name}`;
  private disks = (disks: readonly DiskAt[]) => ({
    Drives: disks.map(this.drivePaths.of),
  });

  async ensurePool(pool: NewPool): Promise<void> {
    const offered = await this.ensureServiceClass(pool);
    const { scheme, encrypted: sealed } = pool;
    const mirrors = ['None', 'RAID1', 'RAID1Triple'].slice(0, scheme.kind === 'copies' ? scheme.copies : 0);
    await this.unlessThere(() =>
      this.http.call('create pool', 'POST', this.paths.pools, {
        Name: pool.name,
        ...(pool.internal && { PoolType: ['Pool'] }),
        SupportedRAIDTypes: scheme.kind === 'copies' ? mirrors : [scheme.parity > 1 ? 'RAID6' : 'RAID5'],
        Encrypted: sealed,
        Links: { DefaultClassOfService: link(offered) },
      }),
    );
    if (scheme.kind === 'erasure')
      await this.http.call('set redundancy', 'PATCH', this.paths.storage, {
        Redundancy: [
          {
            MemberId: pool.name,
            Mode: 'N+m',
            MinNumNeeded: scheme.data,
            MaxNumSupported: scheme.data + scheme.parity,
            RedundancySet: [link(this.pool(pool.name))],
          },
        ],
      });
  }

  private async unlessThere(create: () => Promise<unknown>): Promise<void> {
    try {
      await create();
    } catch (error) {
      if (!(error instanceof BackendProblem && error.code === 'exists')) throw error;
    }
  }

  /** The class of service that says where copies must differ, and by what protocols the pool is reached. */
  private async ensureServiceClass({ level, protocols }: NewPool): Promise<string> {
    const { StorageServices } = await this.http.get('/redfish/v1', rootSchema);
    const services =
      StorageServices && (await this.http.get(StorageServices['@odata.id'], collectionSchema(linkSchema)));
    const service = services?.Members[0]?.['@odata.id'];
    if (!service)
      throw new BackendProblem('refused', 'the backend offers no classes of service, so no pool can be made on it');
    const folder = `${service}/ClassesOfService`;
    const id = `pool-${level}-${protocols.join('-')}`.toLowerCase();
    const { Members } = await this.http.get(folder, collectionSchema(linkSchema));
    if (!Members.some((m) => lastPart(m['@odata.id']) === id))
      await this.http.call('create class of service', 'POST', folder, {
        Id: id,
        Name: `Copies apart by ${level}`,
        IOConnectivityLinesOfService: [{ Name: 'Connectivity', AccessProtocols: protocols }],
        DataProtectionLinesOfService: [
          { Name: 'Copies', ReplicaType: 'Mirror', RecoveryGeographicObjective: scopes[level] },
        ],
      });
    return `${folder}/${id}`;
  }

  async addDisks(pool: string, disks: readonly DiskAt[]): Promise<void> {
    const target = `${this.pool(pool)}/Actions/StoragePool.AddDrives`;
    await this.http.call('add drives', 'POST', target, this.disks(disks));
  }

  async removeDisks(pool: string, disks: readonly DiskAt[]): Promise<void> {
    const target = `${this.pool(pool)}/Actions/StoragePool.RemoveDrives`;
    try {
      await this.http.call('remove drives', 'POST', target, this.disks(disks));
    } catch (error) {
      if (!(error instanceof BackendProblem && error.code === 'not-found')) throw error;
    }
  }

  async ensurePoolDeleted(pool: string): Promise<void> {
    try {
      await this.http.call('delete pool', 'DELETE', this.pool(pool));
    } catch (error) {
      if (!(error instanceof BackendProblem && error.code === 'not-found')) throw error;
    }
  }

  /** Paths of its metric reports. */
  private async reports(): Promise<string[]> {
    const { TelemetryService } = await this.http.get('/redfish/v1', rootSchema);
    const reports =
      TelemetryService && (await this.http.get(TelemetryService['@odata.id'], telemetrySchema)).MetricReports;
    if (!reports) return [];
    const { Members } = await this.http.get(reports['@odata.id'], collectionSchema(linkSchema));
    return Members.map((m) => m['@odata.id']);
  }

  fetchVolumeReports = async (): Promise<readonly string[]> =>
    (await this.reports()).filter((path) => dayReport.test(lastPart(path))).sort();

  async fetchVolumeReport(name: string): Promise<readonly ToldVolumes[]> {
    return toldOfVolumes((await this.http.get(name, metricReportSchema)).MetricValues);
  }

  async fetchLoad(pools: readonly string[]): Promise<ReadonlyMap<string, readonly LoadPoint[]>> {
    const known = (await this.reports()).filter((path) => pools.includes(lastPart(path)));
    const read = await Promise.all(
      known.map(async (path) => [lastPart(path), await this.http.get(path, metricReportSchema)] as const),
    );
    return new Map(read.map(([pool, report]) => [pool, pointsFrom(report.MetricValues)]));
  }

  async fetchEvents(): Promise<BackendEvents> {
    const { Systems } = await this.http.get('/redfish/v1', rootSchema);
    if (!Systems) return [];
    const systems = await this.http.get(Systems['@odata.id'], collectionSchema(linkSchema));
    const first = systems.Members[0]?.['@odata.id'];
    const logs = first && (await this.http.get(first, systemSchema)).LogServices;
    if (!logs) return [];
    const { Members } = await this.http.get(logs['@odata.id'], collectionSchema(linkSchema));
    const log = Members[0]?.['@odata.id'];
    const entries = log && (await this.http.get(log, logServiceSchema)).Entries;
    if (!entries) return [];
    const listed = await this.http.get(`${entries['@odata.id']}?$expand=.`, collectionSchema(logEntrySchema));
    return listed.Members.map((e) => ({ at: e.Created, severity: e.Severity, message: e.Message }))
      .sort((a, b) => (a.at < b.at ? 1 : -1))
      .slice(0, mostEvents);
  }
}

/** Reports of volumes end in the day that they tell of. */
const dayReport = /\d{4}-\d\d-\d\d$/;
const metricsOfVolumes: Readonly<Record<string, 'consumed' | 'iops' | 'bytesPerSecond' | 'latencyMs'>> = {
  ConsumedBytes: 'consumed',
  IOPS: 'iops',
  BytesPerSecond: 'bytesPerSecond',
  LatencyMilliseconds: 'latencyMs',
};

/** What a report tells of one moment: of volumes by their ids, and raw bytes of pools by their paths. */
interface Moment {
  readonly volumes: Map<string, Partial<Record<(typeof metricsOfVolumes)[string], number>>>;
  readonly pools: Map<string, number>;
}

/** Values of a report of volumes and pools, by their moments. What is no number, or of neither, is left out. */
export function toldOfVolumes(
  values: readonly {
    readonly MetricId: string;
    readonly MetricValue: string;
    readonly Timestamp: string;
    readonly MetricProperty?: string | undefined;
  }[],
): ToldVolumes[] {
  const moments = new Map<string, Moment>();
  for (const { MetricId, MetricValue, Timestamp, MetricProperty } of values) {
    const metric = metricsOfVolumes[MetricId];
    const value = Number(MetricValue);
    const id = /\/Volumes\/([^/#]+)/.exec(MetricProperty ?? '')?.[1];
    const pool = /^.*\/StoragePools\/[^/#]+$/.exec(MetricProperty ?? '')?.[0];
    if (metric === undefined || !(value >= 0) || Number.isNaN(Date.parse(Timestamp))) continue;
    const at = new Date(Timestamp).toISOString();
    const moment: Moment = moments.get(at) ?? { volumes: new Map(), pools: new Map() };
    moments.set(at, moment);
    if (id !== undefined) moment.volumes.set(id, { ...moment.volumes.get(id), [metric]: value });
    else if (pool !== undefined && metric === 'consumed') moment.pools.set(pool, value);
  }
  return [...moments]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([at, { volumes, pools }]) => ({
      at,
      pools: [...pools].map(([path, consumedRaw]) => ({ path, consumedRaw })),
      volumes: [...volumes].flatMap(([id, told]) =>
        told.consumed === undefined ? [] : [{ id, ...told, consumed: told.consumed }],
      ),
    }));
}

/** Values of one report, gathered by their moments. A value that is no number is left out. */
export function pointsFrom(
  values: readonly { readonly MetricId: string; readonly MetricValue: string; readonly Timestamp: string }[],
): LoadPoint[] {
  const points = new Map<string, { at: string; iops: number; bytesPerSecond: number; latencyMs: number }>();
  for (const { MetricId, MetricValue, Timestamp } of values) {
    const value = Number(MetricValue);
    if (!Number.isFinite(value)) continue;
    const point = points.get(Timestamp) ?? { at: Timestamp, iops: 0, bytesPerSecond: 0, latencyMs: 0 };
    if (MetricId === 'IOPS') point.iops = value;
    if (MetricId === 'BytesPerSecond') point.bytesPerSecond = value;
    if (MetricId === 'LatencyMilliseconds') point.latencyMs = value;
    points.set(Timestamp, point);
  }
  return [...points.values()].sort((a, b) => (a.at < b.at ? -1 : 1));
}
