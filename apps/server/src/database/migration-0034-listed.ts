import type { Database } from './database';

const statements = `
-- of what an object says: a list is compared with what is known without sending whole objects
ALTER TABLE platform_objects ADD COLUMN digest text;
-- when it was first written here: what came while a list was read is not in it, and is not gone
ALTER TABLE platform_objects ADD COLUMN noted_at timestamptz NOT NULL DEFAULT now();
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
