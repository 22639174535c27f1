import type { Database } from './database';

const statements = `
-- what a claim tuned last is looked at with every change of it that the platform tells
CREATE INDEX tunings_claim ON tunings (claim_uid);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
