import type { ClassRow, ForeignClass } from '@moorage/contract/classes';
import {
  type ClassManifest,
  defaultClassAnnotation,
  fromManifest,
  succeedsAnnotation,
  provisioner,
} from '@moorage/core/classes/manifest';
import type { Database } from '../database/database';
import { Sight } from '../people/sight';
import { type StoredClass, classesWithUse, foreignClasses, markedClasses } from './classes.sql';

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
export async function listClasses(
  database: Database,
  name?: string,
  sight: Sight = Sight.everything,
): Promise<ClassRow[]> {
  const rows = await classesWithUse(database, provisioner, name, sight.namespaces);
  return rows.map(toRow);
}

/** Classes of other provisioners, as the platform has them. */
export async function listForeignClasses(database: Database): Promise<ForeignClass[]> {
  const rows = await foreignClasses(database, provisioner);
  return rows.map(({ body }) => ({
    name: body.metadata.name,
    provisioner: body.provisioner,
    isDefault: isDefault(body),
    manifest: body,
  }));
}

/** The classes marked as default now. */
export async function findDefaults(database: Database): Promise<string[]> {
  const rows = await markedClasses(database, defaultClassAnnotation);
  return rows.map((r) => r.name);
}
