import type { Database } from './database';

const statements = `
-- when what is used comes to its end, as it went so far; reckoned anew again and again
CREATE TABLE runways (
  kind text NOT NULL CHECK (kind IN ('namespace', 'class', 'pool', 'backend')),
  name text NOT NULL,
  class_name text NOT NULL DEFAULT '',
  against text NOT NULL CHECK (against IN ('limit', 'claims', 'iops-limit', 'soft', 'hard', 'ceiling', 'iops', 'cap', 'pools')),
  used double precision NOT NULL,
  ends_at double precision NOT NULL,
  per_day double precision,
  -- NULL: too little is known
  state text CHECK (state IN ('over', 'meets', 'none')),
  meets_at timestamptz,
  from_at timestamptz,
  to_at timestamptz,
  reckoned_at timestamptz NOT NULL,
  PRIMARY KEY (kind, name, class_name, against)
);
CREATE INDEX runways_order ON runways ((CASE state WHEN 'over' THEN 0 WHEN 'meets' THEN 1 WHEN 'none' THEN 2 ELSE 3 END), meets_at, kind, name, class_name, against);

-- what changed unlike the days before it: what is written in a namespace, or what it costs
CREATE TABLE jumps (
  kind text NOT NULL CHECK (kind IN ('written', 'price')),
  namespace text NOT NULL,
  change double precision NOT NULL,
  usual double precision NOT NULL,
  reckoned_at timestamptz NOT NULL,
  PRIMARY KEY (kind, namespace)
);

-- what somebody wants to try on the numbers of the day, by its name
CREATE TABLE scenarios (
  name text PRIMARY KEY,
  changes jsonb NOT NULL,
  wish jsonb NOT NULL,
  person text NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  version integer NOT NULL DEFAULT 1
);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
