import type { Database } from './database';

const statements = `
-- a volume on its way back to a claim is held by nobody else; what a volume was is kept, since its persistent volume may be gone
ALTER TABLE reservations DROP CONSTRAINT reservations_state_check;
ALTER TABLE reservations ADD CONSTRAINT reservations_state_check CHECK (state IN ('held', 'made', 'bound', 'adrift', 'returning')),
  -- the persistent volume's name, where it is not the volume's own
  ADD COLUMN pv_name text,
  ADD COLUMN modes jsonb,
  ADD COLUMN volume_mode text,
  ADD COLUMN adrift_since timestamptz,
  -- made by somebody else: never destroyed here
  ADD COLUMN adopted boolean NOT NULL DEFAULT false,
  ADD COLUMN destroyed_by text;
UPDATE reservations SET adrift_since = coalesce(made_at, created_at) WHERE state = 'adrift';
CREATE INDEX reservations_adrift ON reservations (adrift_since, claim_uid) WHERE state IN ('adrift', 'returning');

-- the claim that holds a volume may become another one
ALTER TABLE reservation_copies DROP CONSTRAINT reservation_copies_claim_uid_fkey,
  ADD FOREIGN KEY (claim_uid) REFERENCES reservations ON DELETE CASCADE ON UPDATE CASCADE;
ALTER TABLE further_copies DROP CONSTRAINT second_copies_claim_uid_fkey,
  ADD FOREIGN KEY (claim_uid) REFERENCES reservations ON DELETE CASCADE ON UPDATE CASCADE;

CREATE TABLE salvages (
  operation_id uuid PRIMARY KEY REFERENCES operations ON DELETE CASCADE,
  -- what the volume was reserved by before
  source text NOT NULL,
  namespace text NOT NULL,
  name text NOT NULL,
  class_name text NOT NULL,
  modes jsonb NOT NULL,
  volume_mode text NOT NULL,
  person text NOT NULL,
  -- the claim it goes to, and whether it was made for this
  claim_uid text,
  claim_made boolean NOT NULL DEFAULT false,
  -- whom the persistent volume named before; null when there was none
  claim_ref jsonb,
  volume_written boolean NOT NULL DEFAULT false,
  made_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX salvages_source ON salvages (source, made_at DESC);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
