import type { Database } from './database';

const statements = `
-- as a backend says it of a volume; null where it does not
ALTER TABLE backend_volumes ADD COLUMN encrypted boolean, ADD COLUMN iops_ceiling double precision,
  ADD COLUMN throughput_ceiling double precision;

-- what is declared of a volume and is otherwise in one of its worlds; kept as long as it is so
CREATE TABLE drifts (
  claim_uid text NOT NULL REFERENCES reservations ON DELETE CASCADE ON UPDATE CASCADE,
  kind text NOT NULL,
  namespace text NOT NULL,
  declared jsonb NOT NULL,
  actual jsonb NOT NULL,
  made_by text NOT NULL,
  remedy text,
  since timestamptz NOT NULL DEFAULT now(),
  -- who asked that it is put right
  asked_by text,
  PRIMARY KEY (claim_uid, kind)
);
CREATE INDEX drifts_since ON drifts (since, claim_uid, kind);
CREATE INDEX drifts_namespace ON drifts (namespace);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
