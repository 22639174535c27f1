import type { Database } from './database';

const statements = `
-- what is promised of pools to buckets, and what lies in them
CREATE TABLE buckets (
  claim_uid text PRIMARY KEY,
  namespace text NOT NULL,
  claim_name text NOT NULL,
  class_name text NOT NULL,
  pool_id text NOT NULL REFERENCES pools,
  asked text,
  bytes bigint NOT NULL,
  raw_bytes bigint NOT NULL,
  backend_iops double precision NOT NULL DEFAULT 0,
  backend_throughput double precision NOT NULL DEFAULT 0,
  name text NOT NULL UNIQUE,
  state text NOT NULL DEFAULT 'held' CHECK (state IN ('held', 'made', 'ready', 'kept', 'emptying')),
  endpoint text,
  written bigint NOT NULL DEFAULT 0,
  objects bigint NOT NULL DEFAULT 0,
  measured_at timestamptz,
  measuring jsonb,
  shut boolean NOT NULL DEFAULT false,
  -- its claim is gone
  gone boolean NOT NULL DEFAULT false,
  destroyed_by text,
  created_at timestamptz NOT NULL DEFAULT now(),
  kept_since timestamptz
);
CREATE INDEX buckets_pool ON buckets (pool_id);
CREATE INDEX buckets_namespace ON buckets (namespace, class_name);
CREATE INDEX buckets_gone ON buckets (namespace, claim_name, claim_uid) WHERE gone;
CREATE INDEX buckets_shut ON buckets (namespace, claim_name) WHERE shut;
CREATE INDEX buckets_made ON buckets (created_at);
CREATE INDEX buckets_measured ON buckets (measured_at NULLS FIRST) WHERE state IN ('ready', 'kept');
CREATE TRIGGER buckets_counted AFTER INSERT OR DELETE OR UPDATE OF pool_id, bytes, raw_bytes, backend_iops, backend_throughput
  ON buckets FOR EACH ROW EXECUTE FUNCTION count_reservation();

-- accounts that may use a bucket; their secrets are kept on the platform alone
CREATE TABLE bucket_keys (
  access_uid text PRIMARY KEY,
  namespace text NOT NULL,
  access_name text NOT NULL,
  claim_uid text NOT NULL REFERENCES buckets ON UPDATE CASCADE ON DELETE CASCADE,
  account text NOT NULL UNIQUE,
  secret_name text NOT NULL,
  asked_at timestamptz NOT NULL DEFAULT now(),
  granted_at timestamptz
);
CREATE INDEX bucket_keys_asked ON bucket_keys (asked_at);
CREATE INDEX bucket_keys_bucket ON bucket_keys (claim_uid);

-- what is not carried to its end yet, for those who look for what was forgotten
CREATE INDEX platform_objects_buckets_open ON platform_objects (uid)
  WHERE plural = 'bucketclaims' AND (body #>> '{status,bucketReady}') IS DISTINCT FROM 'true';
CREATE INDEX platform_objects_accesses_open ON platform_objects (uid)
  WHERE plural = 'bucketaccesses' AND (body #>> '{status,accessGranted}') IS DISTINCT FROM 'true';
CREATE INDEX platform_objects_buckets ON platform_objects (namespace, name, uid) WHERE plural = 'bucketclaims';
CREATE INDEX platform_objects_accesses ON platform_objects (namespace, (body #>> '{spec,bucketClaimName}'))
  WHERE plural = 'bucketaccesses';
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
