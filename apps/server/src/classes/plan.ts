import type { ClassRow, NewClass } from '@moorage/contract/classes';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { changedSettings, filled } from '@moorage/core/classes/class-steps';
import type { Database } from '../database/database';
import { Refusal } from '../refusals/refusal';
import { listClasses } from './listing';
import { assertClass } from './settings';

interface PlannedChange {
  readonly row: ClassRow;
  readonly cls: StorageClass;
}

/** What would change, or why it may not: nothing is asked of the platform. */
export async function planChange(
  database: Database,
  name: string,
  version: string | undefined,
  asked: NewClass,
): Promise<PlannedChange> {
  const [row] = await listClasses(database, name);
  if (!row) throw Refusal.notFound('class', name);
  if (version !== undefined && version !== row.version) throw Refusal.changedMeanwhile('class', name);
  if (asked.name !== name)
    throw Refusal.invalid('name', `A class keeps its name. Make a successor of ${name} to have another.`);
  if (asked.isDefault !== row.isDefault)
    throw Refusal.invalid(
      'isDefault',
      `Which class is the default is set for all of them in one act: PUT /api/classes/${name}/default. Leave it here as it is.`,
    );
  const cls = filled(asked);
  assertClass(cls);
  const { fixed } = changedSettings(row.storageClass, cls);
  if (fixed.length > 0 && row.claims > 0)
    throw new Refusal(
      'conflict',
      'fixed',
      'Fixed by the platform',
      `${row.claims} claims use ${name}, and the platform fixes what a class promises (${fixed.join(', ')}). Make a successor of it instead.`,
      fixed[0],
    );
  return { row, cls };
}
