import type { Database } from './database';

const statements = `
-- persistent volumes by the backend's volume that they name
CREATE INDEX platform_objects_handle ON platform_objects ((body #>> '{spec,csi,volumeHandle}')) WHERE plural = 'persistentvolumes';
-- those that claims of a class may be given, and those that name a claim
CREATE INDEX platform_objects_available ON platform_objects (class_name, size_bytes)
  WHERE plural = 'persistentvolumes' AND phase = 'Available';
CREATE INDEX operations_beforehand ON operations (id) WHERE waiting_for = 'beforehand';
CREATE INDEX platform_objects_named ON platform_objects
  ((body #>> '{spec,claimRef,namespace}'), (body #>> '{spec,claimRef,name}')) WHERE plural = 'persistentvolumes';

-- a claim that waits until the platform gives it a volume made beforehand is held back
DO $$
DECLARE was text := pg_get_viewdef('claims'); becomes text;
BEGIN
  becomes := replace(was, '''selector''::text', '''selector''::text, ''beforehand''::text');
  IF becomes = was THEN RAISE EXCEPTION 'the view of claims is not as it was made'; END IF;
  EXECUTE 'CREATE OR REPLACE VIEW claims AS ' || becomes;
END $$;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
