import { tunables } from '@moorage/core/classes/tunable';
import { accessModes, volumeModes } from '@moorage/core/classes/storage-class';
import { parseQuantity, type QuantityProblem } from '@moorage/core/sizes/quantity';
import { z } from 'zod';
import { nameSchema } from './classes';

export const quantityWords: Record<QuantityProblem, string> = {
  empty: 'A size is needed, for example 80Gi.',
  'not-a-quantity': 'Not a size. Write a number with a unit, for example 80Gi or 500M.',
  'unknown-suffix': 'Unknown unit. Use k M G T P E, Ki Mi Gi Ti Pi Ei, or an exponent like 1e9.',
  negative: 'A size cannot be negative.',
  'too-large': 'The size is beyond 8 PiB, the most that can be counted exactly.',
};

/** A size in the platform's quantity grammar, above zero. */
export const sizeTextSchema = z.string().superRefine((text, context) => {
  const size = parseQuantity(text);
  if (!size.ok) context.addIssue({ code: 'custom', message: quantityWords[size.problem] });
  else if (size.bytes === 0) context.addIssue({ code: 'custom', message: 'A size must be above zero.' });
});

export const newClaimSchema = z.object({
  namespace: nameSchema,
  name: nameSchema,
  /** Left out: the default class. */
  className: nameSchema.optional(),
  size: sizeTextSchema,
  modes: z.array(z.enum(accessModes)).min(1, 'At least one access mode is needed.').max(4),
  volumeMode: z.enum(volumeModes),
  /** What the claim tunes of its class, within the class's allowances. */
  tuned: z.partialRecord(z.enum(tunables), z.int().min(0)).optional(),
  /** In the team's own words; it stands on the backend's volume too. */
  description: z.string().trim().max(200, 'At most 200 characters.').optional(),
});
export type NewClaim = z.infer<typeof newClaimSchema>;

/** Why a claim has no volume yet, or that it has one. */
export const claimStates = [
  'bound',
  'binding',
  'waiting-pod',
  'nothing-fits',
  'no-class',
  'retrying',
  'stopped',
  'held-back',
  'foreign',
  'lost',
  'unreachable',
  'deleting',
] as const;
export type ClaimState = (typeof claimStates)[number];

/** How a thing stands, as its mark tells it. */
const marks = ['settled', 'progress', 'waiting', 'degraded', 'person', 'lost', 'adrift'] as const;

/** The mark of a claim in each state, in lists as in its Line. */
export const claimMarks: Readonly<Record<ClaimState, (typeof marks)[number]>> = {
  bound: 'settled',
  binding: 'progress',
  'waiting-pod': 'waiting',
  'nothing-fits': 'person',
  'no-class': 'person',
  retrying: 'degraded',
  stopped: 'person',
  'held-back': 'waiting',
  foreign: 'waiting',
  lost: 'lost',
  unreachable: 'person',
  deleting: 'progress',
};

export const checkSchema = z.object({
  rule: z.string(),
  passed: z.boolean(),
  need: z.union([z.number(), z.string()]),
  have: z.union([z.number(), z.string()]),
  unit: z.enum(['bytes', 'iops', 'claims', 'bytes-per-second', 'copies', 'share', 'text']),
});
/** Where a share is carved out of a pool that is sold in instances, and what is bought for it; without an instance, a new one. */
const carvedSchema = z.object({
  instance: z.string().optional(),
  size: z.number(),
  left: z.number(),
  added: z.number(),
});

const furtherCopySchema = z.object({
  pool: z.string(),
  provisioned: z.number(),
  footprintFactor: z.number(),
  backendIops: z.number(),
  backendThroughput: z.number(),
});

/** Changes that together are enough, and the pool that then takes the claim. */
export const remedySchema = z.object({
  changes: z.array(z.looseObject({ kind: z.string() })),
  pool: z.string(),
  cost: z.number(),
});

export const decisionSchema = z.object({
  madeAt: z.string(),
  /** How long choosing took, microseconds. */
  tookMicros: z.number(),
  trace: z.object({
    candidates: z.array(
      z.object({
        pool: z.string(),
        order: z.number(),
        checks: z.array(checkSchema),
        carved: carvedSchema.optional(),
        score: z
          .object({
            bytesLeft: z.number(),
            iopsLeft: z.number(),
            /** Missing in decisions made before throughput was promised. */
            throughputLeft: z.number().optional(),
            headroom: z.number(),
            weight: z.number(),
            total: z.number(),
            aboveSoftMark: z.boolean(),
            planned: z.boolean().optional(),
          })
          .optional(),
      }),
    ),
    winner: z.string().optional(),
    runnerUp: z.string().optional(),
    provisioned: z.number().optional(),
    iopsFloor: z.number().optional(),
    backendIops: z.number().optional(),
    throughputFloor: z.number().optional(),
    backendThroughput: z.number().optional(),
    footprintFactor: z.number().optional(),
    carved: carvedSchema.optional(),
    /** The copy on another backend, and the one at another site. */
    second: furtherCopySchema.optional(),
    offsite: furtherCopySchema.optional(),
  }),
  remedies: z.array(remedySchema),
});
export type DecisionRow = z.infer<typeof decisionSchema>;

export const claimRowSchema = z.object({
  uid: z.string(),
  namespace: z.string(),
  name: z.string(),
  className: z.string().nullable(),
  modes: z.array(z.string()),
  volumeMode: z.string(),
  requested: z.number(),
  provisioned: z.number().nullable(),
  consumed: z.number().nullable(),
  state: z.enum(claimStates),
  pool: z.string().nullable(),
  backend: z.string().nullable(),
  volumeName: z.string().nullable(),
  volumeId: z.string().nullable(),
  createdAt: z.string(),
  /** Its growth, while it asks for more than it has. */
  growth: z
    .object({
      operation: z.string(),
      state: z.string(),
      /** Why it waits: for room, for its class to allow it, for its pool to be there again, for its node. */
      waitingFor: z.enum(['capacity', 'class', 'pool', 'node']).nullable(),
      /** The rule that refuses first, and where. */
      failed: z.object({ pool: z.string(), check: checkSchema }).nullable(),
      error: z.object({ code: z.string(), detail: z.string() }).nullable(),
      stopped: z.enum(['paused', 'refused']).nullable(),
      nextAttemptAt: z.string().nullable(),
    })
    .nullable(),
  /** For claims without a volume: rules that failed, by pool, and what goes on, as data for a sentence. */
  reason: z
    .object({
      failed: z.array(z.object({ pool: z.string(), check: checkSchema })),
      pod: z.string().nullable(),
      /** Why the platform has not placed that pod yet, in its own words. */
      podWhy: z.string().nullable(),
      error: z.object({ code: z.string(), detail: z.string() }).nullable(),
      nextAttemptAt: z.string().nullable(),
      /** What carries its binding, and why nothing is done about it until a person says so. */
      operation: z.string().nullable(),
      stopped: z.enum(['paused', 'refused']).nullable(),
      attempts: z.number(),
      /** What the claim asks for that is not carried out yet. */
      asks: z.enum(['source', 'named-volume', 'selector', 'beforehand']).nullable(),
      /** The class whose name is nearest to one that is not there. */
      nearest: z.string().nullable(),
      /** Since when its backend does not list its volume any more. */
      missingSince: z.string().nullable(),
    })
    .nullable(),
});
export type ClaimRow = z.infer<typeof claimRowSchema>;

export const claimSorts = ['created', 'name', 'namespace', 'class', 'size', 'state'] as const;
export const claimQuerySchema = z.object({
  namespace: z.string().optional(),
  className: z.string().optional(),
  state: z.enum(['bound', 'unbound']).optional(),
  /** Part of a name, namespace, class, pool, or either world's identifier. */
  q: z.string().max(200).optional(),
  sort: z.enum(claimSorts).default('created'),
  direction: z.enum(['asc', 'desc']).default('desc'),
  cursor: z.string().optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});
export type ClaimQuery = z.infer<typeof claimQuerySchema>;
/** All claims of a filter, in one text. */
export const claimExportQuerySchema = claimQuerySchema
  .omit({ cursor: true, limit: true })
  .extend({ format: z.enum(['csv', 'json']).default('csv') });
export type ClaimExportQuery = z.infer<typeof claimExportQuerySchema>;

export const claimPageSchema = z.object({
  claims: z.array(claimRowSchema),
  total: z.int(),
  next: z.string().nullable(),
  /** Of all that match the filters but the state's; `stuck` ones cannot go on without a person. */
  counts: z.object({ bound: z.int(), unbound: z.int(), stuck: z.int() }),
});
export type ClaimPage = z.infer<typeof claimPageSchema>;
export const claimDetailSchema = z.object({
  claim: claimRowSchema,
  /** Pods that use it now: the platform keeps a deleted claim until they are gone. */
  usedBy: z.object({
    pods: z.array(z.object({ pod: z.string(), node: z.string().nullable() })),
    application: z.string().nullable(),
    /** Pods of the same application that do not use this claim. */
    otherReplicas: z.int(),
  }),
  decisions: z.array(decisionSchema),
  /** What was done for it, step by step, the first first. */
  timeline: z.array(
    z.object({
      at: z.string(),
      /** What is done, and the step of it, as people read it. */
      title: z.string(),
      words: z.string(),
      /** Seconds until the next step of the same; null while it lasts. */
      seconds: z.number().nullable(),
    }),
  ),
  manifest: z.unknown(),
});
export type ClaimDetail = z.infer<typeof claimDetailSchema>;

/** What the platform itself says of a claim and of its pods, the first first; it forgets after a while. */
export const claimSayingsSchema = z.object({
  sayings: z.array(
    z.object({
      of: z.enum(['claim', 'pod']),
      name: z.string(),
      isWarning: z.boolean(),
      reason: z.string(),
      message: z.string(),
      first: z.string(),
      last: z.string(),
      count: z.int(),
      by: z.string(),
    }),
  ),
  /** Why the platform could not be asked; null when it answered. */
  problem: z.string().nullable(),
  /** The driver that a class of others names, and on how many nodes it is; null where the class is ours or not there. */
  driver: z.object({ name: z.string(), nodes: z.int() }).nullable(),
});
export type ClaimSayings = z.infer<typeof claimSayingsSchema>;

/** One link of a Line: a thing with its name in the platform and its identifier in the backend. */
export const linkSchema = z.object({
  kind: z.enum(['namespace', 'application', 'pod', 'claim', 'volume', 'class', 'pool', 'backend', 'copy']),
  name: z.string(),
  platformId: z.string().nullable(),
  backendId: z.string().nullable(),
  mark: z.enum(marks),
  note: z.string().nullable(),
});
export type LineLink = z.infer<typeof linkSchema>;
export const lineSchema = z.object({ claim: z.string(), links: z.array(linkSchema) });
export type Line = z.infer<typeof lineSchema>;
