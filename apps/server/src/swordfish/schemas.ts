import { z } from 'zod';

/** The parts of the standard's resources that are read. Anything else is ignored; what is missing here is nonsense. */
export const linkSchema = z.object({ '@odata.id': z.string().max(2000) });
const status = z.object({ State: z.string().optional(), Health: z.string().optional() }).optional();
/** Sums over a large pool go beyond what a number holds exactly; PostgreSQL holds them all the same. */
const count = z
  .number()
  .min(0)
  .max(2 ** 62);

export const collectionSchema = <T extends z.ZodType>(member: T) =>
  z.object({ Members: z.array(member).max(100_000), 'Members@odata.nextLink': z.string().optional() });

export const rootSchema = z.object({
  RedfishVersion: z.string(),
  /** Stays the same whatever the address. */
  UUID: z.string().min(1).max(100).optional(),
  Storage: linkSchema,
  Name: z.string().default(''),
  Product: z.string().optional(),
  Chassis: linkSchema.optional(),
  Systems: linkSchema.optional(),
  StorageServices: linkSchema.optional(),
  TelemetryService: linkSchema.optional(),
  AccountService: linkSchema.optional(),
  Links: z.object({ Sessions: linkSchema }),
});

export const storageSchema = z.object({
  Id: z.string(),
  Status: status,
  StoragePools: linkSchema,
  Volumes: linkSchema,
  FileSystems: linkSchema.optional(),
  Drives: z.array(linkSchema).default([]),
  Redundancy: z
    .array(
      z.object({
        Mode: z.string().optional(),
        MinNumNeeded: z.int().optional(),
        MaxNumSupported: z.int().optional(),
        RedundancySet: z.array(linkSchema).default([]),
      }),
    )
    .default([]),
});

export const poolSchema = z.object({
  '@odata.id': z.string(),
  Id: z.string().min(1),
  /** A pool for pools only takes no volumes. */
  PoolType: z.array(z.string()).default([]),
  AllocatedVolumes: linkSchema.optional(),
  /** Pools within it, where it is sold in parts. */
  AllocatedPools: linkSchema.optional(),
  Capacity: z.object({
    Data: z.object({ AllocatedBytes: count, ConsumedBytes: count.default(0), ProvisionedBytes: count.optional() }),
  }),
  SupportedRAIDTypes: z.array(z.string()).default([]),
  SupportedProvisioningPolicies: z.array(z.string()).default([]),
  Encrypted: z.boolean().default(false),
  CompressionEnabled: z.boolean().default(false),
  DeduplicationEnabled: z.boolean().default(false),
  Status: status,
  CapacitySources: z.array(z.object({ ProvidingDrives: z.array(linkSchema).default([]) })).default([]),
  Links: z.object({ DefaultClassOfService: linkSchema.optional() }).optional(),
});
export type PoolResource = z.infer<typeof poolSchema>;

export const serviceClassSchema = z.object({
  '@odata.id': z.string().optional(),
  DataProtectionLinesOfService: z
    .array(z.object({ ReplicaType: z.string().optional(), RecoveryGeographicObjective: z.string().optional() }))
    .default([]),
  DataStorageLinesOfService: z.array(z.object({ AccessCapabilities: z.array(z.string()).optional() })).default([]),
  IOConnectivityLinesOfService: z
    .array(
      z.object({
        AccessProtocols: z.array(z.string()).default([]),
        MaxIOPS: count.optional(),
        MaxBytesPerSecond: count.optional(),
      }),
    )
    .default([]),
});

export const driveSchema = z.object({
  '@odata.id': z.string(),
  Id: z.string(),
  CapacityBytes: count,
  MediaType: z.string().default('unknown'),
  Identifiers: z.array(z.object({ DurableName: z.string().nullish() })).default([]),
  PredictedMediaLifeLeftPercent: z.number().nullish(),
  FailurePredicted: z.boolean().nullish(),
  Status: status,
  PhysicalLocation: z
    .object({ Placement: z.object({ Row: z.string().optional(), Rack: z.string().optional() }).optional() })
    .optional(),
  Links: z.object({ Chassis: linkSchema.optional(), StoragePools: z.array(linkSchema).default([]) }).optional(),
});
export type DriveResource = z.infer<typeof driveSchema>;

const replicaSchema = z.object({
  '@odata.id': z.string().optional(),
  ReplicaInfo: z
    .object({ ReplicaState: z.string().default('Synchronized'), PercentSynced: z.number().default(100) })
    .optional(),
  Links: z.object({ Drives: z.array(linkSchema).default([]) }).optional(),
});
export const volumeSchema = z.object({
  '@odata.id': z.string(),
  Id: z.string().min(1),
  Name: z.string(),
  CapacityBytes: count,
  Capacity: z
    .object({ Data: z.object({ ConsumedBytes: count.optional(), AllocatedBytes: count.optional() }).optional() })
    .optional(),
  Status: status,
  VolumeUsage: z.string().optional(),
  CapacitySources: z
    .array(
      z.object({ ProvidingPools: z.array(linkSchema).default([]), ProvidingDrives: z.array(linkSchema).default([]) }),
    )
    .default([]),
  ReplicaTargets: z.array(replicaSchema).default([]),
  Encrypted: z.boolean().optional(),
  /** What was done on it since it was made, or since its counts began anew. */
  IOStatistics: z
    .object({
      ReadIORequests: count.default(0),
      ReadHitIORequests: count.default(0),
      WriteIORequests: count.default(0),
      WriteHitIORequests: count.default(0),
      ReadIOKiBytes: count.default(0),
      WriteIOKiBytes: count.default(0),
      ReadIORequestTime: z.string().optional(),
      WriteIORequestTime: z.string().optional(),
    })
    .optional(),
  /** What the service is doing to it. */
  Operations: z
    .array(z.object({ OperationName: z.string().nullish(), PercentageComplete: z.number().nullish() }))
    .default([]),
  Links: z.object({ ClassOfService: linkSchema.optional() }).optional(),
});
export type VolumeResource = z.infer<typeof volumeSchema>;

export const fileSystemSchema = z.object({
  Name: z.string().optional(),
  ExportedShares: linkSchema.optional(),
  CapacitySources: z.array(z.object({ ProvidingVolumes: z.array(linkSchema).default([]) })).default([]),
});

export const fileShareSchema = z.object({
  '@odata.id': z.string(),
  FileSharePath: z.string().max(2000),
  RootAccess: z.boolean().nullish(),
  EthernetInterfaces: linkSchema.optional(),
});
export const ethernetInterfaceSchema = z.object({
  FQDN: z.string().max(255).nullish(),
  IPv4Addresses: z.array(z.object({ Address: z.string().nullish() })).default([]),
});

export const chassisSchema = z.object({
  '@odata.id': z.string(),
  Id: z.string(),
  Location: z
    .object({ Placement: z.object({ Row: z.string().optional(), Rack: z.string().optional() }).optional() })
    .optional(),
  Status: status,
});

export const endpointSchema = z.object({
  '@odata.id': z.string(),
  EndpointProtocol: z.string().default(''),
  ConnectedEntities: z
    .array(
      z.object({
        EntityRole: z.string().optional(),
        Identifiers: z.array(z.object({ DurableName: z.string().nullish() })).default([]),
      }),
    )
    .default([]),
  IPTransportDetails: z
    .array(
      z.object({
        IPv4Address: z.object({ Address: z.string().optional(), SubnetMask: z.string().optional() }).optional(),
        Port: z.int().min(1).max(65_535).optional(),
      }),
    )
    .default([]),
  Status: status,
});

export const storageServiceSchema = z.object({ Endpoints: linkSchema.optional() });

/** The sizes of volume a pool takes, where it says so. */
export const allocatedVolumesSchema = z.object({
  '@Redfish.CollectionCapabilities': z
    .object({ Capabilities: z.array(z.object({ CapabilitiesObject: linkSchema, UseCase: z.string() })) })
    .optional(),
});
export const volumeCapabilitiesSchema = z.object({
  'CapacityBytes@Redfish.AllowableNumbers': z.array(z.string()).optional(),
});

/** The sizes of the parts that a pool is sold in, where it says so. */
export const allocatedPoolsSchema = allocatedVolumesSchema;
export const instanceCapabilitiesSchema = z.object({
  Capacity: z
    .object({
      Data: z.object({ 'ProvisionedBytes@Redfish.AllowableNumbers': z.array(z.string()).optional() }).optional(),
    })
    .optional(),
});
export const instanceSchema = z.object({
  '@odata.id': z.string().max(2000),
  Id: z.string().min(1).max(200),
  Capacity: z.object({ Data: z.object({ AllocatedBytes: count }) }),
});

export const sessionSchema = z.object({ Roles: z.array(z.string()).nullish() });
export const accountServiceSchema = z.object({ Roles: linkSchema.optional(), Accounts: linkSchema.optional() });
export const roleSchema = z.object({ AssignedPrivileges: z.array(z.string()).default([]) });

export const telemetrySchema = z.object({ MetricReports: linkSchema.optional() });
export const metricReportSchema = z.object({
  MetricValues: z
    .array(
      z.object({
        MetricId: z.string(),
        MetricValue: z.string(),
        Timestamp: z.string(),
        MetricProperty: z.string().optional(),
      }),
    )
    .max(1_000_000)
    .default([]),
});

export const systemSchema = z.object({ LogServices: linkSchema.optional() });
export const logServiceSchema = z.object({ Entries: linkSchema.optional() });
export const logEntrySchema = z.object({
  Created: z.string(),
  Severity: z.enum(['OK', 'Warning', 'Critical']).catch('OK'),
  Message: z.string().default(''),
});

export const taskSchema = z.object({
  TaskState: z.string(),
  PercentComplete: z.number().nullish(),
  Messages: z.array(z.object({ Message: z.string().optional() })).optional(),
  Links: z.object({ CreatedResources: z.array(linkSchema).optional() }).optional(),
});

export const errorSchema = z.object({ error: z.object({ code: z.string(), message: z.string() }) });

/** What volumes a pool takes: the standard's capabilities are optional, these are the defaults. */
export const defaultSizes = { minimum: 2 ** 30, granule: 2 ** 30, maximum: 64 * 2 ** 40 } as const;
