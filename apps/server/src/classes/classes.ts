import type { ClassRow, NewClass } from '@moorage/contract/classes';
import { filled, planDefault, planNewClass, planRemoval } from '@moorage/core/classes/class-steps';
import type { Acts } from '../acts/acts';
import type { Database } from '../database/database';
import { isMirrored } from '../mirror/mirrored';
import { Refusal } from '../refusals/refusal';
import { changingClass, classAct, classTurn, defaultTurn, removingClass, standing } from './acts';
import { findDefaults, listClasses } from './listing';
import { assertClass } from './settings';

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

/** Deletes a class that no claim uses, with its moorings, grants and plans. */
export const deleteClass = async (database: Database, acts: Acts, name: string, person: string): Promise<void> => {
  await acts.inTurn(removingClass(database), [classTurn(name)], person, async () => {
    const [cls] = await listClasses(database, name);
    if (!cls) throw Refusal.notFound('class', name);
    if (cls.claims > 0) throw Refusal.inUse('class', name, `${cls.claims} claims use it`);
    return classAct(planRemoval(standing(cls)));
  });
};
