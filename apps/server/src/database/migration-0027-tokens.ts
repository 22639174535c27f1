import type { Database } from './database';

const statements = `
-- what programs read with; only a digest is kept of each
CREATE TABLE read_tokens (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  digest bytea NOT NULL UNIQUE,
  -- NULL: all that whoever made it sees
  namespaces text[],
  person text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  expires_at timestamptz NOT NULL,
  revoked_at timestamptz,
  used_at timestamptz
);
CREATE INDEX read_tokens_of ON read_tokens (person, created_at DESC);
CREATE INDEX read_tokens_expire ON read_tokens (expires_at);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
