import type { Database } from './database';

const figures = ['iops', 'throughput', 'latency'] as const;
/** Values of a span of time: how many, the least, the most and their sum; how they are spread where that is asked for. */
const rolled = (table: string) => `
CREATE TABLE ${table} (
  series_id integer NOT NULL,
  at timestamptz NOT NULL,
  written_count integer NOT NULL,
  written_least bigint,
  written_most bigint,
  written_sum double precision,
  -- the one sampled last
  written_last bigint,
  ${figures
    .map(
      (f) =>
        `${f}_count integer NOT NULL, ${f}_least double precision, ${f}_most double precision, ${f}_sum double precision, ${f}_sketch integer[],`,
    )
    .join('\n  ')}
  PRIMARY KEY (series_id, at)
) PARTITION BY RANGE (at);
CREATE INDEX ${table}_at ON ${table} USING brin (at) WITH (pages_per_range = 32);
`;

const statements = `
-- what is sampled: volumes of claims, what a use key has together, groups of those, pools
CREATE TABLE series (
  id serial PRIMARY KEY,
  kind text NOT NULL CHECK (kind IN ('claim', 'key', 'namespace', 'class', 'pool', 'backend', 'site')),
  -- the claim's uid, the key's number, or a name
  name text NOT NULL,
  UNIQUE (kind, name)
);

-- one a minute; in days, so that old ones go at once
CREATE TABLE samples (
  series_id integer NOT NULL,
  at timestamptz NOT NULL,
  written bigint,
  iops double precision,
  -- bytes per second
  throughput double precision,
  -- milliseconds
  latency double precision,
  PRIMARY KEY (series_id, at)
) PARTITION BY RANGE (at);
-- rows lie as they came: by time
CREATE INDEX samples_at ON samples USING brin (at) WITH (pages_per_range = 32);

-- what a backend had counted of a volume when it was sampled last: rates are what came since, and a crash costs one of them
CREATE UNLOGGED TABLE volume_counts (
  backend_id text NOT NULL REFERENCES backends ON DELETE CASCADE,
  volume_id text NOT NULL,
  at timestamptz NOT NULL,
  operations double precision NOT NULL,
  bytes double precision NOT NULL,
  busy_ms double precision NOT NULL,
  PRIMARY KEY (backend_id, volume_id)
) WITH (fillfactor = 45);

-- the minute of which a backend told last
CREATE TABLE sampled (
  backend_id text PRIMARY KEY REFERENCES backends ON DELETE CASCADE,
  at timestamptz,
  -- the last of its reports of volumes that was taken, by its name
  report text
);
${rolled('rolled_5m')}${rolled('rolled_1h')}${rolled('rolled_1d')}
-- spans of time of which samples came since they were rolled up last
CREATE TABLE roll_due (
  step text NOT NULL CHECK (step IN ('5m', '1h', '1d')),
  at timestamptz NOT NULL,
  PRIMARY KEY (step, at)
);

-- makes the part of a table that holds a moment, a day or a month wide, and gives whether it had to
CREATE FUNCTION ensure_part(of_table text, wide text, moment timestamptz) RETURNS boolean LANGUAGE plpgsql AS $body$
DECLARE
  begins timestamptz := date_trunc(wide, moment, 'UTC');
  part text := of_table || to_char(begins AT TIME ZONE 'UTC', CASE wide WHEN 'day' THEN '_YYYYMMDD' ELSE '_YYYYMM' END);
BEGIN
  IF to_regclass(part) IS NOT NULL THEN RETURN false; END IF;
  EXECUTE format('CREATE TABLE %I PARTITION OF %I FOR VALUES FROM (%L) TO (%L)', part, of_table, begins,
    ((begins AT TIME ZONE 'UTC') + ('1 ' || wide)::interval) AT TIME ZONE 'UTC');
  RETURN true;
EXCEPTION WHEN duplicate_table THEN
  -- somebody was quicker
  RETURN false;
END $body$;

-- drops the parts of a table that ended before a moment, and gives how many; what is still to be rolled up stays
CREATE FUNCTION drop_parts(of_table text, wide text, before timestamptz, rolled_by text) RETURNS integer LANGUAGE plpgsql AS $body$
DECLARE
  part regclass;
  dropped integer := 0;
BEGIN
  FOR part IN SELECT i.inhrelid::regclass FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
    WHERE i.inhparent = to_regclass(of_table) AND c.relname < of_table || to_char(date_trunc(wide, before, 'UTC') AT TIME ZONE 'UTC',
      CASE wide WHEN 'day' THEN '_YYYYMMDD' ELSE '_YYYYMM' END)
  LOOP
    -- nothing can come into it any more while it is looked at
    EXECUTE format('LOCK TABLE %s IN ACCESS EXCLUSIVE MODE', part);
    CONTINUE WHEN EXISTS (SELECT 1 FROM roll_due WHERE step = rolled_by AND at < before);
    EXECUTE format('DROP TABLE %s', part);
    dropped := dropped + 1;
  END LOOP;
  RETURN dropped;
END $body$;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
