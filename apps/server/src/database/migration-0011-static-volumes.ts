import type { Database } from './database';

const statements = `
-- persistent volumes by the backend's volume that they name
CREATE INDEX platform_objects_handle ON platform_objects ((body #>> '{spec,csi,volumeHandle}')) WHERE plural = 'persistentvolumes';
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
