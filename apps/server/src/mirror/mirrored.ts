import { fromManifest, type ClassManifest } from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import type { Database } from '../database/database';
import type { PlatformObject, Plural } from '../platform/connector';
import { platformObjects } from './mirror-model';

/** Whether the platform has an object, as far as the mirror knows. */
export const isMirrored = async (database: Database, plural: Plural, name: string): Promise<boolean> =>
  (await platformObjects.in(database).count({ where: { plural, name } })) > 0;

/** Objects of one kind by name, whole; with `names`, those alone. */
export const listMirrored = (database: Database, plural: Plural, names?: readonly string[] | null) =>
  platformObjects.in(database).findAll({ attributes: ['name', 'body'], raw: true, ...ofKind(plural, names) });

/** Their names alone. */
export const namesOf = async (database: Database, plural: Plural, names?: readonly string[] | null) =>
  (await platformObjects.in(database).findAll({ attributes: ['name'], raw: true, ...ofKind(plural, names) })).map(
    (o) => o.name,
  );

const ofKind = (plural: Plural, names: readonly string[] | null | undefined) => ({
  where: { plural, ...(names && { name: [...names] }) },
  order: [['name', 'ASC'] as [string, string]],
  limit: 10_000,
});

/** One object by its name; undefined when the mirror has none. */
export const findMirrored = async (database: Database, plural: Plural, name: string) =>
  (await platformObjects.in(database).findOne({ raw: true, where: { plural, name } })) ?? undefined;

/** A mirrored storage class as the core knows it. Its form is the platform's own to keep; what is missing takes its default. */
export const storageClassOf = (body: PlatformObject): StorageClass =>
  fromManifest(body as unknown as ClassManifest).storageClass;
