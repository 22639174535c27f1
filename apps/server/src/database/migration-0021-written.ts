import type { Database } from './database';

const statements = `
-- what pods told of what their volumes hold, by claim: before they ended, and once they were back
ALTER TABLE moves ADD COLUMN left_data jsonb, ADD COLUMN came_data jsonb;

-- copies that are not in step, since when, and how fast they come on
CREATE TABLE copies_behind (
  backend_id text NOT NULL REFERENCES backends ON DELETE CASCADE,
  volume_id text NOT NULL,
  disk text NOT NULL,
  node text NOT NULL,
  state text NOT NULL,
  -- written bytes of the volume, and how much of them the copy has
  bytes bigint NOT NULL,
  percent double precision NOT NULL,
  since timestamptz NOT NULL,
  at timestamptz NOT NULL,
  bytes_per_second double precision,
  PRIMARY KEY (backend_id, volume_id, disk)
);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
