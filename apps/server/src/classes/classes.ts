import type { ClassRow, ForeignClass, NewClass } from '@moorage/contract/classes';
import {
  defaultClassAnnotation,
  fromManifest,
  provisioner,
  succeedsAnnotation,
  toManifest,
  type ClassManifest,
} from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import type { PlatformConnector, PlatformObject } from '../platform/connector';
import { upsertObjects } from '../platform/mirror';

interface StoredClass {
  uid: string;
  body: ClassManifest;
  version: number;
  created_at: Date;
  claims: number;
  bound: number;
  stateful: number;
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
  version: String(row.version),
  succeeds: row.body.metadata.annotations?.[succeedsAnnotation] ?? null,
  statefulClaims: row.stateful,
  manifest: row.body,
});

/** Our classes with what uses them. A claim of a stateful set carries the labels of its pods. */
export async function listClasses(database: Database, name?: string): Promise<ClassRow[]> {
  const rows = await database.rows<StoredClass>(
    `SELECT c.uid, c.body, c.version, c.created_at, coalesce(o.claims, 0) AS claims, coalesce(o.bound, 0) AS bound,
       coalesce(o.stateful, 0) AS stateful,
       coalesce((SELECT sum(r.bytes) FROM reservations r WHERE r.class_name = c.name), 0)::bigint AS provisioned,
       (SELECT count(*) FROM moorings m WHERE m.class_name = c.name AND m.enabled) AS moored
     FROM platform_objects c LEFT JOIN (
       SELECT class_name, count(*) AS claims, count(*) FILTER (WHERE phase = 'Bound') AS bound,
         count(*) FILTER (WHERE body #> '{metadata,labels}' <> '{}'::jsonb) AS stateful
       FROM platform_objects WHERE plural = 'persistentvolumeclaims' AND ($2::text IS NULL OR class_name = $2) GROUP BY 1
     ) o ON o.class_name = c.name
     WHERE c.plural = 'storageclasses' AND c.body ->> 'provisioner' = $1 AND ($2::text IS NULL OR c.name = $2)
     ORDER BY c.name LIMIT 2000`,
    [provisioner, name],
  );
  return rows.map(toRow);
}

/** Classes of other provisioners, as the platform has them. */
export async function listForeignClasses(database: Database): Promise<ForeignClass[]> {
  const rows = await database.rows<{ body: ClassManifest }>(
    `SELECT body FROM platform_objects WHERE plural = 'storageclasses' AND body ->> 'provisioner' <> $1 ORDER BY name LIMIT 1000`,
    [provisioner],
  );
  return rows.map(({ body }) => ({
    name: body.metadata.name,
    provisioner: body.provisioner,
    isDefault: isDefault(body),
    manifest: body,
  }));
}

/** Refuses what contradicts itself, before the platform is asked. */
export function assertClass(storageClass: StorageClass): void {
  const above = (member: 'iops' | 'throughput') => {
    const [floor, ceiling] =
      member === 'iops'
        ? [storageClass.iopsFloor, storageClass.iopsCeiling]
        : [storageClass.throughputFloor, storageClass.throughputCeiling];
    return floor?.kind === 'fixed' && ceiling?.kind === 'fixed' && floor.value > ceiling.value;
  };
  for (const member of ['iops', 'throughput'] as const)
    if (above(member))
      throw HttpProblem.invalid(
        `${member}Floor`,
        'The floor is above the ceiling: the pool would have to give more than it lets through.',
      );
  if (storageClass.witness && (storageClass.copies !== 2 || storageClass.shards))
    throw HttpProblem.invalid('witness', 'A witness decides between two copies; with another number it has no use.');
  if (storageClass.purpose === 'shared-files' && storageClass.volumeMode === 'Block')
    throw HttpProblem.invalid(
      'volumeMode',
      'Files that many nodes write need a file system: raw block devices are for one writer node.',
    );
}

/** The class that is asked for, with what follows from its other settings. */
export function filled({ isDefault: _isDefault, ...cls }: NewClass): StorageClass {
  return cls.shards ? { ...cls, copies: cls.shards.parity + 1 } : cls;
}

/** Makes a class on the platform; it is in our mirror when this returns. */
export async function createClass(
  database: Database,
  platform: PlatformConnector,
  asked: NewClass,
  person: string,
  annotations: Readonly<Record<string, string>> = {},
): Promise<ClassRow> {
  const cls = filled(asked);
  assertClass(cls);
  const manifest = toManifest(cls, false);
  const made = await platform.create({
    ...manifest,
    metadata: { ...manifest.metadata, ...(Object.keys(annotations).length > 0 && { annotations }) },
  } as unknown as PlatformObject);
  await upsertObjects(database, 'storageclasses', [made]);
  await record(database, { person, action: 'create', kind: 'class', subject: asked.name, after: asked });
  if (asked.isDefault) await makeDefault(database, platform, asked.name, person);
  await announce(database, [{ topic: 'classes', subject: asked.name }]);
  const [row] = await listClasses(database, asked.name);
  return row!;
}

/** The classes marked as default now. */
export async function findDefaults(database: Database): Promise<string[]> {
  const rows = await database.rows<{ name: string }>(
    `SELECT name FROM platform_objects WHERE plural = 'storageclasses'
       AND body #>> ARRAY['metadata','annotations',$1] = 'true' ORDER BY name LIMIT 100`,
    [defaultClassAnnotation],
  );
  return rows.map((r) => r.name);
}

/** One act: the class becomes the default, and no other class stays one. Two people doing so take turns. */
export function makeDefault(
  database: Database,
  platform: PlatformConnector,
  name: string,
  person: string,
): Promise<void> {
  return database.transaction(async (tx) => {
    await database.rows('SELECT pg_advisory_xact_lock(4415, 1)', [], tx);
    await markDefault(database, platform, name, person);
  });
}

async function markDefault(
  database: Database,
  platform: PlatformConnector,
  name: string,
  person: string,
): Promise<void> {
  const known = await database.one(`SELECT 1 FROM platform_objects WHERE plural = 'storageclasses' AND name = $1`, [
    name,
  ]);
  if (!known) throw HttpProblem.notFound('class', name);
  const before = await findDefaults(database);
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
    await database.rows('DELETE FROM grants WHERE class_name = $1', [name], tx);
    await database.rows('DELETE FROM class_access WHERE class_name = $1', [name], tx);
    await database.rows('DELETE FROM successions WHERE $1 IN (from_class, to_class)', [name], tx);
    await database.rows(`DELETE FROM platform_objects WHERE plural = 'storageclasses' AND name = $1`, [name], tx);
    await record(database, { person, action: 'delete', kind: 'class', subject: name, before: cls.storageClass }, tx);
    await announce(database, [{ topic: 'classes', subject: name }, { topic: 'moorings' }], tx);
  });
}
