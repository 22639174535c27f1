import type { Database } from './database';

const statements = `
-- what pods told of what their volumes hold, by claim: before they ended, and once they were back
ALTER TABLE moves ADD COLUMN left_data jsonb, ADD COLUMN came_data jsonb;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
