import type { ClassRow, ForeignClass, NewClass } from '@moorage/contract/classes';
import {
  defaultClassAnnotation,
  fromManifest,
  provisioner,
  succeedsAnnotation,
  type ClassManifest,
} from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import type { Turns } from '../live/turns';
import { record } from '../logbook/logbook';
import { moorings } from '../moorings/mooring-model';
import { Sight } from '../people/sight';
import type { PlatformConnector } from '../platform/connector';
import { platformObjects } from '../platform/mirror-model';
import { classAccess, grants } from './access-model';
import { makeClass, markDefault, takeBack, type Entry, type Outside } from './acts';
import { classesWithUse, foreignClasses, markedClasses, type StoredClass } from './classes.sql';
import { successions } from './succession-model';

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

/** What two people who change the default must take turns at. */
export const defaultTurn = 'the default class';
export const classTurn = (name: string): string => `class ${name}`;

/**
 * Changes of classes on the platform as one act, in turn with others at the same classes. What was done is in the logbook when
 * this returns; when a step fails, those before it are taken back, and what cannot be is told.
 */
export function actOnClass(
  database: Database,
  platform: PlatformConnector,
  turns: Turns,
  names: readonly string[],
  person: string,
  work: (at: Outside) => Promise<Entry[]>,
): Promise<void> {
  return turns.at(
    names.map((n) => (n === defaultTurn ? n : classTurn(n))),
    async () => {
      const at: Outside = { database, platform, ways: [] };
      try {
        const entries = await work(at);
        await database.transaction(async () => {
          for (const entry of entries) await record(database, { person, ...entry });
          await announce(
            database,
            entries.map((e) => ({ topic: 'classes' as const, subject: e.subject })),
          );
        });
      } catch (error) {
        throw await takenBack(at, error);
      }
    },
  );
}

/** The error to tell, once what was done before it is taken back as far as it can be. */
export async function takenBack(at: Outside, error: unknown): Promise<unknown> {
  const stuck = await takeBack(at.ways);
  if (stuck.length === 0) return error;
  return new HttpProblem(
    502,
    'half-applied',
    'Done in part',
    `It failed (${(error as Error).message}), and what was done to ${stuck.join(', ')} on the platform could not be taken back. Look at ${stuck.length === 1 ? 'that class' : 'those classes'}; what they were stands in the logbook. Moorings and grants are as they were.`,
  );
}

/** Makes a class on the platform; it is in our mirror when this returns. */
export async function createClass(
  database: Database,
  platform: PlatformConnector,
  turns: Turns,
  asked: NewClass,
  person: string,
  annotations: Readonly<Record<string, string>> = {},
): Promise<ClassRow> {
  const names = [asked.name, ...(asked.isDefault ? [defaultTurn] : [])];
  await actOnClass(database, platform, turns, names, person, async (at) => {
    const made = await makeClass(at, asked, annotations);
    return asked.isDefault ? [made, await markDefault(at, asked.name)] : [made];
  });
  const [row] = await listClasses(database, asked.name);
  if (!row) throw HttpProblem.notFound('class', asked.name);
  return row;
}

/** The classes marked as default now. */
export async function findDefaults(database: Database): Promise<string[]> {
  const rows = await markedClasses(database, defaultClassAnnotation);
  return rows.map((r) => r.name);
}

/** One act: the class becomes the default, and no other class stays one. Two people doing so take turns. */
export const makeDefault = (
  database: Database,
  platform: PlatformConnector,
  turns: Turns,
  name: string,
  person: string,
): Promise<void> =>
  actOnClass(database, platform, turns, [defaultTurn], person, async (at) => [await markDefault(at, name)]);

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
  await database.transaction(async () => {
    const ofClass = { where: { className: name } };
    await moorings.in(database).destroy(ofClass);
    await grants.in(database).destroy(ofClass);
    await classAccess.in(database).destroy(ofClass);
    await successions.in(database).destroy({ where: { [Op.or]: [{ fromClass: name }, { toClass: name }] } });
    await platformObjects.in(database).destroy({ where: { plural: 'storageclasses', name } });
    await record(database, { person, action: 'delete', kind: 'class', subject: name, before: cls.storageClass });
    await announce(database, [{ topic: 'classes', subject: name }, { topic: 'moorings' }]);
  });
}
