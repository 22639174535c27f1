import type { Database } from './database';

const statements = `
-- copies of a volume elsewhere: on another backend, written at the same time, or at another site, written later
ALTER TABLE second_copies RENAME TO further_copies;
ALTER TABLE further_copies
  ADD COLUMN mode text NOT NULL DEFAULT 'synchronous' CHECK (mode IN ('synchronous', 'asynchronous')),
  DROP CONSTRAINT second_copies_pkey,
  ADD PRIMARY KEY (claim_uid, mode);
ALTER TABLE further_copies ALTER COLUMN mode DROP DEFAULT;
ALTER INDEX second_copies_pool RENAME TO further_copies_pool;
ALTER TRIGGER second_copies_counted ON further_copies RENAME TO further_copies_counted;

-- places that were kept together are one plan, and can be let go together
ALTER TABLE planned_places ADD COLUMN plan text NOT NULL DEFAULT gen_random_uuid()::text;
CREATE INDEX planned_places_plan ON planned_places (plan);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
