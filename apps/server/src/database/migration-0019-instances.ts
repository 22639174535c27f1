import type { Database } from './database';

const statements = `
-- what was bought of pools that are sold in instances, and how much of each is promised to shares carved out of it
CREATE TABLE instances (
  pool_id text NOT NULL REFERENCES pools ON DELETE CASCADE,
  id text NOT NULL,
  bytes bigint NOT NULL,
  used bigint NOT NULL DEFAULT 0,
  -- as the backend gave it, once it was bought
  path text,
  -- it is to be given back: nothing more is carved out of it
  leaving boolean NOT NULL DEFAULT false,
  created_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (pool_id, id)
);

-- the instance that a volume lies in, and the one that it is on its way to; it holds its room in both
ALTER TABLE reservations ADD COLUMN instance text, ADD COLUMN instance_to text;
-- where its files are mounted, for a volume of files
ALTER TABLE reservations ADD COLUMN share jsonb;
CREATE INDEX reservations_instance ON reservations (pool_id, instance, claim_uid) WHERE instance IS NOT NULL;

-- filters of claims that people keep by name
ALTER TABLE people ADD COLUMN filters jsonb NOT NULL DEFAULT '[]';

-- as the backend says
ALTER TABLE backend_volumes ADD COLUMN instance text;

CREATE FUNCTION count_in_instance() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP IN ('DELETE', 'UPDATE') THEN
    UPDATE instances SET used = used - OLD.bytes WHERE pool_id = OLD.pool_id AND id IN (OLD.instance, OLD.instance_to);
  END IF;
  IF TG_OP IN ('INSERT', 'UPDATE') THEN
    UPDATE instances SET used = used + NEW.bytes WHERE pool_id = NEW.pool_id AND id IN (NEW.instance, NEW.instance_to);
  END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER reservations_carved AFTER INSERT ON reservations
  FOR EACH ROW WHEN (NEW.instance IS NOT NULL) EXECUTE FUNCTION count_in_instance();
CREATE TRIGGER reservations_carved_anew AFTER UPDATE OF pool_id, bytes, instance, instance_to ON reservations
  FOR EACH ROW WHEN (OLD.instance IS NOT NULL OR NEW.instance IS NOT NULL) EXECUTE FUNCTION count_in_instance();
CREATE TRIGGER reservations_given_back AFTER DELETE ON reservations
  FOR EACH ROW WHEN (OLD.instance IS NOT NULL) EXECUTE FUNCTION count_in_instance();
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
