import type { Database } from './database';

const toDisks = (rows: string) => `
  INSERT INTO disk_use AS d (pool_id, disk, bytes) SELECT pool_id, disk, sum(bytes) FROM (${rows}) s
  GROUP BY 1, 2 HAVING sum(bytes) <> 0 ORDER BY 1, 2 ON CONFLICT (pool_id, disk) DO UPDATE SET bytes = d.bytes + excluded.bytes;`;
const toPools = (rows: string) => `
  INSERT INTO pool_sums AS p (pool_id, volumes, foreign_raw, claims) SELECT pool_id, sum(volumes), sum(foreign_raw), sum(claims) FROM (${rows}) s
  GROUP BY 1 HAVING sum(volumes) <> 0 OR sum(foreign_raw) <> 0 OR sum(claims) <> 0 ORDER BY 1
  ON CONFLICT (pool_id) DO UPDATE SET volumes = p.volumes + excluded.volumes, foreign_raw = p.foreign_raw + excluded.foreign_raw, claims = p.claims + excluded.claims;`;
const toNamespaces = (rows: string) => `
  INSERT INTO held_totals AS h (namespace, class_name, claims, bytes, iops) SELECT namespace, class_name, sum(claims), sum(bytes), sum(iops) FROM (${rows}) s
  GROUP BY 1, 2 HAVING sum(claims) <> 0 OR sum(bytes) <> 0 OR sum(iops) <> 0 ORDER BY 1, 2
  ON CONFLICT (namespace, class_name) DO UPDATE SET claims = h.claims + excluded.claims, bytes = h.bytes + excluded.bytes, iops = h.iops + excluded.iops;`;

const volumes = (of: string, sign: string) =>
  `SELECT pool_id, ${sign}1 AS volumes, CASE WHEN ours THEN 0 ELSE ${sign}raw_bytes END AS foreign_raw, 0 AS claims FROM ${of}`;
const foreignCopies = (of: string, sign: string) =>
  `SELECT v.pool_id, c ->> 'disk' AS disk, ${sign}v.bytes AS bytes FROM ${of} v, jsonb_path_query(v.copies, '$[*]') c WHERE NOT v.ours AND c ->> 'disk' IS NOT NULL`;
const copies = (of: string, sign: string) => `SELECT pool_id, disk, ${sign}bytes AS bytes FROM ${of}`;
const planned = (of: string, sign: string) =>
  `SELECT pool_id, unnest(disks[1:copies]) AS disk, ${sign}bytes AS bytes FROM ${of} WHERE held_until IS NOT NULL`;
const held = (of: string, sign: string) =>
  `SELECT namespace, class_name, ${sign}1 AS claims, ${sign}bytes AS bytes, ${sign}iops_floor AS iops FROM ${of}`;
const onPools = (of: string, sign: string) =>
  `SELECT pool_id, 0 AS volumes, 0 AS foreign_raw, ${sign}1 AS claims FROM ${of}`;

type Of = (of: string, sign: string) => string;
/** Three triggers of a table, told of all rows of a statement at once: what came is added, what went is taken away. */
const kept = (table: string, name: string, parts: readonly (readonly [to: (rows: string) => string, of: Of])[]) => {
  const body = (rows: (of: Of) => string) => parts.map(([to, of]) => to(rows(of))).join('\n');
  return `
CREATE FUNCTION ${name}() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  IF TG_OP = 'INSERT' THEN ${body((of) => of('becomes', '+'))}
  ELSIF TG_OP = 'DELETE' THEN ${body((of) => of('was', '-'))}
  ELSE ${body((of) => `${of('becomes', '+')} UNION ALL ${of('was', '-')}`)} END IF;
  RETURN NULL;
END $body$;
CREATE TRIGGER ${name}_made AFTER INSERT ON ${table} REFERENCING NEW TABLE AS becomes FOR EACH STATEMENT EXECUTE FUNCTION ${name}();
CREATE TRIGGER ${name}_gone AFTER DELETE ON ${table} REFERENCING OLD TABLE AS was FOR EACH STATEMENT EXECUTE FUNCTION ${name}();
CREATE TRIGGER ${name}_changed AFTER UPDATE ON ${table} REFERENCING OLD TABLE AS was NEW TABLE AS becomes FOR EACH STATEMENT EXECUTE FUNCTION ${name}();`;
};

const isOurs = (name: string) => `EXISTS (SELECT 1 FROM reservations r WHERE r.volume_name = ${name})`;
const recounted = {
  pool_sums: `SELECT pool_id, sum(volumes)::bigint AS volumes, sum(foreign_raw)::bigint AS foreign_raw, sum(claims)::bigint AS claims
    FROM (${volumes('backend_volumes', '+')} UNION ALL ${onPools('reservations', '+')}) s GROUP BY 1`,
  disk_use: `SELECT pool_id, disk, sum(bytes)::bigint AS bytes FROM (${copies('reservation_copies', '+')} UNION ALL ${planned('planned_places', '+')}
    UNION ALL ${foreignCopies('backend_volumes', '+')}) s GROUP BY 1, 2`,
  held_totals: `SELECT namespace, class_name, sum(claims)::bigint AS claims, sum(bytes)::bigint AS bytes, sum(iops) AS iops FROM (${held('reservations', '+')}) s GROUP BY 1, 2`,
};

const statements = `
-- whether a reservation explains it; what none explains counts against its pool as well
ALTER TABLE backend_volumes ADD COLUMN ours boolean NOT NULL DEFAULT false;
UPDATE backend_volumes v SET ours = true WHERE ${isOurs('v.name')};
CREATE INDEX backend_volumes_foreign ON backend_volumes (backend_id, volume_id) WHERE NOT ours;
CREATE INDEX backend_volumes_foreign_anywhere ON backend_volumes USING gin ((name || ' ' || backend_id || '/' || volume_id) gin_trgm_ops) WHERE NOT ours;
CREATE INDEX backend_volumes_degraded ON backend_volumes (backend_id) WHERE degraded;
CREATE INDEX reservations_pool_largest ON reservations (pool_id, bytes);
CREATE INDEX reservations_pool_named ON reservations (pool_id, namespace, claim_name);
DROP INDEX reservations_pool;

-- how many volumes and claims are on a pool, and the raw bytes of volumes that none of ours explains
CREATE TABLE pool_sums (pool_id text PRIMARY KEY, volumes bigint NOT NULL DEFAULT 0, foreign_raw bigint NOT NULL DEFAULT 0, claims bigint NOT NULL DEFAULT 0);
-- what is promised on each disk: by our reservations, by plans that hold their places, and by volumes that none of ours explains
CREATE TABLE disk_use (pool_id text NOT NULL, disk text NOT NULL, bytes bigint NOT NULL, PRIMARY KEY (pool_id, disk));
-- what is reserved by each namespace of each class
CREATE TABLE held_totals (
  namespace text NOT NULL, class_name text NOT NULL, claims bigint NOT NULL, bytes bigint NOT NULL, iops double precision NOT NULL, PRIMARY KEY (namespace, class_name)
);
INSERT INTO pool_sums (pool_id, volumes, foreign_raw, claims) ${recounted.pool_sums};
INSERT INTO disk_use (pool_id, disk, bytes) ${recounted.disk_use};
INSERT INTO held_totals (namespace, class_name, claims, bytes, iops) ${recounted.held_totals};

-- Recounting, a pool or a namespace at a time: what is kept and what it is made of are read at one moment, and what is off is added
CREATE FUNCTION recount_pool(of_pool text) RETURNS SETOF text LANGUAGE plpgsql AS $body$
BEGIN
  RETURN QUERY WITH off AS (
    SELECT coalesce(c.volumes, 0) - coalesce(k.volumes, 0) AS volumes, coalesce(c.foreign_raw, 0) - coalesce(k.foreign_raw, 0) AS foreign_raw,
      coalesce(c.claims, 0) - coalesce(k.claims, 0) AS claims
    FROM (SELECT sum(volumes)::bigint AS volumes, sum(foreign_raw)::bigint AS foreign_raw, sum(claims)::bigint AS claims
      FROM (${volumes('backend_volumes', '+')} WHERE pool_id = of_pool UNION ALL ${onPools('reservations', '+')} WHERE pool_id = of_pool) s) c
    LEFT JOIN pool_sums k ON k.pool_id = of_pool
  ), mended AS (
    INSERT INTO pool_sums AS p (pool_id, volumes, foreign_raw, claims) SELECT of_pool, volumes, foreign_raw, claims FROM off
    WHERE volumes <> 0 OR foreign_raw <> 0 OR claims <> 0
    ON CONFLICT (pool_id) DO UPDATE SET volumes = p.volumes + excluded.volumes, foreign_raw = p.foreign_raw + excluded.foreign_raw, claims = p.claims + excluded.claims RETURNING 1
  ) SELECT 'pool ' || of_pool FROM mended;
  RETURN QUERY WITH off AS (
    SELECT disk, coalesce(c.bytes, 0) - coalesce(k.bytes, 0) AS bytes
    FROM (SELECT disk, sum(bytes)::bigint AS bytes FROM (${copies('reservation_copies', '+')} WHERE pool_id = of_pool
      UNION ALL ${planned('planned_places', '+')} AND pool_id = of_pool UNION ALL ${foreignCopies('backend_volumes', '+')} AND pool_id = of_pool) s GROUP BY 1) c
    FULL JOIN (SELECT disk, bytes FROM disk_use WHERE pool_id = of_pool) k USING (disk)
  ), mended AS (
    INSERT INTO disk_use AS d (pool_id, disk, bytes) SELECT of_pool, disk, bytes FROM off WHERE bytes <> 0 ORDER BY disk
    ON CONFLICT (pool_id, disk) DO UPDATE SET bytes = d.bytes + excluded.bytes RETURNING d.disk
  ) SELECT 'disk ' || disk FROM mended;
END $body$;
CREATE FUNCTION recount_namespace(of_namespace text) RETURNS SETOF text LANGUAGE plpgsql AS $body$
BEGIN
  RETURN QUERY WITH off AS (
    SELECT class_name, coalesce(c.claims, 0) - coalesce(k.claims, 0) AS claims, coalesce(c.bytes, 0) - coalesce(k.bytes, 0) AS bytes, coalesce(c.iops, 0) - coalesce(k.iops, 0) AS iops
    FROM (SELECT class_name, sum(claims)::bigint AS claims, sum(bytes)::bigint AS bytes, sum(iops) AS iops FROM (${held('reservations', '+')} WHERE namespace = of_namespace) s GROUP BY 1) c
    FULL JOIN (SELECT class_name, claims, bytes, iops FROM held_totals WHERE namespace = of_namespace) k USING (class_name)
  ), mended AS (
    INSERT INTO held_totals AS h (namespace, class_name, claims, bytes, iops) SELECT of_namespace, class_name, claims, bytes, iops FROM off
    -- rates are added up in another order
    WHERE claims <> 0 OR bytes <> 0 OR abs(iops) > 0.001 ORDER BY class_name
    ON CONFLICT (namespace, class_name) DO UPDATE SET claims = h.claims + excluded.claims, bytes = h.bytes + excluded.bytes, iops = h.iops + excluded.iops RETURNING h.class_name
  ) SELECT 'held by ' || of_namespace || ' of ' || class_name FROM mended;
  RETURN QUERY WITH off AS (
    SELECT class_name, coalesce(c.claims, 0) - coalesce(k.claims, 0) AS claims
    FROM (SELECT class_name, count(*) AS claims FROM claim_states WHERE namespace = of_namespace GROUP BY 1) c
    FULL JOIN (SELECT class_name, claims FROM claim_totals WHERE namespace = of_namespace) k USING (class_name)
  ), mended AS (
    INSERT INTO claim_totals AS t (namespace, class_name, claims) SELECT of_namespace, class_name, claims FROM off WHERE claims <> 0 ORDER BY class_name
    ON CONFLICT (namespace, class_name) DO UPDATE SET claims = t.claims + excluded.claims RETURNING t.class_name
  ) SELECT 'claims of ' || of_namespace || ' of ' || class_name FROM mended;
END $body$;

-- asked of those alone that are new: a backend's whole list passes by here again and again
CREATE FUNCTION see_whose_volume() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  UPDATE backend_volumes v SET ours = ${isOurs('v.name')}
  WHERE v.backend_id = NEW.backend_id AND v.volume_id = NEW.volume_id AND v.ours <> ${isOurs('v.name')};
  RETURN NULL;
END $body$;
CREATE TRIGGER volume_is_whose AFTER INSERT ON backend_volumes FOR EACH ROW WHEN (NOT NEW.ours) EXECUTE FUNCTION see_whose_volume();
CREATE TRIGGER volume_renamed_is_whose AFTER UPDATE ON backend_volumes FOR EACH ROW WHEN (OLD.name <> NEW.name) EXECUTE FUNCTION see_whose_volume();

CREATE FUNCTION see_volumes_of_reservation() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  UPDATE backend_volumes v SET ours = ${isOurs('v.name')}
  WHERE v.name IN (CASE WHEN TG_OP <> 'INSERT' THEN OLD.volume_name END, CASE WHEN TG_OP <> 'DELETE' THEN NEW.volume_name END) AND v.ours <> ${isOurs('v.name')};
  RETURN NULL;
END $body$;
CREATE TRIGGER reservation_explains AFTER INSERT OR DELETE ON reservations FOR EACH ROW EXECUTE FUNCTION see_volumes_of_reservation();
CREATE TRIGGER reservation_explains_another AFTER UPDATE ON reservations FOR EACH ROW WHEN (OLD.volume_name <> NEW.volume_name) EXECUTE FUNCTION see_volumes_of_reservation();

${kept('backend_volumes', 'keep_volumes', [
  [toPools, volumes],
  [toDisks, foreignCopies],
])}
${kept('reservations', 'keep_held', [
  [toPools, onPools],
  [toNamespaces, held],
])}
${kept('reservation_copies', 'keep_copies', [[toDisks, copies]])}
${kept('planned_places', 'keep_planned', [[toDisks, planned]])}
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
