import type { Database } from './database';

const statements = `
ALTER TABLE pools
  -- bytes per second as the pool has to move them, kept by the trigger on reservations
  ADD COLUMN promised_throughput double precision NOT NULL DEFAULT 0;

ALTER TABLE reservations
  -- MB/s
  ADD COLUMN throughput_floor double precision NOT NULL DEFAULT 0,
  ADD COLUMN throughput_ceiling double precision,
  ADD COLUMN backend_throughput double precision NOT NULL DEFAULT 0,
  ADD COLUMN grace_days integer NOT NULL DEFAULT 0,
  -- set when the claim is gone and its volume is kept for its grace
  ADD COLUMN keep_until timestamptz;
CREATE INDEX reservations_grace ON reservations (keep_until) WHERE keep_until IS NOT NULL;
CREATE INDEX reservations_class ON reservations (class_name, pool_id, bytes);

ALTER TABLE reservation_copies
  ADD COLUMN role text NOT NULL DEFAULT 'data' CHECK (role IN ('data', 'witness'));

CREATE OR REPLACE FUNCTION count_reservation() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP IN ('DELETE', 'UPDATE') THEN
    UPDATE pools SET reserved_raw = reserved_raw - OLD.raw_bytes, reserved_bytes = reserved_bytes - OLD.bytes,
      promised_iops = promised_iops - OLD.backend_iops,
      promised_throughput = promised_throughput - OLD.backend_throughput WHERE id = OLD.pool_id;
  END IF;
  IF TG_OP IN ('INSERT', 'UPDATE') THEN
    UPDATE pools SET reserved_raw = reserved_raw + NEW.raw_bytes, reserved_bytes = reserved_bytes + NEW.bytes,
      promised_iops = promised_iops + NEW.backend_iops,
      promised_throughput = promised_throughput + NEW.backend_throughput WHERE id = NEW.pool_id;
  END IF;
  RETURN NULL;
END $body$;
DROP TRIGGER reservations_counted ON reservations;
CREATE TRIGGER reservations_counted
  AFTER INSERT OR DELETE OR UPDATE OF pool_id, bytes, raw_bytes, backend_iops, backend_throughput
  ON reservations FOR EACH ROW EXECUTE FUNCTION count_reservation();

-- the copy of a volume that its class keeps on another backend, under the same name
CREATE TABLE second_copies (
  claim_uid text PRIMARY KEY REFERENCES reservations ON DELETE CASCADE,
  pool_id text NOT NULL REFERENCES pools,
  bytes bigint NOT NULL,
  raw_bytes bigint NOT NULL,
  backend_iops double precision NOT NULL,
  backend_throughput double precision NOT NULL,
  volume_id text
);
CREATE INDEX second_copies_pool ON second_copies (pool_id);
CREATE TRIGGER second_copies_counted
  AFTER INSERT OR DELETE OR UPDATE OF pool_id, bytes, raw_bytes, backend_iops, backend_throughput
  ON second_copies FOR EACH ROW EXECUTE FUNCTION count_reservation();

-- a class without a row here is open to every namespace
CREATE TABLE class_access (
  class_name text PRIMARY KEY,
  open boolean NOT NULL,
  version integer NOT NULL DEFAULT 1
);
CREATE TABLE grants (
  class_name text NOT NULL,
  namespace text NOT NULL,
  person text NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (class_name, namespace)
);

-- which pool a plan for many claims chose for a claim that is still to come
CREATE TABLE planned_places (
  namespace text NOT NULL,
  claim_name text NOT NULL,
  pool_id text NOT NULL,
  person text NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (namespace, claim_name)
);

-- how the claims of a class are to move to the class that takes over from it
CREATE TABLE successions (
  from_class text NOT NULL,
  to_class text NOT NULL,
  person text NOT NULL,
  moves jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (from_class, to_class)
);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
