import type { Database } from './database';

const statements = `
-- asked of every claim that is listed or counted: not read out of the whole object each time
ALTER TABLE platform_objects ADD COLUMN deleting boolean GENERATED ALWAYS AS (body #>> '{metadata,deletionTimestamp}' IS NOT NULL) STORED;

-- claims are counted from the index, and those that may be in another state than bound are few
CREATE INDEX platform_objects_counted ON platform_objects (namespace, class_name) WHERE plural = 'persistentvolumeclaims';
CREATE INDEX platform_objects_unbound ON platform_objects (uid)
  WHERE plural = 'persistentvolumeclaims' AND (phase IS DISTINCT FROM 'Bound' OR deleting);
CREATE INDEX backend_volumes_unreachable ON backend_volumes (volume_id) WHERE NOT reachable;

DO $$
DECLARE was text := pg_get_viewdef('claims'); becomes text;
BEGIN
  becomes := replace(was, '((o.body #>> ''{metadata,deletionTimestamp}''::text[]) IS NOT NULL)', 'o.deleting');
  IF becomes = was THEN RAISE EXCEPTION 'the view of claims is not as it was made'; END IF;
  EXECUTE 'CREATE OR REPLACE VIEW claims AS ' || becomes;
END $$;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
