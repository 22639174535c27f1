import type { ClassRow, NewClass } from '@moorage/contract/classes';
import { planClassChange } from '@moorage/core/classes/class-steps';
import type { Acts } from '../acts/acts';
import type { Database } from '../database/database';
import { Refusal } from '../refusals/refusal';
import { changingClass, classAct, classTurn, standing } from './acts';
import { listClasses } from './listing';
import { planChange } from './plan';

/**
 * Changes a class as it stands: what the platform leaves open by a patch, anything else by making it anew under its name, which
 * only a class without claims allows. Its moorings and grants go by its name and stay.
 */
export async function changeClass(
  database: Database,
  acts: Acts,
  name: string,
  version: string | undefined,
  asked: NewClass,
  person: string,
): Promise<ClassRow> {
  await acts.inTurn(changingClass, [classTurn(name)], person, async () => {
    const { row, cls } = await planChange(database, name, version, asked);
    return classAct(planClassChange(standing(row), cls));
  });
  const [after] = await listClasses(database, name);
  if (!after) throw Refusal.notFound('class', name);
  return after;
}
