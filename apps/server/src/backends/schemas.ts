import { z } from 'zod';

/** The parts of the standard's resources that are read. Anything else is ignored; what is missing here is nonsense. */
export const linkSchema = z.object({ '@odata.id': z.string().max(2000) });
const status = z.object({ State: z.string().optional(), Health: z.string().optional() }).optional();
const count = z.number().min(0).max(Number.MAX_SAFE_INTEGER);

export const collectionSchema = <T extends z.ZodType>(member: T) =>
  z.object({ Members: z.array(member).max(100_000), 'Members@odata.nextLink': z.string().optional() });

export const rootSchema = z.object({
  RedfishVersion: z.string(),
  Storage: linkSchema,
  Chassis: linkSchema.optional(),
  Links: z.object({ Sessions: linkSchema }),
});

export const storageSchema = z.object({
  Id: z.string(),
  Status: status,
  StoragePools: linkSchema,
  Volumes: linkSchema,
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
  Capacity: z.object({
    Data: z.object({ AllocatedBytes: count, ConsumedBytes: count.default(0), ProvisionedBytes: count.optional() }),
  }),
  SupportedRAIDTypes: z.array(z.string()).default([]),
  SupportedProvisioningPolicies: z.array(z.string()).default([]),
  Encrypted: z.boolean().default(false),
  Status: status,
  CapacitySources: z.array(z.object({ ProvidingDrives: z.array(linkSchema).default([]) })).default([]),
  Links: z.object({ DefaultClassOfService: linkSchema.optional() }).optional(),
});
export type PoolResource = z.infer<typeof poolSchema>;

export const serviceClassSchema = z.object({
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
  Status: status,
  PhysicalLocation: z
    .object({ Placement: z.object({ Row: z.string().optional(), Rack: z.string().optional() }).optional() })
    .optional(),
  Links: z.object({ Chassis: linkSchema.optional() }).optional(),
});
export type DriveResource = z.infer<typeof driveSchema>;

const replicaSchema = z.object({
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
  CapacitySources: z.array(z.object({ ProvidingPools: z.array(linkSchema).default([]) })).default([]),
  ReplicaTargets: z.array(replicaSchema).default([]),
});
export type VolumeResource = z.infer<typeof volumeSchema>;

export const taskSchema = z.object({
  TaskState: z.string(),
  Messages: z.array(z.object({ Message: z.string().optional() })).optional(),
  Links: z.object({ CreatedResources: z.array(linkSchema).optional() }).optional(),
});

export const errorSchema = z.object({ error: z.object({ code: z.string(), message: z.string() }) });

/** What volumes a pool takes: the standard's capabilities are optional, these are the defaults. */
export const defaultSizes = { minimum: 2 ** 30, granule: 2 ** 30, maximum: 64 * 2 ** 40 } as const;
