import type { Database } from './database';

const statements = `
-- keys of calls that have no answer yet, by the lease of the server that works on them
CREATE INDEX idempotency_under_way ON idempotency (runner) WHERE status IS NULL;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
