import { z } from 'zod';
import { schemeSchema } from './backends';

const disks = z.array(z.string().min(1).max(200)).max(100_000);
const pool = z
  .string()
  .regex(
    /^[a-z]([-a-z0-9]{0,48}[a-z0-9])?$/,
    'Small letters, digits and hyphens, beginning with a letter, at most 50.',
  );

export const designSchema = z.object({
  pool,
  scheme: schemeSchema,
  level: z.enum(['node', 'rack', 'zone']),
  data: disks,
  metadata: disks,
});

/** A change to the disks of a cluster, as asked for. */
export const newReshapeSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('commission'),
    design: designSchema,
    protocols: z.array(z.enum(['NVMeOverFabrics', 'iSCSI', 'NFSv4'])).min(1, 'At least one protocol.'),
    encrypted: z.boolean(),
  }),
  z.object({ kind: z.literal('grow'), pool: z.string(), add: disks.min(1, 'Choose at least one disk.') }),
  z.object({ kind: z.literal('shrink'), pool: z.string(), remove: disks.min(1, 'Choose at least one disk.') }),
  z.object({ kind: z.literal('replace'), pool: z.string(), add: disks.min(1), remove: disks.min(1) }),
]);
export type NewReshape = z.infer<typeof newReshapeSchema>;

export const reshapeStates = ['preparing', 'taking', 'giving', 'settling', 'settled', 'undoing', 'undone'] as const;
export type ReshapeState = (typeof reshapeStates)[number];

export const reshapeSchema = z.object({
  id: z.string(),
  backend: z.string(),
  pool: z.string(),
  kind: z.enum(['commission', 'grow', 'shrink', 'replace']),
  state: z.enum(reshapeStates),
  person: z.string(),
  createdAt: z.string(),
  endedAt: z.string().nullable(),
  nodes: z.array(z.object({ node: z.string(), disks: z.int(), state: z.enum(['waiting', 'taken', 'given', 'freed']) })),
  /** Bytes to move and still to be moved, once that is known. */
  total: z.number().nullable(),
  left: z.number().nullable(),
  etaSeconds: z.number().nullable(),
  /** The last attempt that failed. */
  error: z.object({ code: z.string(), detail: z.string() }).nullable(),
  /** Why it was undone. */
  cause: z.string().nullable(),
  attempts: z.int(),
  nextAttemptAt: z.string().nullable(),
});
export type Reshape = z.infer<typeof reshapeSchema>;

/** A pool as a change to its disks sees it: the core's shape, and the level of its domains. */
export const poolShapeSchema = z.object({
  pool: z.string(),
  scheme: schemeSchema,
  level: z.enum(['node', 'rack', 'zone']),
  disks: z.array(
    z.object({
      id: z.string(),
      node: z.string(),
      domain: z.string(),
      capacity: z.number(),
      provisioned: z.number(),
      written: z.number(),
    }),
  ),
  volumes: z.array(z.object({ name: z.string(), bytes: z.number(), written: z.number(), disks: z.array(z.string()) })),
  writtenRaw: z.number(),
  rate: z.number(),
});
export type PoolShapeRow = z.infer<typeof poolShapeSchema>;

/** A commissioning plan in a file: what each node gives, without the identifiers of one place. */
export const portableDesignSchema = z.object({
  pool,
  scheme: schemeSchema,
  level: z.enum(['node', 'rack', 'zone']),
  nodes: z
    .array(
      z.object({
        node: z.string().min(1).max(200),
        disks: z
          .array(
            z.object({
              role: z.enum(['data', 'metadata']),
              media: z.string().max(40),
              capacity: z.int().positive(),
              count: z.int().min(1).max(10_000),
            }),
          )
          .max(1000),
      }),
    )
    .max(10_000),
});
