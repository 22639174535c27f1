import type { Database } from './database';

const statements = `
ALTER TABLE backends
  ADD COLUMN sites text[] NOT NULL DEFAULT '{}',
  ADD COLUMN trust jsonb NOT NULL DEFAULT '{"kind":"system"}',
  -- bytes over all its pools (a licence, a contract)
  ADD COLUMN cap bigint,
  ADD COLUMN ways jsonb NOT NULL DEFAULT '{"paths":[]}',
  ADD COLUMN version integer NOT NULL DEFAULT 1,
  -- counts what changed of its nodes, disks and volumes: as long as it stands, so does what was told of them
  ADD COLUMN inventory_version bigint NOT NULL DEFAULT 0;

ALTER TABLE pools
  ADD COLUMN tier text CHECK (tier IN ('fast', 'standard', 'deep')),
  ADD COLUMN price double precision,
  ADD COLUMN allotment_iops bigint,
  ADD COLUMN allotment_throughput bigint,
  ADD COLUMN gone_since timestamptz,
  -- the most it could ever keep: less than that is a finding
  ADD COLUMN largest_usable bigint NOT NULL DEFAULT 0;

CREATE TABLE backend_nodes (
  backend_id text NOT NULL REFERENCES backends ON DELETE CASCADE,
  name text NOT NULL,
  zone text NOT NULL,
  rack text NOT NULL,
  up boolean NOT NULL,
  PRIMARY KEY (backend_id, name)
);

CREATE TABLE backend_disks (
  backend_id text NOT NULL REFERENCES backends ON DELETE CASCADE,
  id text NOT NULL,
  node text NOT NULL,
  media text NOT NULL,
  capacity bigint NOT NULL,
  works boolean NOT NULL,
  failing boolean NOT NULL,
  lasting boolean NOT NULL,
  life_left integer NOT NULL,
  use text NOT NULL,
  owner text,
  PRIMARY KEY (backend_id, id)
);
CREATE INDEX backend_disks_unwell ON backend_disks (backend_id) WHERE NOT works OR failing OR life_left < 10;

-- changes to the disks of a cluster; their state is their operation's
CREATE TABLE reshapes (
  id uuid PRIMARY KEY,
  backend_id text NOT NULL REFERENCES backends,
  pool text NOT NULL,
  kind text NOT NULL CHECK (kind IN ('commission', 'grow', 'shrink', 'replace')),
  plan jsonb NOT NULL,
  person text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  ended_at timestamptz,
  -- why it is being undone
  cause text,
  -- somebody asked for it to be called off
  called_off boolean NOT NULL DEFAULT false,
  total bigint,
  bytes_left bigint,
  moved_since timestamptz
);
CREATE INDEX reshapes_backend ON reshapes (backend_id, created_at DESC);

CREATE TABLE reshape_nodes (
  reshape_id uuid NOT NULL REFERENCES reshapes ON DELETE CASCADE,
  node text NOT NULL,
  role text NOT NULL CHECK (role IN ('data', 'metadata', 'leaving')),
  disks text[] NOT NULL,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'taken', 'given', 'freed')),
  PRIMARY KEY (reshape_id, node, role)
);

-- a disk is in one unfinished change at most: the second who asks is told of the first
CREATE TABLE disk_holds (
  backend_id text NOT NULL,
  disk text NOT NULL,
  reshape_id uuid NOT NULL REFERENCES reshapes ON DELETE CASCADE,
  PRIMARY KEY (backend_id, disk)
);
CREATE INDEX disk_holds_reshape ON disk_holds (reshape_id);

ALTER TABLE operations DROP CONSTRAINT operations_kind_check;
ALTER TABLE operations ADD CONSTRAINT operations_kind_check CHECK (kind IN ('bind', 'release', 'reshape'));
DROP INDEX operations_open;
CREATE INDEX operations_open ON operations (state, next_attempt_at)
  WHERE state NOT IN ('bound', 'released', 'abandoned', 'settled', 'undone');

CREATE TABLE findings (
  id text PRIMARY KEY,
  kind text NOT NULL,
  subject text NOT NULL,
  weight double precision NOT NULL,
  facts jsonb NOT NULL,
  since timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE findings_aside (
  id text PRIMARY KEY,
  reason text NOT NULL,
  until date NOT NULL,
  person text NOT NULL,
  at timestamptz NOT NULL DEFAULT now()
);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
