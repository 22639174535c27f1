import type { Database } from './database';

const statements = `
-- owners of pods with claims, with what is reckoned of them; kept by the round that follows what is noted as due
CREATE TABLE applications (
  uid text PRIMARY KEY,
  namespace text NOT NULL,
  kind text NOT NULL,
  name text NOT NULL,
  -- null where its owner is not one that we follow
  wanted integer,
  pods integer NOT NULL,
  ready integer NOT NULL,
  claims integer NOT NULL,
  -- what its claims ask for
  bytes bigint NOT NULL,
  classes text[] NOT NULL,
  pools text[] NOT NULL,
  nodes text[] NOT NULL,
  zones text[] NOT NULL,
  -- 0 in step, 1 being brought up to date, 2 stale, 3 lost; null where no backend tells
  worst integer,
  points jsonb NOT NULL DEFAULT '[]',
  created_at timestamptz NOT NULL
);
CREATE INDEX applications_named ON applications (namespace, name, uid);

-- those that stand together somewhere; that all of their data is on one array is another matter
CREATE INDEX applications_together ON applications (namespace, name) WHERE points @? '$[*] ? (@.level != "pool" && @.level != "backend")';

-- what changed and applications hang on: only ever added to, so that no change can hide in one that is being reckoned
CREATE TABLE applications_due (
  id bigserial PRIMARY KEY,
  what text NOT NULL CHECK (what IN ('owner', 'claim', 'held', 'volume', 'node')),
  -- a claim's namespace, a volume's backend
  space text NOT NULL DEFAULT '',
  name text NOT NULL
);
CREATE INDEX applications_due_owners ON applications_due (name) WHERE what = 'owner';

CREATE INDEX platform_objects_pods_of ON platform_objects ((body #>> '{metadata,ownerReferences,0,uid}')) WHERE plural = 'pods';
CREATE INDEX platform_objects_pods_on ON platform_objects ((body #>> '{spec,nodeName}')) WHERE plural = 'pods';
CREATE INDEX platform_objects_pods_with ON platform_objects USING gin ((body #> '{spec,volumes}') jsonb_path_ops) WHERE plural = 'pods';
-- claims of a set by the beginning of their names
CREATE INDEX platform_objects_claims_named ON platform_objects (namespace, name COLLATE "C") WHERE plural = 'persistentvolumeclaims';
CREATE INDEX reservation_copies_node ON reservation_copies (node);
CREATE INDEX further_copies_volume ON further_copies (volume_id);

CREATE FUNCTION applications_due_of_objects() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  INSERT INTO applications_due (what, space, name)
  SELECT CASE plural WHEN 'persistentvolumeclaims' THEN 'claim' ELSE 'owner' END,
    CASE plural WHEN 'persistentvolumeclaims' THEN namespace ELSE '' END,
    CASE plural WHEN 'persistentvolumeclaims' THEN name WHEN 'statefulsets' THEN uid
      ELSE body #>> '{metadata,ownerReferences,0,uid}' END
  FROM changed WHERE plural IN ('statefulsets', 'persistentvolumeclaims')
    OR (plural = 'pods' AND body #>> '{metadata,ownerReferences,0,uid}' IS NOT NULL);
  RETURN NULL;
END $body$;
CREATE TRIGGER objects_made_due AFTER INSERT ON platform_objects
  REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION applications_due_of_objects();
CREATE TRIGGER objects_changed_due AFTER UPDATE ON platform_objects
  REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION applications_due_of_objects();
CREATE TRIGGER objects_gone_due AFTER DELETE ON platform_objects
  REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION applications_due_of_objects();

-- a node that stands elsewhere; that it is ready or not is no matter of where things stand
CREATE FUNCTION applications_due_of_node() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  INSERT INTO applications_due (what, name) VALUES ('node', NEW.name);
  RETURN NULL;
END $body$;
CREATE TRIGGER node_made_due AFTER INSERT ON platform_objects FOR EACH ROW
  WHEN (NEW.plural = 'nodes') EXECUTE FUNCTION applications_due_of_node();
CREATE TRIGGER node_moved_due AFTER UPDATE ON platform_objects FOR EACH ROW
  WHEN (NEW.plural = 'nodes' AND OLD.body #> '{metadata,labels}' IS DISTINCT FROM NEW.body #> '{metadata,labels}')
  EXECUTE FUNCTION applications_due_of_node();
CREATE TRIGGER backend_node_due AFTER INSERT ON backend_nodes FOR EACH ROW EXECUTE FUNCTION applications_due_of_node();
CREATE TRIGGER backend_node_moved_due AFTER UPDATE ON backend_nodes FOR EACH ROW
  WHEN ((OLD.zone, OLD.rack) IS DISTINCT FROM (NEW.zone, NEW.rack)) EXECUTE FUNCTION applications_due_of_node();

CREATE FUNCTION applications_due_of_held() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  INSERT INTO applications_due (what, name) VALUES ('held', CASE TG_OP WHEN 'DELETE' THEN OLD.claim_uid ELSE NEW.claim_uid END);
  RETURN NULL;
END $body$;
CREATE TRIGGER reservation_due AFTER INSERT OR DELETE ON reservations
  FOR EACH ROW EXECUTE FUNCTION applications_due_of_held();
CREATE TRIGGER reservation_changed_due AFTER UPDATE ON reservations FOR EACH ROW
  WHEN ((OLD.pool_id, OLD.volume_id, OLD.bytes) IS DISTINCT FROM (NEW.pool_id, NEW.volume_id, NEW.bytes))
  EXECUTE FUNCTION applications_due_of_held();
CREATE TRIGGER witness_due AFTER INSERT OR UPDATE ON reservation_copies FOR EACH ROW
  WHEN (NEW.role = 'witness') EXECUTE FUNCTION applications_due_of_held();
CREATE TRIGGER further_copy_due AFTER INSERT OR UPDATE OR DELETE ON further_copies
  FOR EACH ROW EXECUTE FUNCTION applications_due_of_held();

CREATE FUNCTION applications_due_of_volume() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP = 'DELETE' THEN
    INSERT INTO applications_due (what, space, name) VALUES ('volume', OLD.backend_id, OLD.volume_id);
  ELSE
    INSERT INTO applications_due (what, space, name) VALUES ('volume', NEW.backend_id, NEW.volume_id);
  END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER volume_due AFTER INSERT OR DELETE ON backend_volumes
  FOR EACH ROW EXECUTE FUNCTION applications_due_of_volume();
-- how far a copy has come is no matter here, only where it lies and how it stands
CREATE TRIGGER volume_changed_due AFTER UPDATE ON backend_volumes FOR EACH ROW
  WHEN ((jsonb_path_query_array(OLD.copies, '$[*].disk'), jsonb_path_query_array(OLD.copies, '$[*].state'))
    IS DISTINCT FROM (jsonb_path_query_array(NEW.copies, '$[*].disk'), jsonb_path_query_array(NEW.copies, '$[*].state')))
  EXECUTE FUNCTION applications_due_of_volume();

-- pods of sets that ended and came back, with when each step of the way was seen
CREATE TABLE moves (
  id bigserial PRIMARY KEY,
  owner text NOT NULL,
  namespace text NOT NULL,
  pod text NOT NULL,
  -- its claims' volumes, as the platform names them
  volumes text[] NOT NULL,
  class_name text,
  backend_id text,
  -- the pod that ended, and the one in its place
  left_uid text NOT NULL UNIQUE,
  came_uid text,
  from_node text NOT NULL,
  to_node text,
  ended_at timestamptz NOT NULL,
  gone_at timestamptz,
  detached_at timestamptz,
  placed_at timestamptz,
  attached_at timestamptz,
  ready_at timestamptz
);
CREATE INDEX moves_open ON moves (namespace, pod) WHERE ready_at IS NULL;
CREATE INDEX moves_of ON moves (owner, id DESC);
CREATE INDEX moves_measured ON moves (class_name, backend_id, id DESC) WHERE ready_at IS NOT NULL;
CREATE INDEX moves_old ON moves (ended_at);

-- nodes that are emptied; their state is their operation's
CREATE TABLE drains (
  operation_id uuid PRIMARY KEY REFERENCES operations ON DELETE CASCADE,
  node text NOT NULL,
  -- it took no pods before either: given up, it is left so
  was_cordoned boolean NOT NULL
);

-- what is there already
INSERT INTO applications_due (what, name) SELECT 'owner', uid FROM platform_objects WHERE plural = 'statefulsets'
  UNION SELECT 'owner', body #>> '{metadata,ownerReferences,0,uid}' FROM platform_objects
    WHERE plural = 'pods' AND body #>> '{metadata,ownerReferences,0,uid}' IS NOT NULL;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
