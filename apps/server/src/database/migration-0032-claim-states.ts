import type { Database } from './database';

/** When a binding says something else of its claim than it said before. */
const told = (of: string) =>
  `(${of}.state = 'waiting', ${of}.waiting_for, ${of}.stopped IS NULL, ${of}.error IS NULL, ${of}.attempts >= 5, ${of}.holds, ${of}.subject)`;
const listed = (of: string) =>
  `(${of}.phase, ${of}.deleting, ${of}.class_name, ${of}.size_bytes, ${of}.namespace, ${of}.name, ${of}.created_at)`;

const statements = `
CREATE EXTENSION IF NOT EXISTS pg_trgm;
CREATE EXTENSION IF NOT EXISTS btree_gin;

-- how each claim stands, kept by the transaction that changes it: lists filter, sort and count here; what the view says is the truth
CREATE TABLE claim_states (
  claim_uid text PRIMARY KEY,
  namespace text NOT NULL,
  name text NOT NULL,
  class_name text NOT NULL DEFAULT '',
  size_bytes bigint NOT NULL DEFAULT 0,
  created_at timestamptz NOT NULL,
  state text NOT NULL,
  -- it cannot go on without a person
  stuck boolean NOT NULL DEFAULT false
);
CREATE INDEX claim_states_created ON claim_states (created_at, claim_uid);
CREATE INDEX claim_states_name ON claim_states (name, claim_uid);
CREATE INDEX claim_states_namespace ON claim_states (namespace, claim_uid);
CREATE INDEX claim_states_named ON claim_states (namespace, name);
CREATE INDEX claim_states_class ON claim_states (class_name, claim_uid);
CREATE INDEX claim_states_size ON claim_states (size_bytes, claim_uid);
CREATE INDEX claim_states_state ON claim_states (state, claim_uid);
CREATE INDEX claim_states_unbound ON claim_states (created_at, claim_uid) WHERE state <> 'bound';
CREATE INDEX claim_states_begins ON claim_states (lower(claim_uid) text_pattern_ops);
CREATE INDEX claim_states_anywhere ON claim_states USING gin ((namespace || '/' || name || ' ' || class_name) gin_trgm_ops);

-- how many claims each namespace has of each class
CREATE TABLE claim_totals (
  namespace text NOT NULL,
  class_name text NOT NULL,
  claims bigint NOT NULL,
  PRIMARY KEY (namespace, class_name)
);

-- identifiers are looked for by how they begin, names by any part of them
CREATE INDEX reservations_volume_begins ON reservations (lower(volume_id) text_pattern_ops);
CREATE INDEX reservations_name_begins ON reservations (lower(volume_name) text_pattern_ops);
CREATE INDEX reservation_copies_disk_begins ON reservation_copies (lower(disk) text_pattern_ops);
CREATE INDEX reservation_copies_node_begins ON reservation_copies (lower(node) text_pattern_ops);
CREATE INDEX platform_objects_pods_anywhere ON platform_objects USING gin (name gin_trgm_ops) WHERE plural = 'pods';
CREATE INDEX platform_objects_pods_mounting ON platform_objects USING gin (namespace, (body #> '{spec,volumes}') jsonb_path_ops) WHERE plural = 'pods';
DROP INDEX platform_objects_pods_with;

CREATE FUNCTION count_claim_states() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP IN ('UPDATE', 'DELETE') THEN
    UPDATE claim_totals SET claims = claims - 1 WHERE namespace = OLD.namespace AND class_name = OLD.class_name;
  END IF;
  IF TG_OP IN ('UPDATE', 'INSERT') THEN
    INSERT INTO claim_totals AS t (namespace, class_name, claims) VALUES (NEW.namespace, NEW.class_name, 1)
    ON CONFLICT (namespace, class_name) DO UPDATE SET claims = t.claims + 1;
  END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER claim_states_counted AFTER INSERT OR DELETE ON claim_states FOR EACH ROW EXECUTE FUNCTION count_claim_states();
CREATE TRIGGER claim_states_counted_anew AFTER UPDATE ON claim_states FOR EACH ROW
  WHEN ((OLD.namespace, OLD.class_name) IS DISTINCT FROM (NEW.namespace, NEW.class_name)) EXECUTE FUNCTION count_claim_states();

-- as the view says it now. The row is locked first and the view read after that, so that of two who change one claim the second sees both changes
CREATE FUNCTION keep_claim(uid_of text) RETURNS boolean LANGUAGE plpgsql
SET plan_cache_mode = force_generic_plan SET enable_seqscan = off SET enable_hashjoin = off SET enable_mergejoin = off SET jit = off AS $body$
DECLARE now_is claim_states;
BEGIN
  IF uid_of IS NULL THEN RETURN false; END IF;
  PERFORM FROM claim_states WHERE claim_uid = uid_of FOR UPDATE;
  SELECT c.uid, c.namespace, c.name, coalesce(c.class_name, ''), coalesce(c.size_bytes, 0), c.created_at, c.state,
    c.state IN ('nothing-fits', 'no-class', 'lost', 'unreachable', 'stopped') OR (c.state = 'retrying' AND c.attempts >= 5)
  INTO now_is FROM claims c WHERE c.uid = uid_of;
  IF now_is.claim_uid IS NULL THEN
    DELETE FROM claim_states WHERE claim_uid = uid_of;
    RETURN FOUND;
  END IF;
  INSERT INTO claim_states AS s VALUES (now_is.*) ON CONFLICT (claim_uid) DO UPDATE SET namespace = excluded.namespace, name = excluded.name,
    class_name = excluded.class_name, size_bytes = excluded.size_bytes, created_at = excluded.created_at, state = excluded.state, stuck = excluded.stuck
  WHERE (s.*) IS DISTINCT FROM (excluded.*);
  RETURN FOUND;
END $body$;

CREATE FUNCTION keep_claim_of_object() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  PERFORM keep_claim(CASE TG_OP WHEN 'DELETE' THEN OLD.uid ELSE NEW.uid END);
  RETURN NULL;
END $body$;
CREATE CONSTRAINT TRIGGER claim_kept AFTER INSERT ON platform_objects DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (NEW.plural = 'persistentvolumeclaims') EXECUTE FUNCTION keep_claim_of_object();
CREATE CONSTRAINT TRIGGER claim_kept_gone AFTER DELETE ON platform_objects DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (OLD.plural = 'persistentvolumeclaims') EXECUTE FUNCTION keep_claim_of_object();
CREATE CONSTRAINT TRIGGER claim_kept_changed AFTER UPDATE ON platform_objects DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (NEW.plural = 'persistentvolumeclaims' AND ${listed('OLD')} IS DISTINCT FROM ${listed('NEW')}) EXECUTE FUNCTION keep_claim_of_object();

-- a class that comes, goes or changes hands: claims that are bound are so whatever becomes of it
CREATE FUNCTION keep_claims_of_class() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  PERFORM keep_claim(s.claim_uid) FROM (SELECT claim_uid FROM claim_states
    WHERE state <> 'bound' AND class_name = CASE TG_OP WHEN 'DELETE' THEN OLD.name ELSE NEW.name END ORDER BY 1) s;
  RETURN NULL;
END $body$;
CREATE CONSTRAINT TRIGGER class_kept AFTER INSERT ON platform_objects DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (NEW.plural = 'storageclasses') EXECUTE FUNCTION keep_claims_of_class();
CREATE CONSTRAINT TRIGGER class_kept_gone AFTER DELETE ON platform_objects DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (OLD.plural = 'storageclasses') EXECUTE FUNCTION keep_claims_of_class();
CREATE CONSTRAINT TRIGGER class_kept_changed AFTER UPDATE ON platform_objects DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (NEW.plural = 'storageclasses' AND (OLD.body -> 'provisioner', OLD.name) IS DISTINCT FROM (NEW.body -> 'provisioner', NEW.name)) EXECUTE FUNCTION keep_claims_of_class();

CREATE FUNCTION keep_claim_held() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP IN ('UPDATE', 'DELETE') THEN PERFORM keep_claim(OLD.claim_uid); END IF;
  IF TG_OP = 'INSERT' OR (TG_OP = 'UPDATE' AND OLD.claim_uid <> NEW.claim_uid) THEN PERFORM keep_claim(NEW.claim_uid); END IF;
  RETURN NULL;
END $body$;
CREATE CONSTRAINT TRIGGER held_kept AFTER INSERT ON reservations DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (NEW.volume_id IS NOT NULL OR NEW.missing_since IS NOT NULL) EXECUTE FUNCTION keep_claim_held();
CREATE CONSTRAINT TRIGGER held_kept_gone AFTER DELETE ON reservations DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (OLD.volume_id IS NOT NULL OR OLD.missing_since IS NOT NULL) EXECUTE FUNCTION keep_claim_held();
CREATE CONSTRAINT TRIGGER held_kept_changed AFTER UPDATE ON reservations DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN ((OLD.missing_since IS NULL, OLD.claim_uid, OLD.pool_id) IS DISTINCT FROM (NEW.missing_since IS NULL, NEW.claim_uid, NEW.pool_id)
    OR (OLD.volume_id IS NOT NULL AND OLD.volume_id IS DISTINCT FROM NEW.volume_id)) EXECUTE FUNCTION keep_claim_held();

CREATE FUNCTION keep_claim_of_volume() RETURNS trigger LANGUAGE plpgsql AS $body$
DECLARE volume backend_volumes := CASE TG_OP WHEN 'DELETE' THEN OLD ELSE NEW END;
BEGIN
  PERFORM keep_claim(r.claim_uid) FROM reservations r JOIN pools p ON p.id = r.pool_id
  WHERE r.volume_id = volume.volume_id AND p.backend_id = volume.backend_id;
  RETURN NULL;
END $body$;
CREATE CONSTRAINT TRIGGER volume_kept AFTER INSERT ON backend_volumes DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (NOT NEW.reachable) EXECUTE FUNCTION keep_claim_of_volume();
CREATE CONSTRAINT TRIGGER volume_kept_gone AFTER DELETE ON backend_volumes DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (NOT OLD.reachable) EXECUTE FUNCTION keep_claim_of_volume();
CREATE CONSTRAINT TRIGGER volume_kept_changed AFTER UPDATE ON backend_volumes DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (OLD.reachable <> NEW.reachable) EXECUTE FUNCTION keep_claim_of_volume();

CREATE FUNCTION keep_claim_bound() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP <> 'INSERT' AND OLD.holds = 'bind' THEN PERFORM keep_claim(OLD.subject); END IF;
  IF TG_OP <> 'DELETE' AND NEW.holds = 'bind' AND (TG_OP = 'INSERT' OR OLD.holds IS DISTINCT FROM 'bind' OR OLD.subject <> NEW.subject) THEN
    PERFORM keep_claim(NEW.subject);
  END IF;
  RETURN NULL;
END $body$;
CREATE CONSTRAINT TRIGGER binding_kept AFTER INSERT ON operations DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (NEW.holds = 'bind' AND (NEW.state = 'waiting' OR NEW.stopped IS NOT NULL OR NEW.error IS NOT NULL)) EXECUTE FUNCTION keep_claim_bound();
CREATE CONSTRAINT TRIGGER binding_kept_gone AFTER DELETE ON operations DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN (OLD.holds = 'bind') EXECUTE FUNCTION keep_claim_bound();
CREATE CONSTRAINT TRIGGER binding_kept_changed AFTER UPDATE ON operations DEFERRABLE INITIALLY DEFERRED FOR EACH ROW
  WHEN ((OLD.holds = 'bind' OR NEW.holds = 'bind') AND ${told('OLD')} IS DISTINCT FROM ${told('NEW')}) EXECUTE FUNCTION keep_claim_bound();

-- claims whose kept state is another than what it was made of says, among some: each is put right, and told
CREATE FUNCTION recount_claims(uids text[]) RETURNS SETOF text LANGUAGE sql AS $body$
  SELECT u FROM (SELECT u FROM unnest(uids) u ORDER BY 1) s WHERE keep_claim(u)
$body$;

INSERT INTO claim_states SELECT c.uid, c.namespace, c.name, coalesce(c.class_name, ''), coalesce(c.size_bytes, 0), c.created_at, c.state,
  c.state IN ('nothing-fits', 'no-class', 'lost', 'unreachable', 'stopped') OR (c.state = 'retrying' AND c.attempts >= 5) FROM claims c;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
