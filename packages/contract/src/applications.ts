import { copyStates, standingLevels } from '@moorage/core/applications/application';
import { nodeRules } from '@moorage/core/applications/pods';
import { retentions, spreads } from '@moorage/core/applications/set-manifest';
import { comparisons } from '@moorage/core/applications/written';
import { accessModes, volumeModes } from '@moorage/core/classes/storage-class';
import { z } from 'zod';
import { checkSchema, sizeTextSchema } from './claims';
import { nameSchema } from './classes';

/** One thing whose failure stops several replicas, or a volume that has copies elsewhere. */
const pointInBriefSchema = z.object({
  level: z.enum(standingLevels),
  name: z.string(),
  of: z.enum(['replicas', 'copies', 'witness']),
  leaves: z.enum(['none', 'no-more-than-half', 'more-than-half']),
});

export const applicationRowSchema = z.object({
  uid: z.string(),
  namespace: z.string(),
  /** Of the owner of its pods, as the platform calls it. */
  kind: z.string(),
  name: z.string(),
  /** Null where the owner is not one that says so. */
  wanted: z.number().nullable(),
  pods: z.number(),
  ready: z.number(),
  claims: z.number(),
  /** What its claims ask for. */
  bytes: z.number(),
  classes: z.array(z.string()),
  pools: z.array(z.string()),
  nodes: z.array(z.string()),
  zones: z.array(z.string()),
  /** The worst state of any copy; null where no backend tells of copies. */
  worst: z.enum(copyStates).nullable(),
  /** Common points of failure, those that leave least first; at most twenty. */
  points: z.array(pointInBriefSchema),
  createdAt: z.string(),
});
export type ApplicationRow = z.infer<typeof applicationRowSchema>;

export const applicationSorts = [
  'namespace',
  'name',
  'bytes',
  'claims',
  'ready',
  'worst',
  'points',
  'created',
] as const;
export const applicationQuerySchema = z.object({
  namespace: z.string().optional(),
  /** Those alone that are not all ready, have a copy that is not in step, or stand together on one disk, node, rack or zone. */
  need: z.enum(['replicas', 'copies', 'points']).optional(),
  /** Part of a name, namespace, class, pool, node or zone. */
  q: z.string().max(200).optional(),
  sort: z.enum(applicationSorts).default('namespace'),
  direction: z.enum(['asc', 'desc']).default('asc'),
  cursor: z.string().optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});
export type ApplicationQuery = z.infer<typeof applicationQuerySchema>;

export const applicationPageSchema = z.object({
  applications: z.array(applicationRowSchema),
  total: z.number(),
  next: z.string().nullable(),
  counts: z.object({ all: z.number(), replicas: z.number(), copies: z.number(), points: z.number() }),
});
export type ApplicationPage = z.infer<typeof applicationPageSchema>;

const copySchema = z.object({
  disk: z.string(),
  node: z.string(),
  state: z.enum(copyStates),
  role: z.enum(['data', 'witness']),
  /** Of what there is to copy. */
  percent: z.number(),
});

export const usedClaimSchema = z.object({
  uid: z.string(),
  name: z.string(),
  className: z.string().nullable(),
  modes: z.array(z.string()),
  volumeMode: z.string(),
  requested: z.number(),
  provisioned: z.number().nullable(),
  phase: z.string().nullable(),
  deleting: z.boolean(),
  volumeName: z.string().nullable(),
  /** The volume, then what is kept in step with it elsewhere; empty without a volume of ours. */
  parts: z.array(
    z.object({ pool: z.string(), backend: z.string(), needs: z.number().nullable(), copies: z.array(copySchema) }),
  ),
  /** Zones from which its volume can be reached; null where from all. */
  zones: z.array(z.string()).nullable(),
});

const replicaSchema = z.object({
  pod: z.string(),
  node: z.string().nullable(),
  phase: z.string().nullable(),
  ready: z.boolean(),
  deleting: z.boolean(),
  /** Why the platform has not placed it, in its own words. */
  why: z.string().nullable(),
  since: z.string(),
  /** Names of the claims that it mounts. */
  claims: z.array(z.string()),
  /** Where it waits for a volume that is attached to another node: which, whether that node answers, and what holds it there. */
  waitsFor: z.array(
    z.object({
      claim: z.string(),
      node: z.string(),
      ready: z.boolean(),
      pod: z.string().nullable(),
      ending: z.boolean(),
    }),
  ),
});

/** Writes that were acknowledged, and the fingerprint of all of them. */
const writtenSchema = z.object({ writes: z.number(), fingerprint: z.string() });

/** A pod that ended and came back, or is on its way: when each step was seen; null as long as it was not. */
const moveSchema = z.object({
  id: z.number(),
  pod: z.string(),
  from: z.string(),
  to: z.string().nullable(),
  endedAt: z.string(),
  goneAt: z.string().nullable(),
  detachedAt: z.string().nullable(),
  placedAt: z.string().nullable(),
  attachedAt: z.string().nullable(),
  readyAt: z.string().nullable(),
  /** Of claims of which its pods tell what they hold: what they told last before, and first after; compared once it is back. */
  data: z.array(
    z.object({
      claim: z.string(),
      before: writtenSchema,
      after: writtenSchema.nullable(),
      comparison: z.enum(comparisons).nullable(),
    }),
  ),
});
export type MoveSeen = z.infer<typeof moveSchema>;

/** How long pods with claims of a class on a backend took to be back, seconds: half of them, nine of ten, the longest. */
const measuredSchema = z.object({
  className: z.string().nullable(),
  backend: z.string().nullable(),
  count: z.int(),
  half: z.number(),
  most: z.number(),
  longest: z.number(),
});
export type MeasuredMoves = z.infer<typeof measuredSchema>;

export const applicationSchema = z.object({
  application: applicationRowSchema,
  replicas: z.array(replicaSchema),
  /** Replicas that there are beside those listed. */
  more: z.number(),
  claims: z.array(usedClaimSchema),
  /** Its replicas start one after the other, each once the one before is ready. */
  ordered: z.boolean(),
  /** What new replicas ask for, and the claims that were made so. Bytes. */
  templates: z.array(
    z.object({ name: z.string(), className: z.string().nullable(), bytes: z.number(), claims: z.array(z.string()) }),
  ),
  /** Nodes that pods and copies are on, and those that take pods, with where they stand. */
  nodes: z.array(
    z.object({ name: z.string(), rack: z.string().nullable(), zone: z.string().nullable(), takesPods: z.boolean() }),
  ),
  points: z.array(
    pointInBriefSchema.extend({
      pods: z.array(z.string()),
      standing: z.array(z.string()),
      claims: z.array(z.string()),
    }),
  ),
  /** Of replicas whose class wants a copy on their node: whether it is there, and what would bring it there. Bytes. */
  locality: z.array(
    z.object({
      pod: z.string(),
      node: z.string(),
      /** Where more of its claims would be read locally, and how many. */
      podTo: z.object({ node: z.string(), local: z.int() }).nullable(),
      claims: z.array(
        z.object({
          claim: z.string(),
          isLocal: z.boolean(),
          copyTo: z
            .object({ disk: z.string(), fromNode: z.string(), fromDisk: z.string(), bytes: z.number() })
            .nullable(),
        }),
      ),
    }),
  ),
  /** Copies that are not in step, those longest so first. Bytes left, bytes per second, seconds until it is; null where nobody can say. */
  behind: z.array(
    z.object({
      claim: z.string(),
      pool: z.string(),
      disk: z.string(),
      node: z.string(),
      state: z.enum(copyStates),
      percent: z.number(),
      since: z.string(),
      left: z.number(),
      rate: z.number().nullable(),
      ready: z.number().nullable(),
    }),
  ),
  /** Ways of its pods, the last first. */
  moves: z.array(moveSchema),
  /** For the classes and backends of its claims, all applications together. */
  measured: z.array(measuredSchema),
});
export type ApplicationSeen = z.infer<typeof applicationSchema>;

const templateSchema = z.object({
  name: nameSchema,
  className: nameSchema,
  size: sizeTextSchema,
  modes: z.array(z.enum(accessModes)).min(1, 'At least one access mode is needed.').max(4),
  volumeMode: z.enum(volumeModes),
});

/** Replicas that one application may have. */
export const mostReplicas = 500;
const replicasSchema = z.int().min(0).max(mostReplicas, `At most ${mostReplicas} replicas.`);

/** A stateful set with its service and, where it is not there yet, its namespace. */
export const newApplicationSchema = z
  .object({
    namespace: nameSchema,
    name: nameSchema.max(52, 'At most 52 characters: pods and claims add theirs.'),
    replicas: replicasSchema,
    image: z.string().trim().min(1, 'Which image do its pods run?').max(300),
    templates: z.array(templateSchema).min(1, 'At least one claim template is needed.').max(10),
    spread: z.enum(spreads),
    ordered: z.boolean(),
    whenScaled: z.enum(retentions),
    whenDeleted: z.enum(retentions),
    port: z.int().min(1).max(65_535),
  })
  .refine(({ templates }) => new Set(templates.map((t) => t.name)).size === templates.length, {
    error: 'Two templates have the same name.',
    path: ['templates'],
  });
export type NewApplication = z.infer<typeof newApplicationSchema>;

/** What becomes of replicas that start, as things stand. Bytes; the price a month in the currency of the prices of pools. */
export const applicationPlanSchema = z.object({
  fits: z.boolean(),
  /** Classes that templates name and that are not there, or not of ours. */
  missing: z.array(z.string()),
  claims: z.array(
    z.object({
      name: z.string(),
      bytes: z.number(),
      /** It is there from before, with its data. */
      isThere: z.boolean(),
      pool: z.string().nullable(),
      /** What refuses it first, on the pool that comes first; null where it is placed, or its class is moored nowhere. */
      failed: z.object({ pool: z.string(), check: checkSchema }).nullable(),
    }),
  ),
  pods: z.array(
    z.object({
      pod: z.string(),
      node: z.string().nullable(),
      zone: z.string().nullable(),
      /** Where no node takes it: what is against how many of them. */
      against: z.array(z.object({ rule: z.enum(nodeRules), nodes: z.int() })),
    }),
  ),
  /** What new claims ask for. */
  bytes: z.number(),
  monthly: z.number(),
});
export type ApplicationPlan = z.infer<typeof applicationPlanSchema>;

/** An application as manifests: a stateful set, and beside it its service and its namespace. */
export const applicationTextSchema = z.object({ text: z.string().min(1, 'There is nothing in it.').max(1_000_000) });
export const applicationTextPlanSchema = z.object({
  namespace: z.string(),
  name: z.string(),
  replicas: z.int(),
  /** It is not there yet, and made as well. */
  isNewNamespace: z.boolean(),
  /** What its pods say that the plan does not rest on. */
  notRead: z.array(z.string()),
  plan: applicationPlanSchema,
});
export type ApplicationTextPlan = z.infer<typeof applicationTextPlanSchema>;

/** How far the replicas of an application are to keep apart. */
export const spreadSchema = z.object({ by: z.enum(spreads).exclude(['any']) });

export const scaleSchema = z.object({
  replicas: replicasSchema,
  /** The application's name, where data that was written would be destroyed. */
  confirm: z.string().max(253).optional(),
});

export const scalePlanSchema = z.object({
  from: z.int(),
  to: z.int(),
  /** Of the replicas that are added; null when none is. */
  start: applicationPlanSchema.nullable(),
  /** Claims of the replicas that go. */
  claims: z.array(z.object({ name: z.string(), written: z.number() })),
  /** Those claims are deleted by the platform, or stay with their data. */
  whenScaled: z.enum(retentions),
  /** Written bytes that go for good with them. */
  destroyed: z.number(),
  /** Data would be destroyed for good: the name has to be typed. */
  confirm: z.boolean(),
});
export type ScalePlan = z.infer<typeof scalePlanSchema>;

export const startedSchema = z.object({ namespace: z.string(), name: z.string() });

export const nodeSeenSchema = z.object({
  name: z.string(),
  zone: z.string().nullable(),
  rack: z.string().nullable(),
  ready: z.boolean(),
  /** Since when it is, or is not. */
  since: z.string().nullable(),
  cordoned: z.boolean(),
  /** It was declared to be off. */
  off: z.boolean(),
  /** Pods that were told to end there and have not. */
  ending: z.int(),
  /** Of a node that is not heard of: pods that are not told to end yet, and those of them that say they stay for good. */
  staying: z.int(),
  never: z.int(),
  /** When the platform tells the first and the last of the others to end, by what they say they endure; null where nobody can say. */
  endsFirst: z.string().nullable(),
  endsLast: z.string().nullable(),
  /** The operation that drains it. */
  draining: z.string().nullable(),
});
export type NodeSeen = z.infer<typeof nodeSeenSchema>;

const againstSchema = z.array(z.object({ rule: z.enum(nodeRules), nodes: z.int() }));
const drainFateSchema = z.union([
  z.object({ kind: z.literal('moves'), to: z.string(), waits: z.boolean() }),
  z.object({ kind: z.literal('stays') }),
  z.object({ kind: z.literal('cannot'), why: z.enum(['no-owner', 'local-data']) }),
  z.object({ kind: z.literal('cannot'), why: z.literal('budget'), budget: z.string() }),
  z.object({ kind: z.literal('cannot'), why: z.literal('no-node'), against: againstSchema }),
]);

/** What draining a node would bring about, in the order in which pods are told to end. */
export const drainSeenSchema = z.object({
  node: z.string(),
  isPossible: z.boolean(),
  pods: z.array(
    z.object({
      namespace: z.string(),
      pod: z.string(),
      ownerKind: z.string().nullable(),
      owner: z.string().nullable(),
      claims: z.array(z.string()),
      fate: drainFateSchema,
    }),
  ),
  /** Claims whose last copy in step lies on it. */
  lastCopies: z.array(z.string()),
  /** How long pods took to be back so far, seconds: half of them, nine of ten. */
  measured: z.object({ count: z.int(), half: z.number(), most: z.number() }).nullable(),
});
export type DrainSeen = z.infer<typeof drainSeenSchema>;

/** A machine that is known to be off, by whoever gives its name; or that it is no more. */
export const offSchema = z.object({ off: z.boolean(), confirm: z.string().max(253).optional() });

export const cordonSchema = z.object({ cordoned: z.boolean() });
