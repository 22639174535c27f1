import type { Database } from './database';

const statements = `
-- what a month costs, from a moment on; a price is never changed, another one follows it
CREATE TABLE rates (
  tier text NOT NULL CHECK (tier IN ('fast', 'standard', 'deep')),
  from_at timestamptz NOT NULL,
  -- millionths of the currency
  micros_per_gib bigint NOT NULL CHECK (micros_per_gib >= 0),
  micros_per_iops bigint NOT NULL CHECK (micros_per_iops >= 0),
  person text NOT NULL,
  PRIMARY KEY (tier, from_at)
);

-- the tier of each pool, and the team of each namespace, as they were; the first is taken to have been so before
CREATE TABLE held_as (
  id bigserial PRIMARY KEY,
  kind text NOT NULL CHECK (kind IN ('tier', 'team')),
  -- the pool's id, or the namespace
  name text NOT NULL,
  value text NOT NULL,
  from_at timestamptz NOT NULL,
  until_at timestamptz
);
CREATE UNIQUE INDEX held_as_now ON held_as (kind, name) WHERE until_at IS NULL;
CREATE INDEX held_as_of ON held_as (kind, name, from_at);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
