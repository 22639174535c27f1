import { fromManifest, provisioner, type ClassManifest } from '@moorage/core/classes/manifest';
import { accessModes, volumeModes } from '@moorage/core/classes/storage-class';
import { z } from 'zod';
import { sizeTextSchema } from './claims';
import { manifestLimits } from './manifest-limits';
import { nameSchema, storageClassSchema } from './classes';

/** Manifests as text: YAML or JSON, one or several documents. */
export const manifestTextSchema = z.object({
  text: z
    .string()
    .min(1, 'The manifest is empty.')
    .max(manifestLimits.characters, 'The manifest is longer than 200,000 characters.'),
});
const madeSchema = z.array(z.object({ kind: z.string(), namespace: z.string().nullable(), name: z.string() }));
export const manifestResultSchema = z.object({
  made: madeSchema,
  /** What stands already as the text says, and what is not ours to make. */
  kept: madeSchema,
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

export interface ManifestIssue {
  readonly path: readonly (string | number)[];
  readonly detail: string;
}

/** The object as the platform takes it, or all that is wrong with it. */
export type ReadManifest =
  | {
      readonly ok: true;
      readonly kind: 'PersistentVolumeClaim' | 'StorageClass';
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

/** Reads one document: a persistent volume claim, or a storage class of ours. */
export function readManifest(value: unknown): ReadManifest {
  const kind = (value as { kind?: unknown } | null)?.kind;
  if (kind === 'StorageClass') return readClass(value);
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
