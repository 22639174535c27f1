import { fromManifest, provisioner, type ClassManifest } from '@moorage/core/classes/manifest';
import { accessModes, reclaimPolicies, volumeModes } from '@moorage/core/classes/storage-class';
import { tunables } from '@moorage/core/classes/tunable';
import { z } from 'zod';
import { checkSchema, sizeTextSchema } from './claims';
import { manifestLimits } from './manifest-limits';
import { nameSchema, storageClassSchema } from './classes';

/** Manifests as text: YAML or JSON, one or several documents. */
export const manifestTextSchema = z.object({
  text: z
    .string()
    .min(1, 'The manifest is empty.')
    .max(manifestLimits.characters, 'The manifest is longer than 200,000 characters.'),
});
export const manifestApplySchema = manifestTextSchema.extend({
  /** What is refused is left out, and the rest is made; else nothing is made when anything is refused. */
  leaveOut: z.boolean().optional(),
  /** The plan that the person saw: another one by now is told, and nothing is made. */
  planned: z.string().max(100).optional(),
});
export type ManifestApply = z.infer<typeof manifestApplySchema>;

const memberChange = { path: z.string(), from: z.string(), to: z.string() };
const objectionSchema = z.discriminatedUnion('reason', [
  z.object({ reason: z.literal('fault'), line: z.int(), path: z.string(), detail: z.string() }),
  z.object({ reason: z.literal('twice'), line: z.int() }),
  z.object({ reason: z.literal('not-allowed') }),
  z.object({ reason: z.literal('no-namespace'), namespace: z.string() }),
  z.object({ reason: z.literal('fixed'), ...memberChange }),
  z.object({ reason: z.literal('shrinks'), from: z.number(), to: z.number() }),
  z.object({ reason: z.literal('does-not-grow'), className: z.string() }),
  z.object({ reason: z.literal('not-bound') }),
  z.object({ reason: z.literal('class-stands'), ...memberChange }),
  z.object({ reason: z.literal('no-such-volume'), handle: z.string() }),
  z.object({ reason: z.literal('volume-held'), handle: z.string(), by: z.string() }),
  z.object({ reason: z.literal('volume-smaller'), has: z.number(), says: z.number() }),
  z.object({ reason: z.literal('not-kept') }),
]);
export type ManifestObjection = z.infer<typeof objectionSchema>;
const plannedObjectSchema = z.object({
  line: z.int(),
  kind: z.string(),
  namespace: z.string().nullable(),
  name: z.string(),
  fate: z.enum(['new', 'changed', 'untouched', 'left', 'refused']),
  changes: z.array(z.object(memberChange)),
  objections: z.array(objectionSchema),
  /**
   * Of a claim that asks for more: raw bytes that it adds, or what its volume is refused by, as things stand now and each after
   * those before it. It asks all the same, and waits. Null of others, and where nothing is known of its volume.
   */
  growth: z
    .object({
      addedRaw: z.number(),
      failed: z.object({ pool: z.string(), check: checkSchema }).nullable(),
    })
    .nullable(),
  /**
   * Of a claim that is new: what it asks for, for whoever wants to say where it would land. Null of others, and of claims that
   * look for a volume made beforehand.
   */
  asked: z
    .object({
      className: z.string().nullable(),
      /** Bytes. */
      size: z.number(),
      mode: z.enum(accessModes),
      volumeMode: z.enum(volumeModes),
      tuned: z.partialRecord(z.enum(tunables), z.union([z.number(), z.string()])).nullable(),
    })
    .nullable(),
});
export type PlannedManifest = z.infer<typeof plannedObjectSchema>;
export const manifestPlanSchema = z.object({
  objects: z.array(plannedObjectSchema),
  /** Names this plan: to be given back when it is applied. */
  planned: z.string(),
});
export type ManifestPlan = z.infer<typeof manifestPlanSchema>;

const namedSchema = z.array(z.object({ kind: z.string(), namespace: z.string().nullable(), name: z.string() }));
export const manifestResultSchema = z.object({
  made: namedSchema,
  changed: namedSchema,
  /** What stands already as the text says, and what is not ours to make. */
  kept: namedSchema,
  /** What was left out. */
  refused: namedSchema,
});
export type ManifestResult = z.infer<typeof manifestResultSchema>;

const quantity = z.preprocess((value) => (typeof value === 'number' ? String(value) : value), sizeTextSchema);

const claimManifestSchema = z.object({
  apiVersion: z.literal('v1', { error: 'A persistent volume claim has apiVersion v1.' }),
  kind: z.literal('PersistentVolumeClaim'),
  metadata: z.looseObject({ name: nameSchema, namespace: nameSchema }),
  spec: z.looseObject({
    accessModes: z.array(z.enum(accessModes)).min(1, 'At least one access mode is needed.'),
    volumeMode: z.enum(volumeModes).default('Filesystem'),
    storageClassName: nameSchema.optional(),
    resources: z.looseObject({ requests: z.looseObject({ storage: quantity }) }),
  }),
});

const classManifestSchema = z.looseObject({
  apiVersion: z.literal('storage.k8s.io/v1', { error: 'A storage class has apiVersion storage.k8s.io/v1.' }),
  kind: z.literal('StorageClass'),
  metadata: z.looseObject({ name: nameSchema, annotations: z.record(z.string(), z.string()).optional() }),
  provisioner: z.literal(provisioner, { error: `Only classes of ${provisioner} are made here.` }),
  parameters: z.record(z.string(), z.string({ error: 'Parameters are texts: put the value in quotes.' })).optional(),
  reclaimPolicy: z.string().optional(),
  volumeBindingMode: z.string().optional(),
  allowVolumeExpansion: z.boolean().optional(),
});

/** A volume made beforehand, on a backend that we know: its handle is the backend's name and the volume's identifier there. */
const volumeManifestSchema = z.looseObject({
  apiVersion: z.literal('v1', { error: 'A persistent volume has apiVersion v1.' }),
  kind: z.literal('PersistentVolume'),
  metadata: z.looseObject({ name: nameSchema }),
  spec: z.looseObject({
    capacity: z.looseObject({ storage: quantity }),
    accessModes: z.array(z.enum(accessModes)).min(1, 'At least one access mode is needed.'),
    volumeMode: z.enum(volumeModes).optional(),
    storageClassName: z.string().optional(),
    persistentVolumeReclaimPolicy: z.enum(reclaimPolicies).optional(),
    csi: z.looseObject({
      driver: z.literal(provisioner),
      volumeHandle: z.string().regex(/^[^/]+\/.+$/, 'Written as BACKEND/VOLUME, as Backends shows them.'),
    }),
  }),
});

export interface ManifestIssue {
  readonly path: readonly (string | number)[];
  readonly detail: string;
}

/** The object as the platform takes it, or all that is wrong with it. */
export type ReadManifest =
  | {
      readonly ok: true;
      readonly kind: 'PersistentVolumeClaim' | 'PersistentVolume' | 'StorageClass';
      readonly name: string;
      readonly namespace?: string;
      readonly object: object;
    }
  | { readonly ok: false; readonly issues: readonly ManifestIssue[] };

const issuesOf = (error: z.ZodError): ManifestIssue[] =>
  error.issues.map((issue) => ({
    path: issue.path.map((p) => (typeof p === 'symbol' ? String(p) : p)),
    detail: issue.message,
  }));

/** The path of a member whose last name may hold dots. */
function pathOf(field: string): string[] {
  for (const parent of [['parameters'], ['metadata', 'annotations']]) {
    const start = `${parent.join('.')}.`;
    if (field.startsWith(start)) return [...parent, field.slice(start.length)];
  }
  return [field];
}

function readClass(value: unknown): ReadManifest {
  const shape = classManifestSchema.safeParse(value);
  if (!shape.success) return { ok: false, issues: issuesOf(shape.error) };
  const manifest = shape.data as unknown as ClassManifest;
  const { storageClass, problems } = fromManifest(manifest);
  const settings = storageClassSchema.safeParse(storageClass);
  const issues = [
    ...problems.map((p) => ({
      path: pathOf(p.field),
      detail:
        p.problem === 'bad-value'
          ? `"${p.value}" is not a value this setting takes. ${p.meant !== undefined ? `Was "${p.meant}" meant?` : `It is written like "${p.example}".`}`
          : `There is no such setting. ${p.meant === undefined ? 'Check its spelling.' : `Was "${p.meant}" meant?`}`,
    })),
    ...(settings.success ? [] : issuesOf(settings.error)),
  ];
  if (issues.length > 0) return { ok: false, issues };
  return { ok: true, kind: 'StorageClass', name: manifest.metadata.name, object: shape.data };
}

function readVolume(value: unknown): ReadManifest {
  const volume = volumeManifestSchema.safeParse(value);
  if (!volume.success) return { ok: false, issues: issuesOf(volume.error) };
  return { ok: true, kind: 'PersistentVolume', name: volume.data.metadata.name, object: volume.data };
}

/** Reads one document: a persistent volume claim, a storage class of ours, or a persistent volume of ours. */
export function readManifest(value: unknown): ReadManifest {
  const kind = (value as { kind?: unknown } | null)?.kind;
  if (kind === 'StorageClass') return readClass(value);
  if (kind === 'PersistentVolume') return readVolume(value);
  if (kind !== 'PersistentVolumeClaim')
    return {
      ok: false,
      issues: [{ path: ['kind'], detail: 'Only PersistentVolumeClaim and StorageClass are made here.' }],
    };
  const claim = claimManifestSchema.safeParse(value);
  if (!claim.success) return { ok: false, issues: issuesOf(claim.error) };
  const { metadata } = claim.data;
  return { ok: true, kind, name: metadata.name, namespace: metadata.namespace, object: claim.data };
}
