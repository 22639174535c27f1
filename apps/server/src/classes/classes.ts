import type { ClassRow, NewClass } from '@moorage/contract/classes';
import {
  defaultClassAnnotation,
  fromManifest,
  provisioner,
  toManifest,
  type ClassManifest,
} from '@moorage/core/classes/manifest';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import type { PlatformConnector, PlatformObject } from '../platform/connector';
import { upsertObjects } from '../platform/mirror';

interface StoredClass {
  uid: string;
  body: ClassManifest;
  created_at: Date;
  claims: number;
  bound: number;
  provisioned: number;
  moored: number;
}

const isDefault = (manifest: ClassManifest): boolean =>
  manifest.metadata.annotations?.[defaultClassAnnotation] === 'true';

const toRow = (row: StoredClass): ClassRow => ({
  uid: row.uid,
  ...fromManifest(row.body),
  isDefault: isDefault(row.body),
  createdAt: row.created_at.toISOString(),
  claims: row.claims,
  bound: row.bound,
  provisioned: row.provisioned,
  mooredPools: row.moored,
});

/** Our classes with what uses them. */
export async function listClasses(database: Database, name?: string): Promise<ClassRow[]> {
  const rows = await database.rows<StoredClass>(
    `SELECT c.uid, c.body, c.created_at,
       (SELECT count(*) FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims' AND o.class_name = c.name) AS claims,
       (SELECT count(*) FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims' AND o.class_name = c.name AND o.phase = 'Bound') AS bound,
       coalesce((SELECT sum(r.bytes) FROM reservations r WHERE r.class_name = c.name), 0)::bigint AS provisioned,
       (SELECT count(*) FROM moorings m WHERE m.class_name = c.name AND m.enabled) AS moored
     FROM platform_objects c WHERE c.plural = 'storageclasses' AND c.body ->> 'provisioner' = $1 AND ($2::text IS NULL OR c.name = $2)
     ORDER BY c.name LIMIT 2000`,
    [provisioner, name],
  );
  return rows.map(toRow);
}

/** Makes a class on the platform; it is in our mirror when this returns. */
export async function createClass(
  database: Database,
  platform: PlatformConnector,
  asked: NewClass,
  person: string,
): Promise<ClassRow> {
  const { isDefault: wantsDefault, ...storageClass } = asked;
  const { iopsFloor, iopsCeiling } = storageClass;
  if (iopsFloor?.kind === 'fixed' && iopsCeiling?.kind === 'fixed' && iopsFloor.value > iopsCeiling.value)
    throw HttpProblem.invalid(
      'iopsFloor',
      'The floor is above the ceiling: the pool would have to give more than it lets through.',
    );
  const made = await platform.create(toManifest(storageClass, false) as unknown as PlatformObject);
  await upsertObjects(database, 'storageclasses', [made]);
  await record(database, { person, action: 'create', kind: 'class', subject: asked.name, after: asked });
  if (wantsDefault) await makeDefault(database, platform, asked.name, person);
  await announce(database, [{ topic: 'classes', subject: asked.name }]);
  const [row] = await listClasses(database, asked.name);
  return row!;
}

/** One act: the class becomes the default, and no other class stays one. */
export async function makeDefault(
  database: Database,
  platform: PlatformConnector,
  name: string,
  person: string,
): Promise<void> {
  const all = await database.rows<{ name: string; body: ClassManifest }>(
    `SELECT name, body FROM platform_objects WHERE plural = 'storageclasses' LIMIT 5000`,
  );
  if (!all.some((c) => c.name === name)) throw HttpProblem.notFound('class', name);
  const before = all.filter((c) => isDefault(c.body)).map((c) => c.name);
  const mark = (cls: string, value: 'true' | null) =>
    platform.mergePatch({
      apiVersion: 'storage.k8s.io/v1',
      kind: 'StorageClass',
      metadata: { name: cls, annotations: { [defaultClassAnnotation]: value } as unknown as Record<string, string> },
    });
  // the new one first: for a moment there are two, never none, and the platform takes the newer of two
  const changed = [await mark(name, 'true')];
  for (const other of before.filter((c) => c !== name)) changed.push(await mark(other, null));
  await upsertObjects(database, 'storageclasses', changed);
  await record(database, {
    person,
    action: 'change',
    kind: 'class',
    subject: name,
    before: { default: before },
    after: { default: [name] },
  });
  await announce(database, [{ topic: 'classes', subject: name }]);
}

export async function deleteClass(
  database: Database,
  platform: PlatformConnector,
  name: string,
  person: string,
): Promise<void> {
  const [cls] = await listClasses(database, name);
  if (!cls) throw HttpProblem.notFound('class', name);
  if (cls.claims > 0) throw HttpProblem.inUse('class', name, `${cls.claims} claims use it`);
  await platform.ensureDeleted('storage.k8s.io/v1', 'StorageClass', name);
  await database.transaction(async (tx) => {
    await database.rows('DELETE FROM moorings WHERE class_name = $1', [name], tx);
    await database.rows(`DELETE FROM platform_objects WHERE plural = 'storageclasses' AND name = $1`, [name], tx);
    await record(database, { person, action: 'delete', kind: 'class', subject: name, before: cls.storageClass }, tx);
    await announce(database, [{ topic: 'classes', subject: name }, { topic: 'moorings' }], tx);
  });
}
