import type { Database } from './database';

const statements = `
-- what a class is like, and what fails, from when until when
ALTER TABLE facts_held DROP CONSTRAINT facts_held_kind_check;
ALTER TABLE facts_held ADD CONSTRAINT facts_held_kind_check CHECK (kind IN ('pool', 'mooring', 'class', 'failure'));
CREATE INDEX facts_held_until ON facts_held (kind, until_at);

-- what is replaced ends at the very moment at which the next begins
CREATE OR REPLACE FUNCTION note_fact(of_kind text, of_name text, now_fact jsonb) RETURNS void LANGUAGE plpgsql AS $body$
DECLARE moment timestamptz := site_now();
BEGIN
  UPDATE facts_held SET until_at = greatest(moment, from_at)
  WHERE kind = of_kind AND name = of_name AND until_at IS NULL AND fact IS DISTINCT FROM now_fact;
  IF now_fact IS NOT NULL THEN
    INSERT INTO facts_held (kind, name, fact, from_at)
    SELECT of_kind, of_name, now_fact, moment
    WHERE NOT EXISTS (SELECT 1 FROM facts_held WHERE kind = of_kind AND name = of_name AND until_at IS NULL)
    ON CONFLICT DO NOTHING;
  END IF;
END $body$;

CREATE FUNCTION note_class() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP = 'DELETE' THEN PERFORM note_fact('class', OLD.name, NULL);
  ELSE PERFORM note_fact('class', NEW.name, NEW.body - 'metadata' - 'kind' - 'apiVersion' - 'status'); END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER class_then_made AFTER INSERT ON platform_objects FOR EACH ROW WHEN (NEW.plural = 'storageclasses') EXECUTE FUNCTION note_class();
CREATE TRIGGER class_then_changed AFTER UPDATE OF body ON platform_objects
  FOR EACH ROW WHEN (NEW.plural = 'storageclasses' AND OLD.body IS DISTINCT FROM NEW.body) EXECUTE FUNCTION note_class();
CREATE TRIGGER class_then_gone AFTER DELETE ON platform_objects FOR EACH ROW WHEN (OLD.plural = 'storageclasses') EXECUTE FUNCTION note_class();

-- a backend that answers no longer, or says itself that it is not well; one that never answered yet has not failed
CREATE FUNCTION note_backend_failure() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP = 'DELETE' THEN
    PERFORM note_fact('failure', OLD.id || '/silent', NULL), note_fact('failure', OLD.id || '/ill', NULL);
    RETURN NULL;
  END IF;
  IF NEW.reachable THEN
    PERFORM note_fact('failure', NEW.id || '/silent', NULL);
    PERFORM note_fact('failure', NEW.id || '/ill', CASE WHEN NOT NEW.healthy THEN jsonb_build_object('of', 'ill', 'backend', NEW.id, 'subject', NEW.id) END);
  ELSIF OLD.reachable THEN
    PERFORM note_fact('failure', NEW.id || '/silent', jsonb_build_object('of', 'silent', 'backend', NEW.id, 'subject', NEW.id));
  END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER backend_failed AFTER UPDATE OF reachable, healthy ON backends
  FOR EACH ROW WHEN ((OLD.reachable, OLD.healthy) IS DISTINCT FROM (NEW.reachable, NEW.healthy)) EXECUTE FUNCTION note_backend_failure();
CREATE TRIGGER backend_failed_and_gone AFTER DELETE ON backends FOR EACH ROW EXECUTE FUNCTION note_backend_failure();

CREATE FUNCTION note_part_failure(backend text, of_kind text, subject text, failed boolean) RETURNS void LANGUAGE sql AS $body$
  SELECT note_fact('failure', backend || '/' || of_kind || '/' || subject,
    CASE WHEN failed THEN jsonb_build_object('of', of_kind, 'backend', backend, 'subject', subject) END)
$body$;
CREATE FUNCTION note_node_failure() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP = 'DELETE' THEN PERFORM note_part_failure(OLD.backend_id, 'node', OLD.name, false);
  ELSE PERFORM note_part_failure(NEW.backend_id, 'node', NEW.name, NOT NEW.up); END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER node_there AFTER INSERT ON backend_nodes FOR EACH ROW WHEN (NOT NEW.up) EXECUTE FUNCTION note_node_failure();
CREATE TRIGGER node_failed AFTER UPDATE OF up ON backend_nodes FOR EACH ROW WHEN (OLD.up <> NEW.up) EXECUTE FUNCTION note_node_failure();
CREATE TRIGGER node_gone AFTER DELETE ON backend_nodes FOR EACH ROW WHEN (NOT OLD.up) EXECUTE FUNCTION note_node_failure();
CREATE FUNCTION note_disk_failure() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP = 'DELETE' THEN PERFORM note_part_failure(OLD.backend_id, 'disk', OLD.id, false);
  ELSE PERFORM note_part_failure(NEW.backend_id, 'disk', NEW.id, NOT NEW.works); END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER disk_there AFTER INSERT ON backend_disks FOR EACH ROW WHEN (NOT NEW.works) EXECUTE FUNCTION note_disk_failure();
CREATE TRIGGER disk_failed AFTER UPDATE OF works ON backend_disks FOR EACH ROW WHEN (OLD.works <> NEW.works) EXECUTE FUNCTION note_disk_failure();
CREATE TRIGGER disk_gone AFTER DELETE ON backend_disks FOR EACH ROW WHEN (NOT OLD.works) EXECUTE FUNCTION note_disk_failure();

INSERT INTO facts_held (kind, name, fact, from_at)
SELECT 'class', name, body - 'metadata' - 'kind' - 'apiVersion' - 'status', site_now() FROM platform_objects WHERE plural = 'storageclasses';
SELECT note_fact('failure', id || CASE WHEN reachable THEN '/ill' ELSE '/silent' END,
  jsonb_build_object('of', CASE WHEN reachable THEN 'ill' ELSE 'silent' END, 'backend', id, 'subject', id))
FROM backends WHERE CASE WHEN reachable THEN NOT healthy ELSE healthy OR identity IS NOT NULL END;
SELECT note_part_failure(backend_id, 'node', name, true) FROM backend_nodes WHERE NOT up;
SELECT note_part_failure(backend_id, 'disk', id, true) FROM backend_disks WHERE NOT works;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
