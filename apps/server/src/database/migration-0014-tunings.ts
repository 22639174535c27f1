import type { Database } from './database';

const statements = `
-- what a bound claim tunes of its rates, and what was reserved and said before
CREATE TABLE tunings (
  operation_id uuid PRIMARY KEY REFERENCES operations ON DELETE CASCADE,
  claim_uid text NOT NULL,
  wanted jsonb NOT NULL,
  before jsonb,
  annotations jsonb
);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
