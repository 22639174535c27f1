import type { Database } from './database';

const statements = `
-- how far the platform's clock stands from this database's: what was, is dated by the site, in whole milliseconds as browsers have them
CREATE TABLE site_clock (id integer PRIMARY KEY, ahead_ms bigint NOT NULL);
INSERT INTO site_clock VALUES (1, 0);
CREATE FUNCTION site_now() RETURNS timestamptz LANGUAGE sql VOLATILE AS $body$
  SELECT date_trunc('milliseconds', clock_timestamp()) + ahead_ms * interval '1 millisecond' FROM site_clock WHERE id = 1
$body$;

-- claims that use anything, or did; a row is locked while what its claim uses is noted
CREATE TABLE used_claims (
  claim_uid text PRIMARY KEY,
  -- name of the application whose pods use it, or used it last
  application text NOT NULL DEFAULT ''
);

-- what is told apart in every sum
CREATE TABLE use_keys (
  id serial PRIMARY KEY,
  namespace text NOT NULL,
  class_name text NOT NULL,
  -- empty while no pool was chosen
  pool_id text NOT NULL,
  application text NOT NULL,
  UNIQUE (namespace, class_name, pool_id, application)
);

-- what a claim uses, from when until when
CREATE TABLE uses (
  id bigserial PRIMARY KEY,
  claim_uid text NOT NULL,
  -- empty for the claim itself, or which of its further copies
  part text NOT NULL,
  key_id integer NOT NULL REFERENCES use_keys,
  claim_name text NOT NULL,
  from_at timestamptz NOT NULL,
  -- null while it holds
  until_at timestamptz,
  -- 0 for a volume that is kept without its claim, and for further copies
  claims integer NOT NULL,
  unbound integer NOT NULL,
  requested bigint NOT NULL,
  provisioned bigint NOT NULL,
  footprint bigint NOT NULL,
  -- reserved, in thousandths of an operation per second
  milli_iops bigint NOT NULL
);
CREATE INDEX uses_held ON uses (claim_uid) WHERE until_at IS NULL;
CREATE INDEX uses_of_claim ON uses (claim_uid, from_at);
CREATE INDEX uses_of_key ON uses (key_id, from_at);

-- by how much a sum changed, and when: only ever added to, so that nobody waits for anybody
CREATE TABLE use_changes (
  id bigserial PRIMARY KEY,
  at timestamptz NOT NULL,
  key_id integer NOT NULL,
  claims integer NOT NULL,
  unbound integer NOT NULL,
  requested bigint NOT NULL,
  provisioned bigint NOT NULL,
  footprint bigint NOT NULL,
  milli_iops bigint NOT NULL
);
CREATE INDEX use_changes_at ON use_changes (at);
CREATE INDEX use_changes_of_key ON use_changes (key_id, at);

-- the sums at the beginning of a day (UTC), so that no question about a moment goes back further
CREATE TABLE use_days (day timestamptz PRIMARY KEY);
CREATE TABLE use_sums (
  day timestamptz NOT NULL REFERENCES use_days ON DELETE CASCADE,
  key_id integer NOT NULL,
  claims integer NOT NULL,
  unbound integer NOT NULL,
  requested bigint NOT NULL,
  provisioned bigint NOT NULL,
  footprint bigint NOT NULL,
  milli_iops bigint NOT NULL,
  PRIMARY KEY (day, key_id)
);

CREATE TYPE use_now AS (
  claim_uid text, part text, claim_name text, namespace text, class_name text, pool_id text, application text, since timestamptz,
  claims integer, unbound integer, requested bigint, provisioned bigint, footprint bigint, milli_iops bigint
);
CREATE FUNCTION uses_now(uids text[]) RETURNS SETOF use_now LANGUAGE sql STABLE AS $body$
  SELECT u.claim_uid, '', coalesce(c.name, r.claim_name, b.claim_name), coalesce(c.namespace, r.namespace, b.namespace),
    coalesce(c.class_name, r.class_name, b.class_name, ''), coalesce(r.pool_id, b.pool_id, ''), u.application,
    least(c.created_at, r.created_at, b.created_at),
    (c.uid IS NOT NULL)::integer,
    (c.uid IS NOT NULL AND CASE c.plural WHEN 'bucketclaims' THEN b.state IS DISTINCT FROM 'ready' ELSE c.phase IS DISTINCT FROM 'Bound' END)::integer,
    CASE WHEN c.uid IS NULL THEN 0 ELSE coalesce(c.size_bytes, b.bytes, 0) END,
    coalesce(r.bytes, b.bytes, 0), coalesce(r.raw_bytes, b.raw_bytes, 0), round(coalesce(r.iops_floor, 0) * 1000)::bigint
  FROM used_claims u
  LEFT JOIN platform_objects c ON c.uid = u.claim_uid AND c.plural IN ('persistentvolumeclaims', 'bucketclaims')
  LEFT JOIN reservations r ON r.claim_uid = u.claim_uid
  LEFT JOIN buckets b ON b.claim_uid = u.claim_uid
  WHERE u.claim_uid = ANY(uids) AND (c.uid IS NOT NULL OR r.claim_uid IS NOT NULL OR b.claim_uid IS NOT NULL)
  UNION ALL
  SELECT u.claim_uid, f.mode, r.claim_name, r.namespace, coalesce(c.class_name, r.class_name), f.pool_id, u.application, r.created_at,
    0, 0, 0, 0, f.raw_bytes, 0
  FROM used_claims u JOIN further_copies f ON f.claim_uid = u.claim_uid JOIN reservations r ON r.claim_uid = u.claim_uid
  LEFT JOIN platform_objects c ON c.uid = u.claim_uid AND c.plural = 'persistentvolumeclaims'
  WHERE u.claim_uid = ANY(uids)
$body$;

-- what is first heard of is dated as it dates itself, where that is longer ago than this
-- planned once for each connection, by keys: it is asked for with every change of every claim
CREATE FUNCTION note_some_uses(uids text[]) RETURNS void LANGUAGE plpgsql
SET plan_cache_mode = force_generic_plan SET enable_seqscan = off SET jit = off AS $body$
DECLARE
  moment timestamptz;
  now_used use_now[];
BEGIN
  INSERT INTO used_claims (claim_uid) SELECT DISTINCT uid FROM unnest(uids) uid ORDER BY uid ON CONFLICT DO NOTHING;
  PERFORM 1 FROM used_claims WHERE claim_uid = ANY(uids) ORDER BY claim_uid FOR UPDATE;
  -- while the sums of a day are made, nothing can be dated before it
  PERFORM pg_advisory_xact_lock_shared(4418, 1);
  moment := site_now();
  SELECT array_agg(f) INTO now_used FROM uses_now(uids) f;
  INSERT INTO use_keys (namespace, class_name, pool_id, application)
    SELECT DISTINCT f.namespace, f.class_name, f.pool_id, f.application FROM unnest(now_used) f
    WHERE NOT EXISTS (SELECT 1 FROM use_keys k
      WHERE (k.namespace, k.class_name, k.pool_id, k.application) = (f.namespace, f.class_name, f.pool_id, f.application))
    ORDER BY 1, 2, 3, 4 ON CONFLICT DO NOTHING;
  WITH fresh AS (
    SELECT f.*, k.id AS key_id FROM unnest(now_used) f
    JOIN use_keys k ON (k.namespace, k.class_name, k.pool_id, k.application) = (f.namespace, f.class_name, f.pool_id, f.application)
  ), held AS (
    SELECT * FROM uses WHERE claim_uid = ANY(uids) AND until_at IS NULL
  ), closed AS (
    UPDATE uses u SET until_at = greatest(moment, u.from_at) FROM held h
    WHERE u.id = h.id AND NOT EXISTS (SELECT 1 FROM fresh f WHERE (f.claim_uid, f.part) = (h.claim_uid, h.part)
      AND (f.key_id, f.claim_name, f.claims, f.unbound, f.requested, f.provisioned, f.footprint, f.milli_iops)
        = (h.key_id, h.claim_name, h.claims, h.unbound, h.requested, h.provisioned, h.footprint, h.milli_iops))
    RETURNING u.*
  ), opened AS (
    INSERT INTO uses (claim_uid, part, key_id, claim_name, from_at, claims, unbound, requested, provisioned, footprint, milli_iops)
    SELECT f.claim_uid, f.part, f.key_id, f.claim_name,
      CASE WHEN f.since < moment - interval '10 minutes' AND NOT EXISTS (SELECT 1 FROM uses e WHERE e.claim_uid = f.claim_uid)
        THEN f.since ELSE moment END,
      f.claims, f.unbound, f.requested, f.provisioned, f.footprint, f.milli_iops
    FROM fresh f WHERE NOT EXISTS (SELECT 1 FROM held h WHERE (f.claim_uid, f.part) = (h.claim_uid, h.part)
      AND (f.key_id, f.claim_name, f.claims, f.unbound, f.requested, f.provisioned, f.footprint, f.milli_iops)
        = (h.key_id, h.claim_name, h.claims, h.unbound, h.requested, h.provisioned, h.footprint, h.milli_iops))
    RETURNING *
  ), changes AS (
    INSERT INTO use_changes (at, key_id, claims, unbound, requested, provisioned, footprint, milli_iops)
    SELECT until_at, key_id, -claims, -unbound, -requested, -provisioned, -footprint, -milli_iops FROM closed
    UNION ALL SELECT from_at, key_id, claims, unbound, requested, provisioned, footprint, milli_iops FROM opened
    RETURNING *
  )
  -- what is dated before a day whose sums are kept belongs into them
  INSERT INTO use_sums SELECT d.day, c.key_id, sum(c.claims), sum(c.unbound), sum(c.requested), sum(c.provisioned),
    sum(c.footprint), sum(c.milli_iops)
  FROM changes c JOIN use_days d ON d.day >= c.at GROUP BY d.day, c.key_id ORDER BY d.day, c.key_id
  ON CONFLICT (day, key_id) DO UPDATE SET claims = use_sums.claims + excluded.claims, unbound = use_sums.unbound + excluded.unbound,
    requested = use_sums.requested + excluded.requested, provisioned = use_sums.provisioned + excluded.provisioned,
    footprint = use_sums.footprint + excluded.footprint, milli_iops = use_sums.milli_iops + excluded.milli_iops;
END $body$;

-- in one order, whoever notes: none waits for another that waits for it
CREATE FUNCTION note_uses(claims text[]) RETURNS void LANGUAGE plpgsql AS $body$
DECLARE uids text[] := ARRAY(SELECT DISTINCT uid FROM unnest(claims) uid ORDER BY uid);
BEGIN
  FOR i IN 0..coalesce(cardinality(uids), 0) / 200 LOOP
    IF i * 200 < cardinality(uids) THEN PERFORM note_some_uses(uids[i * 200 + 1:(i + 1) * 200]); END IF;
  END LOOP;
END $body$;

CREATE FUNCTION note_uses_of_claims() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  PERFORM note_uses(array_agg(uid)) FROM changed WHERE plural IN ('persistentvolumeclaims', 'bucketclaims');
  RETURN NULL;
END $body$;
CREATE FUNCTION note_uses_of_changed_claims() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  PERFORM note_uses(array_agg(c.uid)) FROM changed c JOIN was w USING (plural, uid)
    WHERE c.plural IN ('persistentvolumeclaims', 'bucketclaims')
      AND (c.namespace, c.name, c.class_name, c.phase, c.size_bytes) IS DISTINCT FROM (w.namespace, w.name, w.class_name, w.phase, w.size_bytes);
  RETURN NULL;
END $body$;
CREATE TRIGGER claims_made_used AFTER INSERT ON platform_objects
  REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION note_uses_of_claims();
CREATE TRIGGER claims_changed_used AFTER UPDATE ON platform_objects
  REFERENCING OLD TABLE AS was NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION note_uses_of_changed_claims();
CREATE TRIGGER claims_gone_used AFTER DELETE ON platform_objects
  REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION note_uses_of_claims();

CREATE FUNCTION note_uses_held() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  PERFORM note_uses(ARRAY[CASE TG_OP WHEN 'DELETE' THEN OLD.claim_uid ELSE NEW.claim_uid END]);
  RETURN NULL;
END $body$;
CREATE TRIGGER reservation_used AFTER INSERT OR DELETE ON reservations FOR EACH ROW EXECUTE FUNCTION note_uses_held();
CREATE TRIGGER reservation_changed_used AFTER UPDATE ON reservations FOR EACH ROW
  WHEN ((OLD.namespace, OLD.claim_name, OLD.class_name, OLD.pool_id, OLD.bytes, OLD.raw_bytes, OLD.iops_floor)
    IS DISTINCT FROM (NEW.namespace, NEW.claim_name, NEW.class_name, NEW.pool_id, NEW.bytes, NEW.raw_bytes, NEW.iops_floor))
  EXECUTE FUNCTION note_uses_held();
CREATE TRIGGER further_copy_used AFTER INSERT OR UPDATE OR DELETE ON further_copies FOR EACH ROW EXECUTE FUNCTION note_uses_held();
CREATE TRIGGER bucket_used AFTER INSERT OR DELETE ON buckets FOR EACH ROW EXECUTE FUNCTION note_uses_held();
CREATE TRIGGER bucket_changed_used AFTER UPDATE ON buckets FOR EACH ROW
  WHEN ((OLD.namespace, OLD.claim_name, OLD.class_name, OLD.pool_id, OLD.bytes, OLD.raw_bytes, OLD.state)
    IS DISTINCT FROM (NEW.namespace, NEW.claim_name, NEW.class_name, NEW.pool_id, NEW.bytes, NEW.raw_bytes, NEW.state))
  EXECUTE FUNCTION note_uses_held();
CREATE FUNCTION note_uses_named() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  PERFORM note_uses(array_agg(c.claim_uid)) FROM changed c JOIN was w USING (claim_uid) WHERE c.application <> w.application;
  RETURN NULL;
END $body$;
CREATE TRIGGER application_used AFTER UPDATE ON used_claims
  REFERENCING OLD TABLE AS was NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION note_uses_named();

-- limits as they were
CREATE TABLE limits_held (
  id bigserial PRIMARY KEY,
  namespace text NOT NULL,
  class_name text NOT NULL,
  bytes bigint NOT NULL,
  from_at timestamptz NOT NULL,
  until_at timestamptz
);
CREATE INDEX limits_held_of ON limits_held (namespace, class_name, from_at);
CREATE FUNCTION note_limit() RETURNS trigger LANGUAGE plpgsql AS $body$
DECLARE moment timestamptz := site_now();
BEGIN
  IF TG_OP <> 'INSERT' THEN
    UPDATE limits_held SET until_at = greatest(moment, from_at)
    WHERE namespace = OLD.namespace AND class_name = OLD.class_name AND until_at IS NULL;
  END IF;
  IF TG_OP <> 'DELETE' THEN
    INSERT INTO limits_held (namespace, class_name, bytes, from_at) VALUES (NEW.namespace, NEW.class_name, NEW.bytes, moment);
  END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER limit_held AFTER INSERT OR DELETE ON limits FOR EACH ROW EXECUTE FUNCTION note_limit();
CREATE TRIGGER limit_changed_held AFTER UPDATE ON limits FOR EACH ROW WHEN (OLD.bytes <> NEW.bytes) EXECUTE FUNCTION note_limit();

-- what is there already
SELECT note_uses(ARRAY(
  SELECT uid FROM platform_objects WHERE plural IN ('persistentvolumeclaims', 'bucketclaims')
  UNION SELECT claim_uid FROM reservations UNION SELECT claim_uid FROM buckets));
INSERT INTO limits_held (namespace, class_name, bytes, from_at) SELECT namespace, class_name, bytes, site_now() FROM limits;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
