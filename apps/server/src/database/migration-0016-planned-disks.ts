import type { Database } from './database';

const statements = `
-- the disks that a plan keeps for the copies of a claim that is still to come, a witness last; empty where the pool places them
ALTER TABLE planned_places ADD COLUMN disks text[] NOT NULL DEFAULT '{}';
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
