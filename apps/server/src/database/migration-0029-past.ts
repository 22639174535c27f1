import type { Database } from './database';

const statements = `
-- the pod that uses a claim, or used it last; '*': several
ALTER TABLE used_claims ADD COLUMN pod text NOT NULL DEFAULT '';

-- counted last of the volumes of a backend: one row for each, since a row for each volume was changed every minute
CREATE UNLOGGED TABLE last_counts (
  backend_id text PRIMARY KEY REFERENCES backends ON DELETE CASCADE,
  at timestamptz NOT NULL,
  -- lists: volumes, operations, bytes, busyMs
  counts json NOT NULL
);
ALTER TABLE last_counts ALTER counts SET STORAGE EXTERNAL;
INSERT INTO last_counts SELECT backend_id, max(at), json_build_object('volumes', json_agg(volume_id ORDER BY volume_id),
  'operations', json_agg(operations ORDER BY volume_id), 'bytes', json_agg(bytes ORDER BY volume_id), 'busyMs', json_agg(busy_ms ORDER BY volume_id))
FROM volume_counts GROUP BY backend_id;
DROP TABLE volume_counts;

-- samples of a minute: hardly ever is any of them there already, and to ask that of each costs as much as to take them
CREATE FUNCTION take_samples(minute timestamptz, series_ids integer[], written bigint[], iops double precision[],
  throughput double precision[], latency double precision[]) RETURNS void LANGUAGE plpgsql AS $body$
BEGIN
  INSERT INTO samples (series_id, at, written, iops, throughput, latency)
  SELECT t.s, minute, t.w, t.i, t.t, t.l FROM unnest(series_ids, written, iops, throughput, latency) AS t(s, w, i, t, l);
EXCEPTION WHEN unique_violation THEN
  INSERT INTO samples (series_id, at, written, iops, throughput, latency)
  SELECT t.s, minute, t.w, t.i, t.t, t.l FROM unnest(series_ids, written, iops, throughput, latency) AS t(s, w, i, t, l)
  ON CONFLICT DO NOTHING;
END $body$;

-- nothing is sampled for want of room on the disk, since when; one row, or none
CREATE TABLE sampling_stops (id integer PRIMARY KEY, since timestamptz NOT NULL, free bigint NOT NULL);

-- what a pool or a mooring was like, from when until when; written by the transaction that changes it
CREATE TABLE facts_held (
  id bigserial PRIMARY KEY,
  kind text NOT NULL CHECK (kind IN ('pool', 'mooring')),
  -- the pool's id, or the class and the pool
  name text NOT NULL,
  fact jsonb NOT NULL,
  from_at timestamptz NOT NULL,
  -- null while it holds
  until_at timestamptz
);
CREATE UNIQUE INDEX facts_held_now ON facts_held (kind, name) WHERE until_at IS NULL;
CREATE INDEX facts_held_of ON facts_held (kind, name, from_at);

-- notes what something is like now (null: it is no more), where that is another than was noted
CREATE FUNCTION note_fact(of_kind text, of_name text, now_fact jsonb) RETURNS void LANGUAGE plpgsql AS $body$
BEGIN
  UPDATE facts_held SET until_at = greatest(site_now(), from_at)
  WHERE kind = of_kind AND name = of_name AND until_at IS NULL AND fact IS DISTINCT FROM now_fact;
  IF now_fact IS NOT NULL THEN
    INSERT INTO facts_held (kind, name, fact, from_at)
    SELECT of_kind, of_name, now_fact, site_now()
    WHERE NOT EXISTS (SELECT 1 FROM facts_held WHERE kind = of_kind AND name = of_name AND until_at IS NULL)
    ON CONFLICT DO NOTHING;
  END IF;
END $body$;

CREATE FUNCTION pool_fact(p pools) RETURNS jsonb LANGUAGE sql STABLE AS $body$
  SELECT jsonb_build_object('backend', p.backend_id, 'overcommit', p.overcommit, 'softMark', p.soft_mark, 'hardMark', p.hard_mark,
    'allotment', p.allotment, 'iops', coalesce(p.facts -> 'iops', '0'),
    -- raw where copies are spread over nodes, else as the backend tells
    'capacity', CASE p.facts #>> '{redundancy,kind}' WHEN 'spread'
      THEN (SELECT coalesce(sum((d ->> 'capacity')::double precision), 0) FROM jsonb_array_elements(p.facts #> '{redundancy,domains}') d)
      ELSE coalesce((p.facts #>> '{redundancy,usable}')::double precision, 0) END)
  WHERE p.gone_since IS NULL
$body$;
CREATE FUNCTION note_pool() RETURNS trigger LANGUAGE plpgsql AS $body$
DECLARE
  now_fact jsonb;
BEGIN
  IF TG_OP = 'DELETE' THEN
    PERFORM note_fact('pool', OLD.id, NULL);
    RETURN NULL;
  END IF;
  now_fact := pool_fact(NEW);
  -- a backend that tells another size with each look, by less than a thousandth, makes no row of each
  IF EXISTS (SELECT 1 FROM facts_held WHERE kind = 'pool' AND name = NEW.id AND until_at IS NULL AND fact - 'capacity' = now_fact - 'capacity'
    AND abs((fact ->> 'capacity')::double precision - (now_fact ->> 'capacity')::double precision) < (fact ->> 'capacity')::double precision / 1000)
  THEN RETURN NULL; END IF;
  PERFORM note_fact('pool', NEW.id, now_fact);
  RETURN NULL;
END $body$;
CREATE TRIGGER pool_then_changed AFTER UPDATE OF facts, overcommit, soft_mark, hard_mark, allotment, gone_since ON pools
  FOR EACH ROW WHEN ((OLD.facts, OLD.overcommit, OLD.soft_mark, OLD.hard_mark, OLD.allotment, OLD.gone_since)
    IS DISTINCT FROM (NEW.facts, NEW.overcommit, NEW.soft_mark, NEW.hard_mark, NEW.allotment, NEW.gone_since)) EXECUTE FUNCTION note_pool();
CREATE TRIGGER pool_then AFTER INSERT OR DELETE ON pools FOR EACH ROW EXECUTE FUNCTION note_pool();

CREATE FUNCTION note_mooring() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP = 'DELETE' OR (TG_OP = 'UPDATE' AND (OLD.class_name, OLD.pool_id) <> (NEW.class_name, NEW.pool_id)) THEN
    PERFORM note_fact('mooring', OLD.class_name || '/' || OLD.pool_id, NULL);
  END IF;
  IF TG_OP <> 'DELETE' THEN
    PERFORM note_fact('mooring', NEW.class_name || '/' || NEW.pool_id,
      jsonb_build_object('enabled', NEW.enabled, 'order', NEW.rank, 'weight', NEW.weight));
  END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER mooring_then AFTER INSERT OR UPDATE OR DELETE ON moorings FOR EACH ROW EXECUTE FUNCTION note_mooring();

-- where the site's clock turns out to stand before this database's, what was noted to begin later than its time holds already
CREATE FUNCTION follow_clock() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  UPDATE facts_held SET from_at = site_now() WHERE until_at IS NULL AND from_at > site_now();
  UPDATE held_as SET from_at = site_now() WHERE until_at IS NULL AND from_at > site_now();
  RETURN NULL;
END $body$;
CREATE TRIGGER clock_followed AFTER UPDATE ON site_clock FOR EACH ROW WHEN (NEW.ahead_ms < OLD.ahead_ms) EXECUTE FUNCTION follow_clock();

INSERT INTO facts_held (kind, name, fact, from_at) SELECT 'pool', p.id, pool_fact(p), site_now() FROM pools p WHERE p.gone_since IS NULL;
INSERT INTO facts_held (kind, name, fact, from_at)
SELECT 'mooring', class_name || '/' || pool_id, jsonb_build_object('enabled', enabled, 'order', rank, 'weight', weight), site_now() FROM moorings;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
