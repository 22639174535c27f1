import type { Manifest, PlatformStep } from '../acts/platform-step';
import { defaultClassAnnotation, strategyAnnotation, toManifest, type ClassManifest } from './manifest';
import type { StorageClass } from './storage-class';
import { carriedOver, differences, isLoose } from './succession';

/** A class as the platform has it. */
export interface StandingClass {
  readonly storageClass: StorageClass;
  readonly isDefault: boolean;
  readonly manifest: ClassManifest & { readonly metadata: Manifest['metadata'] };
}

/** What is written down of a change of a class. */
export interface ClassEntry {
  readonly action: 'create' | 'change' | 'delete';
  readonly kind: 'class';
  readonly subject: string;
  readonly before?: unknown;
  readonly after?: unknown;
}

export interface ClassPlan {
  readonly steps: readonly PlatformStep[];
  readonly entries: readonly ClassEntry[];
}

const classKind = { apiVersion: 'storage.k8s.io/v1', kind: 'StorageClass' } as const;

/** The class that is asked for, with what follows from its other settings. */
export function filled({
  isDefault: _isDefault,
  ...cls
}: StorageClass & { readonly isDefault?: boolean }): StorageClass {
  return cls.shards ? { ...cls, copies: cls.shards.parity + 1 } : cls;
}

/** A class is made; marks it the default as a step of its own. */
export function planNewClass(
  asked: StorageClass & { readonly isDefault?: boolean },
  annotations: Readonly<Record<string, string>> = {},
): ClassPlan {
  const cls = filled(asked);
  const manifest = toManifest(cls, false);
  const marks = Object.keys(annotations).length > 0 && { annotations };
  const object = { ...manifest, metadata: { ...manifest.metadata, ...marks } };
  return {
    steps: [{ do: 'make', object }],
    entries: [{ action: 'create', kind: 'class', subject: cls.name, after: asked }],
  };
}

const mark = (name: string, value: 'true' | null): Manifest => ({
  ...classKind,
  metadata: { name, annotations: { [defaultClassAnnotation]: value } },
});

/** A class becomes the default, and no other stays one. The new one first: for a moment there are two, never none, and the platform takes the newer of two. */
export function planDefault(name: string, before: readonly string[]): ClassPlan {
  const on = (cls: string): PlatformStep => ({ do: 'patch', object: mark(cls, 'true'), back: mark(cls, null) });
  const off = (cls: string): PlatformStep => ({ do: 'patch', object: mark(cls, null), back: mark(cls, 'true') });
  return {
    steps: [...(before.includes(name) ? [] : [on(name)]), ...before.filter((c) => c !== name).map(off)],
    entries: [
      { action: 'change', kind: 'class', subject: name, before: { default: before }, after: { default: [name] } },
    ],
  };
}

/** Its manifest without what the platform writes into it by itself. */
function plain(manifest: StandingClass['manifest'], annotations: Manifest['metadata']['annotations']): Manifest {
  const { apiVersion, kind, provisioner, parameters, reclaimPolicy, volumeBindingMode } = manifest;
  const { allowVolumeExpansion, mountOptions, allowedTopologies, metadata } = manifest;
  const rest = { provisioner, parameters, reclaimPolicy, volumeBindingMode, allowVolumeExpansion };
  const { name, labels } = metadata;
  return {
    ...{ apiVersion, kind, ...rest },
    ...(mountOptions && { mountOptions }),
    ...(allowedTopologies && { allowedTopologies }),
    metadata: { name, ...(labels && { labels }), annotations: { ...annotations } },
  } as Manifest;
}

/** A class is taken away; made again, it is as it was. */
export const planRemoval = ({ storageClass, manifest }: StandingClass): ClassPlan => ({
  steps: [{ do: 'remove', object: plain(manifest, manifest.metadata.annotations) }],
  entries: [{ action: 'delete', kind: 'class', subject: storageClass.name, before: storageClass }],
});

/** Settings that would change, and those of them that the platform fixes while claims use the class. */
export function changedSettings(was: StorageClass, cls: StorageClass) {
  const all = differences(was, cls);
  return { all, fixed: all.filter((setting) => !isLoose(setting)) };
}

/**
 * A class is changed: what the platform leaves open by a patch, anything else by making it anew under its name. Labels and
 * annotations stay.
 */
export function planClassChange(standing: StandingClass, cls: StorageClass): ClassPlan {
  const { storageClass: was, isDefault, manifest } = standing;
  const { all, fixed } = changedSettings(was, cls);
  if (all.length === 0) return { steps: [], entries: [] };
  const entries: ClassEntry[] = [{ action: 'change', kind: 'class', subject: cls.name, before: was, after: cls }];
  const { annotations } = manifest.metadata;
  if (fixed.length === 0) {
    const loosened = (strategy: string | null, expansion: boolean) => ({
      ...classKind,
      metadata: { name: cls.name, annotations: { [strategyAnnotation]: strategy } },
      allowVolumeExpansion: expansion,
    });
    const back = loosened(annotations?.[strategyAnnotation] ?? null, was.expansion);
    return { steps: [{ do: 'patch', object: loosened(cls.strategy, cls.expansion), back }], entries };
  }
  const { [strategyAnnotation]: _strategy, ...kept } = annotations ?? {};
  const wanted = toManifest(cls, isDefault);
  const { labels } = manifest.metadata;
  const object = {
    ...wanted,
    metadata: { name: cls.name, ...(labels && { labels }), annotations: { ...kept, ...wanted.metadata.annotations } },
  };
  return { steps: [{ do: 'replace', was: plain(manifest, annotations), object }], entries };
}

/** A change of classes in a draft. `was` is the class as the draft saw it: only what differs from it is meant. */
export type ClassDraft =
  | { readonly kind: 'class'; readonly storageClass: StorageClass & { readonly isDefault: boolean } }
  | { readonly kind: 'class-change'; readonly storageClass: StorageClass; readonly was: StorageClass }
  | { readonly kind: 'default'; readonly className: string };

const rank = { class: 0, 'class-change': 1, default: 2 } as const;

/**
 * What a draft asks of the platform, in the one order in which it is asked whatever order it was drafted in: classes first, their
 * changes, the default last. Each step is planned on what those before it leave. `classes` and `defaults` are as they stand now.
 */
export function planClassDrafts(
  changes: readonly ClassDraft[],
  classes: ReadonlyMap<string, StandingClass>,
  defaults: readonly string[],
): ClassPlan {
  const steps: PlatformStep[] = [];
  const entries: ClassEntry[] = [];
  const standing = new Map(classes);
  const take = (plan: ClassPlan) => {
    steps.push(...plan.steps);
    entries.push(...plan.entries);
  };
  // marks come last: a class that is made anew keeps the mark that it has
  const marks: string[] = [];
  for (const change of [...changes].sort((a, b) => rank[a.kind] - rank[b.kind]))
    if (change.kind === 'default') marks.push(change.className);
    else if (change.kind === 'class') {
      take(planNewClass(change.storageClass));
      if (change.storageClass.isDefault) marks.push(change.storageClass.name);
    } else {
      const now = standing.get(change.storageClass.name);
      if (!now) continue;
      const meant = filled(carriedOver(change.was, change.storageClass, now.storageClass));
      const plan = planClassChange(now, meant);
      take(plan);
      const [step] = plan.steps;
      if (step?.do === 'replace')
        standing.set(meant.name, { ...now, storageClass: meant, manifest: step.object as StandingClass['manifest'] });
    }
  let marked = defaults;
  for (const name of marks) {
    take(planDefault(name, marked));
    marked = [name];
  }
  return { steps, entries };
}
