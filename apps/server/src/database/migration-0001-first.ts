import type { Database } from './database';

const statements = `
CREATE TABLE people (
  name text PRIMARY KEY,
  title text NOT NULL,
  role text NOT NULL,
  namespaces text[] NOT NULL DEFAULT '{}',
  password_hash text NOT NULL
);

CREATE TABLE session (
  sid varchar NOT NULL PRIMARY KEY,
  sess json NOT NULL,
  expire timestamp(6) NOT NULL
);
CREATE INDEX session_expire ON session (expire);

CREATE TABLE backends (
  id text PRIMARY KEY,
  title text NOT NULL,
  address text NOT NULL,
  username text NOT NULL,
  secret bytea NOT NULL,
  reachable boolean NOT NULL DEFAULT false,
  healthy boolean NOT NULL DEFAULT false,
  problem jsonb,
  checked_at timestamptz
);

CREATE TABLE pools (
  id text PRIMARY KEY,
  backend_id text NOT NULL REFERENCES backends,
  name text NOT NULL,
  path text NOT NULL,
  facts jsonb NOT NULL,
  overcommit double precision NOT NULL DEFAULT 1,
  soft_mark double precision NOT NULL DEFAULT 0.8,
  hard_mark double precision NOT NULL DEFAULT 0.9,
  allotment bigint,
  -- kept by the trigger on reservations, under the row lock of the decision
  reserved_raw bigint NOT NULL DEFAULT 0,
  reserved_bytes bigint NOT NULL DEFAULT 0,
  promised_iops double precision NOT NULL DEFAULT 0,
  version integer NOT NULL DEFAULT 1,
  seen_at timestamptz NOT NULL DEFAULT now(),
  CHECK (soft_mark < hard_mark)
);
CREATE INDEX pools_backend ON pools (backend_id);

CREATE TABLE backend_volumes (
  backend_id text NOT NULL REFERENCES backends,
  volume_id text NOT NULL,
  name text NOT NULL,
  pool_id text NOT NULL,
  bytes bigint NOT NULL,
  raw_bytes bigint NOT NULL,
  consumed bigint NOT NULL,
  degraded boolean NOT NULL,
  copies jsonb NOT NULL,
  seen_at timestamptz NOT NULL,
  PRIMARY KEY (backend_id, volume_id)
);
CREATE INDEX backend_volumes_name ON backend_volumes (name);
CREATE INDEX backend_volumes_pool ON backend_volumes (pool_id);

-- the platform's objects as last seen; the columns are what is filtered by
CREATE TABLE platform_objects (
  plural text NOT NULL,
  uid text NOT NULL,
  namespace text NOT NULL DEFAULT '',
  name text NOT NULL,
  version bigint NOT NULL,
  body jsonb NOT NULL,
  class_name text,
  phase text,
  size_bytes bigint,
  created_at timestamptz NOT NULL,
  PRIMARY KEY (plural, uid)
);
CREATE INDEX platform_objects_name ON platform_objects (plural, namespace, name);
CREATE INDEX platform_objects_class ON platform_objects (plural, class_name);
CREATE INDEX platform_objects_created ON platform_objects (plural, created_at DESC, uid);

CREATE TABLE mirror_state (
  plural text PRIMARY KEY,
  version bigint NOT NULL,
  listed_at timestamptz NOT NULL DEFAULT now(),
  seen_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE moorings (
  class_name text NOT NULL,
  pool_id text NOT NULL REFERENCES pools,
  enabled boolean NOT NULL DEFAULT true,
  rank integer NOT NULL,
  weight double precision NOT NULL DEFAULT 1,
  version integer NOT NULL DEFAULT 1,
  PRIMARY KEY (class_name, pool_id)
);

CREATE TABLE limits (
  namespace text NOT NULL,
  -- '' limits the namespace as a whole
  class_name text NOT NULL DEFAULT '',
  bytes bigint NOT NULL,
  PRIMARY KEY (namespace, class_name)
);

CREATE TABLE reservations (
  claim_uid text PRIMARY KEY,
  namespace text NOT NULL,
  claim_name text NOT NULL,
  class_name text NOT NULL,
  reclaim text NOT NULL,
  pool_id text NOT NULL REFERENCES pools,
  bytes bigint NOT NULL,
  raw_bytes bigint NOT NULL,
  iops_floor double precision NOT NULL,
  iops_ceiling double precision,
  backend_iops double precision NOT NULL,
  volume_name text NOT NULL UNIQUE,
  volume_id text,
  state text NOT NULL DEFAULT 'held' CHECK (state IN ('held', 'made', 'bound', 'adrift')),
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX reservations_pool ON reservations (pool_id);
CREATE INDEX reservations_namespace ON reservations (namespace, class_name);

CREATE TABLE reservation_copies (
  claim_uid text NOT NULL REFERENCES reservations ON DELETE CASCADE,
  pool_id text NOT NULL,
  disk text NOT NULL,
  node text NOT NULL,
  domain text NOT NULL,
  bytes bigint NOT NULL,
  PRIMARY KEY (claim_uid, disk)
);
CREATE INDEX reservation_copies_pool ON reservation_copies (pool_id, disk);

CREATE FUNCTION count_reservation() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP IN ('DELETE', 'UPDATE') THEN
    UPDATE pools SET reserved_raw = reserved_raw - OLD.raw_bytes, reserved_bytes = reserved_bytes - OLD.bytes,
      promised_iops = promised_iops - OLD.backend_iops WHERE id = OLD.pool_id;
  END IF;
  IF TG_OP IN ('INSERT', 'UPDATE') THEN
    UPDATE pools SET reserved_raw = reserved_raw + NEW.raw_bytes, reserved_bytes = reserved_bytes + NEW.bytes,
      promised_iops = promised_iops + NEW.backend_iops WHERE id = NEW.pool_id;
  END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER reservations_counted AFTER INSERT OR DELETE OR UPDATE OF pool_id, bytes, raw_bytes, backend_iops
  ON reservations FOR EACH ROW EXECUTE FUNCTION count_reservation();

-- kept with the claim for good, also after the claim is gone
CREATE TABLE decisions (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  claim_uid text NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now(),
  took_micros double precision NOT NULL,
  winner text,
  trace jsonb NOT NULL,
  remedies jsonb NOT NULL
);
CREATE INDEX decisions_claim ON decisions (claim_uid, id DESC);

CREATE TABLE operations (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  kind text NOT NULL CHECK (kind IN ('bind', 'release')),
  subject text NOT NULL,
  state text NOT NULL,
  waiting_for text,
  decision_id bigint,
  attempts integer NOT NULL DEFAULT 0,
  error jsonb,
  next_attempt_at timestamptz,
  -- key of the server that works on it; its advisory lock tells whether that server still lives
  runner integer,
  -- somebody asked for another look while it was being worked on
  again boolean NOT NULL DEFAULT false,
  created_at timestamptz NOT NULL DEFAULT now(),
  updated_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (kind, subject)
);
CREATE INDEX operations_open ON operations (state, next_attempt_at) WHERE state NOT IN ('bound', 'released', 'abandoned');

CREATE TABLE idempotency (
  key text NOT NULL,
  person text NOT NULL,
  request text NOT NULL,
  status integer,
  body jsonb,
  created_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (key, person)
);

CREATE TABLE logbook (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  at timestamptz NOT NULL DEFAULT now(),
  person text NOT NULL,
  action text NOT NULL,
  kind text NOT NULL,
  subject text NOT NULL,
  before jsonb,
  after jsonb
);
CREATE INDEX logbook_subject ON logbook (kind, subject, id DESC);

CREATE VIEW claims AS
SELECT o.uid, o.namespace, o.name, o.class_name, o.size_bytes, o.phase, o.created_at, o.body,
  c.uid AS class_uid,
  c.body ->> 'provisioner' AS provisioner,
  r.pool_id, r.bytes AS provisioned, r.raw_bytes, r.volume_name, r.volume_id, r.iops_floor, r.state AS reservation,
  p.backend_id, v.consumed,
  op.state AS operation, op.waiting_for, op.error, op.attempts, op.next_attempt_at, op.decision_id,
  CASE
    WHEN o.body #>> '{metadata,deletionTimestamp}' IS NOT NULL THEN 'deleting'
    WHEN o.phase = 'Bound' THEN 'bound'
    WHEN o.phase = 'Lost' THEN 'lost'
    WHEN c.uid IS NULL THEN 'no-class'
    WHEN c.body ->> 'provisioner' <> 'vast-moorage.example' THEN 'foreign'
    WHEN op.state = 'waiting' AND op.waiting_for = 'first-consumer' THEN 'waiting-pod'
    WHEN op.state = 'waiting' THEN 'nothing-fits'
    WHEN op.error IS NOT NULL THEN 'retrying'
    ELSE 'binding'
  END AS state
FROM platform_objects o
LEFT JOIN platform_objects c ON c.plural = 'storageclasses' AND c.namespace = '' AND c.name = o.class_name
LEFT JOIN reservations r ON r.claim_uid = o.uid
LEFT JOIN pools p ON p.id = r.pool_id
LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
LEFT JOIN operations op ON op.kind = 'bind' AND op.subject = o.uid
WHERE o.plural = 'persistentvolumeclaims';
`;

export async function up(database: Database): Promise<void> {
  // one simple query: PostgreSQL runs the statements in order, as a whole or not at all
  await database.sequelize.query(statements);
}
