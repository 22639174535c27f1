import type { Database } from './database';

const amounts = ['claims', 'unbound', 'requested', 'provisioned', 'footprint', 'milli_iops'] as const;
const integrals = [
  ['byte_ms', 'provisioned'],
  ['milli_iops_ms', 'milli_iops'],
] as const;

const statements = `
-- what was promised from the beginning of the month up to the day, by milliseconds: so that a month's statement reads one row of each
-- key; at the beginning of a month, of the whole month before
ALTER TABLE use_sums ADD COLUMN byte_ms numeric NOT NULL DEFAULT 0, ADD COLUMN milli_iops_ms numeric NOT NULL DEFAULT 0;

-- milliseconds from a moment to another, of those that lie in the month that ends with the other, or lasts then
CREATE FUNCTION ms_in_month(at timestamptz, until timestamptz) RETURNS numeric LANGUAGE sql STABLE AS $body$
  SELECT round(extract(epoch FROM until - greatest(at, date_trunc('month', until - interval '1 microsecond', 'UTC'))) * 1000)
$body$;

-- sums up the beginning of a day from that of the day before and what changed since; keys of which nothing is left and nothing was
-- promised in the month are left out
CREATE FUNCTION sum_day(of_day timestamptz) RETURNS void LANGUAGE plpgsql AS $body$
DECLARE
  since timestamptz := (SELECT max(day) FROM use_days WHERE day < of_day);
BEGIN
  INSERT INTO use_sums (day, key_id, ${amounts.join(', ')}, ${integrals.map(([i]) => i).join(', ')})
  SELECT of_day, m.key_id, ${amounts.map((a) => `sum(m.${a})`).join(', ')}, ${integrals.map(([i]) => `sum(m.${i})`).join(', ')} FROM (
    SELECT s.key_id, ${amounts.map((a) => `s.${a}`).join(', ')}, ${integrals
      .map(
        ([i, of]) =>
          `CASE WHEN since > date_trunc('month', since, 'UTC') THEN s.${i} ELSE 0 END + s.${of}::numeric * ms_in_month(since, of_day) AS ${i}`,
      )
      .join(', ')}
    FROM use_sums s WHERE s.day = since
    UNION ALL
    SELECT c.key_id, ${amounts.map((a) => `c.${a}`).join(', ')}, ${integrals.map(([, of]) => `c.${of}::numeric * ms_in_month(c.at, of_day)`).join(', ')}
    FROM use_changes c WHERE c.at > coalesce(since, '-infinity') AND c.at <= of_day
  ) m GROUP BY m.key_id
  HAVING (${[...amounts, ...integrals.map(([i]) => i)].map((a) => `sum(m.${a})`).join(', ')}) <> (${Array(8).fill('0').join(', ')})
  ON CONFLICT (day, key_id) DO UPDATE SET ${integrals.map(([i]) => `${i} = excluded.${i}`).join(', ')};
END $body$;

DO $body$
DECLARE d timestamptz;
BEGIN
  FOR d IN SELECT day FROM use_days ORDER BY day LOOP PERFORM sum_day(d); END LOOP;
END $body$;

-- adds what changed to the days that it is dated before and whose sums are kept; planned once for each connection, as what calls it
CREATE FUNCTION add_to_days(changes use_changes[]) RETURNS void LANGUAGE plpgsql AS $body$
BEGIN
  INSERT INTO use_sums (day, key_id, ${amounts.join(', ')}, ${integrals.map(([i]) => i).join(', ')})
  SELECT d.day, c.key_id, ${amounts.map((a) => `sum(c.${a})`).join(', ')}, ${integrals.map(([, of]) => `sum(c.${of}::numeric * ms_in_month(c.at, d.day))`).join(', ')}
  FROM unnest(changes) c JOIN use_days d ON d.day >= c.at GROUP BY d.day, c.key_id ORDER BY d.day, c.key_id
  ON CONFLICT (day, key_id) DO UPDATE SET ${[...amounts, ...integrals.map(([i]) => i)].map((a) => `${a} = use_sums.${a} + excluded.${a}`).join(', ')};
END $body$;
`;

/** The function that notes what claims use, with its last step in one of its own. */
const noteUses = `
CREATE OR REPLACE FUNCTION note_some_uses(uids text[]) RETURNS void LANGUAGE plpgsql
SET plan_cache_mode = force_generic_plan SET enable_seqscan = off SET jit = off AS $body$
DECLARE
  moment timestamptz;
  now_used use_now[];
  changed use_changes[];
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
  ), made AS (
    INSERT INTO use_changes (at, key_id, ${amounts.join(', ')})
    SELECT until_at, key_id, ${amounts.map((a) => `-${a}`).join(', ')} FROM closed
    UNION ALL SELECT from_at, key_id, ${amounts.join(', ')} FROM opened
    RETURNING use_changes.*
  )
  SELECT array_agg(m::use_changes) INTO changed FROM made m;
  PERFORM add_to_days(changed);
END $body$;
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements + noteUses);
}
