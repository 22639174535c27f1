import type { Database } from './database';

const statements = `
-- limits of what is counted rather than weighed; those of bytes stand in 'limits'
CREATE TABLE counted_limits (
  namespace text NOT NULL,
  -- '' limits the namespace as a whole
  class_name text NOT NULL DEFAULT '',
  measure text NOT NULL CHECK (measure IN ('claims', 'snapshots', 'iops')),
  amount bigint NOT NULL CHECK (amount >= 0),
  PRIMARY KEY (namespace, class_name, measure)
);

-- the quota object of the platform in which the limits of a namespace stand
CREATE TABLE quota_objects (
  namespace text PRIMARY KEY,
  -- whether the platform is to have one: it refuses claims at once then; else they are made and wait here
  wanted boolean NOT NULL DEFAULT true,
  -- its items as both sides had them last
  agreed jsonb,
  due boolean NOT NULL DEFAULT true,
  -- how often it came to be due: what came while it was seen to is seen to next
  changes integer NOT NULL DEFAULT 0,
  attempts integer NOT NULL DEFAULT 0,
  next_at timestamptz NOT NULL DEFAULT now(),
  problem text
);
CREATE INDEX quota_objects_due ON quota_objects (next_at) WHERE due;

CREATE FUNCTION note_quota_due() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  INSERT INTO quota_objects AS q (namespace) VALUES (CASE TG_OP WHEN 'DELETE' THEN OLD.namespace ELSE NEW.namespace END)
  ON CONFLICT (namespace) DO UPDATE SET due = true, changes = q.changes + 1, attempts = 0, next_at = now();
  RETURN NULL;
END $body$;
CREATE TRIGGER limit_quota AFTER INSERT OR UPDATE OR DELETE ON limits FOR EACH ROW EXECUTE FUNCTION note_quota_due();
CREATE TRIGGER counted_limit_quota AFTER INSERT OR UPDATE OR DELETE ON counted_limits FOR EACH ROW EXECUTE FUNCTION note_quota_due();

-- limits from before stay as they were: nobody decided that the platform is to refuse claims
INSERT INTO quota_objects (namespace, wanted, due) SELECT DISTINCT namespace, false, false FROM limits;

-- what is asked for beyond a limit, and what became of it
CREATE TABLE limit_requests (
  id uuid PRIMARY KEY,
  namespace text NOT NULL,
  class_name text NOT NULL DEFAULT '',
  measure text NOT NULL CHECK (measure IN ('bytes', 'claims', 'snapshots', 'iops')),
  -- the limit when it was asked; null: none
  was bigint,
  asked bigint NOT NULL CHECK (asked > 0),
  reason text NOT NULL,
  needed_by date,
  person text NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  state text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'granted', 'refused', 'withdrawn', 'ended')),
  granted bigint,
  -- until when it is granted; the limit is then what it was before
  ends_at timestamptz,
  before bigint,
  answer text,
  answered_by text,
  answered_at timestamptz
);
CREATE INDEX limit_requests_of ON limit_requests (namespace, at DESC);
CREATE INDEX limit_requests_at ON limit_requests (at DESC, id);
CREATE INDEX limit_requests_open ON limit_requests (at, id) WHERE state = 'open';
CREATE INDEX limit_requests_ends ON limit_requests (ends_at) WHERE state = 'granted' AND ends_at IS NOT NULL;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
