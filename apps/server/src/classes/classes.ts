import type { ClassRow, NewClass } from '@moorage/contract/classes';
import { filled, planDefault, planNewClass } from '@moorage/core/classes/class-steps';
import { Op } from 'sequelize';
import type { Acts } from '../acts/acts';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { platformObjects } from '../mirror/mirror-model';
import { isMirrored } from '../mirror/mirrored';
import { moorings } from '../moorings/mooring-model';
import type { PlatformConnector } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { classAccess, grants } from './access-model';
import { changingClass, classAct, classTurn, defaultTurn } from './acts';
import { findDefaults, listClasses } from './listing';
import { assertClass } from './settings';
import { successions } from './succession-model';

/** Makes a class on the platform; it is in our mirror when this returns. */
export async function createClass(database: Database, acts: Acts, asked: NewClass, person: string): Promise<ClassRow> {
  const { name, isDefault } = asked;
  await acts.inTurn(changingClass, [classTurn(name), ...(isDefault ? [defaultTurn] : [])], person, async () => {
    assertClass(filled(asked));
    const made = planNewClass(asked);
    if (!isDefault) return classAct(made);
    const marked = planDefault(name, await findDefaults(database));
    return classAct({ steps: [...made.steps, ...marked.steps], entries: [...made.entries, ...marked.entries] });
  });
  const [row] = await listClasses(database, name);
  if (!row) throw Refusal.notFound('class', name);
  return row;
}

/** One act: the class becomes the default, and no other class stays one. Two people doing so take turns. */
export const makeDefault = async (database: Database, acts: Acts, name: string, person: string): Promise<void> => {
  await acts.inTurn(changingClass, [defaultTurn], person, async () => {
    if (!(await isMirrored(database, 'storageclasses', name))) throw Refusal.notFound('class', name);
    return classAct(planDefault(name, await findDefaults(database)));
  });
};

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
