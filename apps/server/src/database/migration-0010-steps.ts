import type { Database } from './database';

const statements = `
-- when an operation came to each of its states, in their order; what it is told again is not written twice
ALTER TABLE operations ADD COLUMN steps jsonb NOT NULL DEFAULT '[]';
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
