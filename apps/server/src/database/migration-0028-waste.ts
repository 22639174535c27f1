import type { Database } from './database';

const statements = `
-- when a pod was last seen to mount a claim; claims that none ever did have no row
CREATE TABLE claim_mounts (
  claim_uid text PRIMARY KEY,
  last_at timestamptz NOT NULL
);

-- what could be had back, and from when on it is so
CREATE TABLE waste (
  kind text NOT NULL CHECK (kind IN ('unmounted', 'oversized', 'too-fast', 'class-unused')),
  -- the claim's uid, or the class
  subject text NOT NULL,
  namespace text NOT NULL DEFAULT '',
  name text NOT NULL,
  class_name text NOT NULL,
  pool_id text NOT NULL DEFAULT '',
  since timestamptz NOT NULL,
  -- provisioned, and raw bytes that would be free
  bytes bigint NOT NULL,
  raw_bytes bigint NOT NULL,
  -- what a month of it costs, and what would be saved: millionths of the currency
  cost_micros bigint NOT NULL,
  saved_micros bigint NOT NULL,
  facts jsonb NOT NULL DEFAULT '{}',
  reckoned_at timestamptz NOT NULL,
  PRIMARY KEY (kind, subject)
);
CREATE INDEX waste_order ON waste (saved_micros DESC, raw_bytes DESC, kind, subject);
CREATE INDEX waste_of ON waste (namespace);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
