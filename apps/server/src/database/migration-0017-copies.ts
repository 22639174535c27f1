import type { Database } from './database';

const statements = `
-- one copy more or fewer of a bound claim's volume: what was asked, and what was decided of it
CREATE TABLE copy_changes (
  operation_id uuid PRIMARY KEY REFERENCES operations ON DELETE CASCADE,
  claim_uid text NOT NULL,
  change jsonb NOT NULL,
  target jsonb,
  annotation jsonb
);

-- set when its backend does not have a bucket any more
ALTER TABLE buckets ADD COLUMN missing_since timestamptz;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
