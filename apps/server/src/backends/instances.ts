import type { Database } from '../database/database';
import { instances } from '../pools/instance-model';
import type { Reserved } from '../reservations/reservation.sql';
import type { BackendConnector } from '../swordfish/connector';

/**
 * Path of what provides a volume on its backend: its pool, or the instance that it is carved out of. That is bought, or made larger,
 * where it is not as large as it is to be. Throws `full` when the pool is sold out.
 */
export async function providerPath(
  database: Database,
  backend: BackendConnector,
  { pool_id, path, instance, instance_bytes }: Pick<Reserved, 'pool_id' | 'path' | 'instance' | 'instance_bytes'>,
): Promise<string> {
  if (instance === null) return path;
  const bought = await backend.ensureInstance({ poolPath: path, name: instance, bytes: instance_bytes! });
  await instances.in(database).update({ path: bought.path }, { where: { poolId: pool_id, id: instance, path: null } });
  return bought.path;
}
