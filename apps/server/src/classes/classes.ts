import type { ClassRow, NewClass } from '@moorage/contract/classes';
import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import type { Turns } from '../live/turns';
import { record } from '../logbook/logbook';
import { platformObjects } from '../mirror/mirror-model';
import { moorings } from '../moorings/mooring-model';
import type { PlatformConnector } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { successions } from './succession-model';
import { classAccess, grants } from './access-model';
import { makeClass, markDefault, takeBack, type Entry, type Outside } from './acts';
import { listClasses } from './listing';

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
  return new Refusal(
    'outside',
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
  if (!row) throw Refusal.notFound('class', asked.name);
  return row;
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
  if (!cls) throw Refusal.notFound('class', name);
  if (cls.claims > 0) throw Refusal.inUse('class', name, `${cls.claims} claims use it`);
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
