import { statement } from '../database/statement';

export interface FailureRow {
  fact: { of: 'silent' | 'ill' | 'node' | 'disk'; backend: string; subject: string };
  from_at: Date;
  until_at: Date | null;
  /** How many there are in all. */
  total: number;
}

/** Pools and classes that a subject of a history had anything to do with; of the whole site all (null). */
type Touched = [pools: readonly string[] | null, classes: readonly string[] | null];

/** What failed of the backends of pools between two moments, those that lasted into it included. */
export const failuresBetween = statement<
  FailureRow,
  [from: Date, to: Date, pools: readonly string[] | null, most: number]
>(
  `SELECT fact, from_at, until_at, count(*) OVER ()::integer AS total FROM facts_held
   WHERE kind = 'failure' AND from_at < $2 AND (until_at IS NULL OR until_at > $1)
     AND ($3::text[] IS NULL OR fact ->> 'backend' IN (SELECT backend_id FROM pools WHERE id = ANY($3)))
   ORDER BY from_at, name LIMIT $4`,
);

export interface ChangedRow {
  kind: 'class' | 'mooring';
  name: string;
  at: Date;
  /** Null: there was none before, or is none since. */
  was: Record<string, unknown> | null;
  is: Record<string, unknown> | null;
  total: number;
}

/**
 * Changes of classes and of their moorings between two moments. Moorings to the pools, where pools alone are named; else those of the
 * classes. What is replaced within a second is one change; a class that is new is none.
 */
export const changesBetween = statement<ChangedRow, [from: Date, to: Date, ...Touched, most: number]>(
  `WITH began AS (
     SELECT f.kind, f.name, f.from_at AS at, b.fact AS was, f.fact AS "is"
     FROM facts_held f LEFT JOIN LATERAL (SELECT e.fact, e.until_at FROM facts_held e
       WHERE e.kind = f.kind AND e.name = f.name AND e.id < f.id ORDER BY e.id DESC LIMIT 1) b ON f.kind = 'class' OR b.until_at >= f.from_at - interval '1 second'
     WHERE f.kind IN ('class', 'mooring') AND f.from_at > $1 AND f.from_at <= $2
   ), ended AS (
     SELECT f.kind, f.name, f.until_at AS at, f.fact AS was, NULL::jsonb AS "is" FROM facts_held f
     WHERE f.kind = 'mooring' AND f.until_at > $1 AND f.until_at <= $2
       AND NOT EXISTS (SELECT 1 FROM facts_held n WHERE n.kind = f.kind AND n.name = f.name AND n.id > f.id AND n.from_at <= f.until_at + interval '1 second')
   ), changed AS (
     SELECT * FROM began WHERE was IS DISTINCT FROM "is" AND (kind = 'mooring' OR was IS NOT NULL) UNION ALL SELECT * FROM ended
   )
   SELECT kind, name, at, was, "is", count(*) OVER ()::integer AS total FROM changed
   WHERE ($3::text[] IS NULL AND $4::text[] IS NULL) OR split_part(name, '/', 1) = ANY($4)
     OR (kind = 'mooring' AND substr(name, strpos(name, '/') + 1) = ANY($3) AND $4::text[] IS NULL)
   ORDER BY at, name LIMIT $5`,
);

/** Pools and classes that what is of a kind and name uses, or used; of a claim by its uid. */
export const touchedBy = statement<
  { pools: string[]; classes: string[] },
  [kind: string, name: string, claim: string | null]
>(
  `SELECT coalesce(array_agg(DISTINCT k.pool_id) FILTER (WHERE k.pool_id <> ''), '{}') AS pools,
     coalesce(array_agg(DISTINCT k.class_name) FILTER (WHERE k.class_name <> ''), '{}') AS classes
   FROM use_keys k WHERE CASE WHEN $3::text IS NOT NULL THEN k.id IN (SELECT key_id FROM uses WHERE claim_uid = $3)
     WHEN $1 = 'namespace' THEN k.namespace = $2 WHEN $1 = 'class' THEN k.class_name = $2 ELSE false END`,
);
