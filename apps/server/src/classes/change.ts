import type { ClassRow, NewClass } from '@moorage/contract/classes';
import { strategyAnnotation, toManifest, type ClassManifest } from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { differences, isLoose } from '@moorage/core/classes/succession';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import type { PlatformConnector, PlatformObject } from '../platform/connector';
import { upsertObjects } from '../platform/mirror';
import { assertClass, filled, listClasses } from './classes';

const classKind = { apiVersion: 'storage.k8s.io/v1', kind: 'StorageClass' } as const;

/** What would change, or why it may not: nothing is asked of the platform. */
export async function planChange(
  database: Database,
  name: string,
  version: string | undefined,
  asked: NewClass,
): Promise<{ row: ClassRow; cls: StorageClass; fixed: readonly string[]; differs: boolean }> {
  const [row] = await listClasses(database, name);
  if (!row) throw HttpProblem.notFound('class', name);
  if (version !== undefined && version !== row.version) throw HttpProblem.changedMeanwhile('class', name);
  if (asked.name !== name)
    throw HttpProblem.invalid('name', `A class keeps its name. Make a successor of ${name} to have another.`);
  if (asked.isDefault !== row.isDefault)
    throw HttpProblem.invalid(
      'isDefault',
      `Which class is the default is set for all of them in one act: PUT /api/classes/${name}/default. Leave it here as it is.`,
    );
  const cls = filled(asked);
  assertClass(cls);
  const differ = differences(row.storageClass, cls);
  const fixed = differ.filter((setting) => !isLoose(setting));
  if (fixed.length > 0 && row.claims > 0)
    throw new HttpProblem(
      409,
      'fixed',
      'Fixed by the platform',
      `${row.claims} claims use ${name}, and the platform fixes what a class promises (${fixed.join(', ')}). Make a successor of it instead.`,
      fixed[0],
    );
  return { row, cls, fixed, differs: differ.length > 0 };
}

/**
 * Changes a class as it stands: what the platform leaves open by a patch, anything else by making it anew under its name, which
 * only a class without claims allows. Its moorings and grants go by its name and stay.
 */
export async function changeClass(
  database: Database,
  platform: PlatformConnector,
  name: string,
  version: string | undefined,
  asked: NewClass,
  person: string,
): Promise<{ row: ClassRow; undo: () => Promise<void> }> {
  const { row, cls, fixed, differs } = await planChange(database, name, version, asked);
  if (!differs) return { row, undo: () => Promise.resolve() };
  if (fixed.length > 0) await replace(database, platform, row, toManifest(cls, row.isDefault));
  else await loosen(database, platform, cls);
  await record(database, {
    person,
    action: 'change',
    kind: 'class',
    subject: name,
    before: row.storageClass,
    after: cls,
  });
  await announce(database, [{ topic: 'classes', subject: name }]);
  const [after] = await listClasses(database, name);
  const undo = async () => {
    if (fixed.length > 0) await replace(database, platform, after!, row.manifest as ClassManifest);
    else await loosen(database, platform, row.storageClass);
  };
  return { row: after!, undo };
}

/** Sets what may change while claims use the class. */
async function loosen(database: Database, platform: PlatformConnector, cls: StorageClass): Promise<void> {
  const changed = await platform.mergePatch({
    ...classKind,
    metadata: { name: cls.name, annotations: { [strategyAnnotation]: cls.strategy } },
    allowVolumeExpansion: cls.expansion,
  } as PlatformObject);
  await upsertObjects(database, 'storageclasses', [changed]);
}

/** Takes a class away and makes it anew; labels and annotations stay, and when the new one is refused the old one comes back. */
async function replace(
  database: Database,
  platform: PlatformConnector,
  row: ClassRow,
  wanted: ClassManifest,
): Promise<void> {
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
    const made = await platform.create(fresh(manifest, marks));
    await database.transaction(async (tx) => {
      await database.rows(
        `DELETE FROM platform_objects WHERE plural = 'storageclasses' AND name = $1 AND uid <> $2`,
        [name, made.metadata.uid],
        tx,
      );
      await upsertObjects(database, 'storageclasses', [made], tx);
    });
  };
  await platform.ensureDeleted(classKind.apiVersion, classKind.kind, name);
  try {
    await swap(wanted, { ...kept, ...wanted.metadata.annotations });
  } catch (error) {
    await swap(row.manifest as ClassManifest, annotations).catch((again: unknown) => {
      throw new HttpProblem(
        502,
        'class-lost',
        'The class is not there any more',
        `${name} was taken away to be made anew, the platform refused the new one (${String((error as Error).message)}) and then the old one (${String((again as Error).message)}). Its moorings and grants are kept: make a class ${name} again; what it was stands in the logbook.`,
      );
    });
    throw error;
  }
}
