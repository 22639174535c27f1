import type { ClassRow, NewClass } from '@moorage/contract/classes';
import type { Database } from '../database/database';
import type { Turns } from '../live/turns';
import type { PlatformConnector } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { carryChange } from './acts';
import { actOnClass } from './classes';
import { listClasses } from './listing';
import { planChange } from './plan';

/**
 * Changes a class as it stands: what the platform leaves open by a patch, anything else by making it anew under its name, which
 * only a class without claims allows. Its moorings and grants go by its name and stay.
 */
export async function changeClass(
  database: Database,
  platform: PlatformConnector,
  turns: Turns,
  name: string,
  version: string | undefined,
  asked: NewClass,
  person: string,
): Promise<ClassRow> {
  await actOnClass(database, platform, turns, [name], person, async (at) => {
    const entry = await carryChange(at, await planChange(database, name, version, asked));
    return entry ? [entry] : [];
  });
  const [after] = await listClasses(database, name);
  if (!after) throw Refusal.notFound('class', name);
  return after;
}
