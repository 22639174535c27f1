import type { Database } from './database';

const statements = `
-- what pods told of what their volumes hold, by claim: before they ended, and once they were back
ALTER TABLE moves ADD COLUMN left_data jsonb, ADD COLUMN came_data jsonb;

-- releases after which a volume may still come
CREATE INDEX operations_never_bound ON operations (ended_at) WHERE kind = 'release' AND cause = 'never bound';

-- where a volume is attached
CREATE INDEX platform_objects_attached ON platform_objects ((body #>> '{spec,source,persistentVolumeName}')) WHERE plural = 'volumeattachments';

-- places that are held against others: what a claim that is still to come takes of its pool, until when
ALTER TABLE planned_places
  ADD COLUMN class_name text NOT NULL DEFAULT '',
  ADD COLUMN bytes bigint NOT NULL DEFAULT 0,
  ADD COLUMN raw_bytes bigint NOT NULL DEFAULT 0,
  ADD COLUMN backend_iops double precision NOT NULL DEFAULT 0,
  ADD COLUMN backend_throughput double precision NOT NULL DEFAULT 0,
  -- of the disks, those that hold data
  ADD COLUMN copies integer NOT NULL DEFAULT 0,
  -- null where nothing is held
  ADD COLUMN held_until timestamptz;
CREATE INDEX planned_places_held ON planned_places (pool_id) WHERE held_until IS NOT NULL;
CREATE INDEX planned_places_until ON planned_places (held_until) WHERE held_until IS NOT NULL;
CREATE TRIGGER planned_places_held AFTER INSERT ON planned_places
  FOR EACH ROW WHEN (NEW.held_until IS NOT NULL) EXECUTE FUNCTION count_reservation();
CREATE TRIGGER planned_places_let_go AFTER DELETE ON planned_places
  FOR EACH ROW WHEN (OLD.held_until IS NOT NULL) EXECUTE FUNCTION count_reservation();

-- copies that are not in step, since when, and how fast they come on
CREATE TABLE copies_behind (
  backend_id text NOT NULL REFERENCES backends ON DELETE CASCADE,
  volume_id text NOT NULL,
  disk text NOT NULL,
  node text NOT NULL,
  state text NOT NULL,
  -- written bytes of the volume, and how much of them the copy has
  bytes bigint NOT NULL,
  percent double precision NOT NULL,
  since timestamptz NOT NULL,
  at timestamptz NOT NULL,
  bytes_per_second double precision,
  PRIMARY KEY (backend_id, volume_id, disk)
);
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
