import type { ClassRow, NewClass } from '@moorage/contract/classes';
import {
  defaultClassAnnotation,
  strategyAnnotation,
  toManifest,
  type ClassManifest,
} from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { Op } from 'sequelize';
import type { Database } from '../database/database';
import type { Change } from '../logbook/change';
import { knownVersion, noteChanged, noteMade } from '../mirror/mirror';
import { platformObjects } from '../mirror/mirror-model';
import { isMirrored } from '../mirror/mirrored';
import { PlatformProblem, type PlatformConnector, type PlatformObject } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import type { PlannedChange } from './plan';
import { assertClass, filled } from './settings';
import { findDefaults } from './listing';

/**
 * What is done to classes on the platform. It is no part of a transaction of ours: each step's way back is known before the step
 * is asked for, and what happened is written into the logbook by whoever called, when all of it stands.
 */
export interface Outside {
  readonly database: Database;
  readonly platform: PlatformConnector;
  /** Ways back from what was asked of the platform so far, the last first. */
  readonly ways: { readonly what: string; readonly back: () => Promise<void> }[];
}

export type Entry = Omit<Change, 'person'>;

const classKind = { apiVersion: 'storage.k8s.io/v1', kind: 'StorageClass' } as const;

/** Answers that say for certain that nothing was done. */
const certain = new Set(['exists', 'invalid', 'forbidden', 'conflict', 'not-found']);

/** One step on the platform, with its way back noted first; taken off again when the platform says that it did nothing. */
async function step<T>(at: Outside, what: string, back: () => Promise<void>, work: () => Promise<T>): Promise<T> {
  const way = { what, back };
  at.ways.unshift(way);
  try {
    return await work();
  } catch (error) {
    if (error instanceof PlatformProblem && certain.has(error.code)) at.ways.splice(at.ways.indexOf(way), 1);
    throw error;
  }
}

/** Takes back what was done, the last first; gives the names of those for which it could not be. */
export async function takeBack(ways: Outside['ways']): Promise<string[]> {
  const stuck: string[] = [];
  for (const { what, back } of ways)
    try {
      await back();
    } catch {
      stuck.push(what); // told to whoever asked, by name
    }
  return [...new Set(stuck)];
}

/** Makes a class; it is in our mirror when this returns. */
export async function makeClass(
  at: Outside,
  asked: NewClass,
  annotations: Readonly<Record<string, string>> = {},
): Promise<Entry> {
  const { database, platform } = at;
  const cls = filled(asked);
  assertClass(cls);
  const manifest = toManifest(cls, false);
  const back = async () => {
    await platform.ensureDeleted(classKind.apiVersion, classKind.kind, cls.name);
    await platformObjects.in(database).destroy({ where: { plural: 'storageclasses', name: cls.name } });
  };
  const made = await step(at, cls.name, back, () =>
    platform.create({
      ...manifest,
      metadata: { ...manifest.metadata, ...(Object.keys(annotations).length > 0 && { annotations }) },
    } as unknown as PlatformObject),
  );
  await noteMade(database, 'storageclasses', made);
  return { action: 'create', kind: 'class', subject: cls.name, after: asked };
}

async function patch(at: Outside, object: PlatformObject): Promise<void> {
  const before = await knownVersion(at.database, 'storageclasses', object.metadata.name);
  await noteChanged(at.database, 'storageclasses', await at.platform.mergePatch(object), before);
}

/** One act: the class becomes the default, and no other class stays one. */
export async function markDefault(at: Outside, name: string): Promise<Entry> {
  if (!(await isMirrored(at.database, 'storageclasses', name))) throw Refusal.notFound('class', name);
  const before = await findDefaults(at.database);
  const mark = (cls: string, value: 'true' | null) =>
    patch(at, {
      ...classKind,
      metadata: { name: cls, annotations: { [defaultClassAnnotation]: value } as unknown as Record<string, string> },
    });
  // the new one first: for a moment there are two, never none, and the platform takes the newer of two
  if (!before.includes(name))
    await step(
      at,
      name,
      () => mark(name, null),
      () => mark(name, 'true'),
    );
  for (const other of before.filter((c) => c !== name))
    await step(
      at,
      other,
      () => mark(other, 'true'),
      () => mark(other, null),
    );
  return { action: 'change', kind: 'class', subject: name, before: { default: before }, after: { default: [name] } };
}

/** Sets what may change while claims use the class. */
const loosen = (at: Outside, cls: StorageClass): Promise<void> =>
  patch(at, {
    ...classKind,
    metadata: { name: cls.name, annotations: { [strategyAnnotation]: cls.strategy } },
    allowVolumeExpansion: cls.expansion,
  } as PlatformObject);

/** Changes a class as it was planned; undefined when nothing differs. */
export async function carryChange(at: Outside, plan: PlannedChange): Promise<Entry | undefined> {
  const { row, cls, fixed, differs } = plan;
  if (!differs) return undefined;
  if (fixed.length > 0) await replace(at, row, toManifest(cls, row.isDefault));
  else
    await step(
      at,
      cls.name,
      () => loosen(at, row.storageClass),
      () => loosen(at, cls),
    );
  return { action: 'change', kind: 'class', subject: cls.name, before: row.storageClass, after: cls };
}

/** Takes a class away and makes it anew; labels and annotations stay. On the way back the old one comes again. */
async function replace(at: Outside, row: ClassRow, wanted: ClassManifest): Promise<void> {
  const { name } = row.storageClass;
  const { labels, annotations } = (row.manifest as { metadata: PlatformObject['metadata'] }).metadata;
  const { [strategyAnnotation]: _strategy, ...kept } = annotations ?? {};
  const fresh = (manifest: ClassManifest, marks: Readonly<Record<string, string>> | undefined) => {
    const { apiVersion, kind, provisioner, parameters, reclaimPolicy, volumeBindingMode } = manifest;
    const { allowVolumeExpansion, mountOptions, allowedTopologies } = manifest;
    return {
      ...{ apiVersion, kind, provisioner, parameters, reclaimPolicy, volumeBindingMode },
      ...{ allowVolumeExpansion, mountOptions, allowedTopologies },
      metadata: { name, ...(labels && { labels }), annotations: { ...marks } },
    } as unknown as PlatformObject;
  };
  const swap = async (manifest: ClassManifest, marks: Readonly<Record<string, string>> | undefined) => {
    await at.platform.ensureDeleted(classKind.apiVersion, classKind.kind, name);
    const made = await at.platform.create(fresh(manifest, marks));
    await at.database.transaction(async () => {
      await platformObjects
        .in(at.database)
        .destroy({ where: { plural: 'storageclasses', name, uid: { [Op.ne]: made.metadata.uid! } } });
      await noteMade(at.database, 'storageclasses', made);
    });
  };
  // whatever the platform answers to the second half, the first was done: the way back stays
  at.ways.unshift({ what: name, back: () => swap(row.manifest as ClassManifest, annotations) });
  await swap(wanted, { ...kept, ...wanted.metadata.annotations });
}
