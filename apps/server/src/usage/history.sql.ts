import { statement } from '../database/statement';

export interface PointRow {
  at: Date;
  written_least: number | null;
  written_mean: number | null;
  written_most: number | null;
  iops_mean: number | null;
  iops_most: number | null;
  iops_sketch: number[] | null;
  throughput_mean: number | null;
  throughput_most: number | null;
  throughput_sketch: number[] | null;
  latency_mean: number | null;
  latency_most: number | null;
  latency_sketch: number[] | null;
}

type Asked = [kind: string, name: string, from: Date, to: Date, most: number];
const figures = ['iops', 'throughput', 'latency'] as const;
const rolled = (table: string) =>
  statement<PointRow, Asked>(
    `SELECT r.at, r.written_least, r.written_sum / nullif(r.written_count, 0) AS written_mean, r.written_most,
       ${figures.map((f) => `r.${f}_sum / nullif(r.${f}_count, 0) AS ${f}_mean, r.${f}_most, r.${f}_sketch`).join(', ')}
     FROM series s JOIN ${table} r ON r.series_id = s.id WHERE s.kind = $1 AND s.name = $2 AND r.at >= $3 AND r.at < $4
     ORDER BY r.at LIMIT $5`,
  );

/** What was sampled of a series between two moments, by spans of a width. */
export const pointsOf = {
  '1m': statement<PointRow, Asked>(
    `SELECT m.at, m.written AS written_least, m.written::double precision AS written_mean, m.written AS written_most,
       ${figures.map((f) => `m.${f} AS ${f}_mean, m.${f} AS ${f}_most, NULL::integer[] AS ${f}_sketch`).join(', ')}
     FROM series s JOIN samples m ON m.series_id = s.id WHERE s.kind = $1 AND s.name = $2 AND m.at >= $3 AND m.at < $4
     ORDER BY m.at LIMIT $5`,
  ),
  '5m': rolled('rolled_5m'),
  '1h': rolled('rolled_1h'),
  '1d': rolled('rolled_1d'),
};

export interface HeldRow {
  /** Number of its span; -1 for what was before the first. */
  span: number;
  claims: number;
  requested: number;
  provisioned: number;
  footprint: number;
}

/** Keys of a kind and name, as far as they are seen. */
const keys = `SELECT k.id FROM use_keys k LEFT JOIN pools p ON $1 = 'backend' AND p.id = k.pool_id
  WHERE CASE $1 WHEN 'namespace' THEN k.namespace = $2 WHEN 'class' THEN k.class_name = $2 WHEN 'pool' THEN k.pool_id = $2
    WHEN 'backend' THEN p.backend_id = $2 ELSE true END`;
const sums = ['claims', 'requested', 'provisioned', 'footprint'].map((a) => `sum(s.${a})::bigint AS ${a}`).join(', ');

const amounts = ['claims', 'requested', 'provisioned', 'footprint'];
const ofKey = (of: string) => amounts.map((a) => `${of}.${a}`).join(', ');
const spans = `CASE WHEN c.at <= $1 THEN -1 ELSE floor(date_part('epoch', c.at - $1) * 1000 / $3)::integer END`;
const promised = (before: string, since: string) =>
  `SELECT s.span, ${sums} FROM (
     SELECT -1 AS span, ${ofKey('d')} FROM ${before} d.day = (SELECT day FROM since)
     UNION ALL
     SELECT ${spans}, ${ofKey('c')} FROM ${since} c.at > coalesce((SELECT day FROM since), '-infinity') AND c.at <= $2
   ) s GROUP BY s.span ORDER BY s.span LIMIT 100000`;
const lastDay = `since AS MATERIALIZED (SELECT max(day) AS day FROM use_days WHERE day <= $1)`;
/** What was promised before a moment, and by how much that changed in each span of so many milliseconds up to another: everything. */
export const heldOfSite = statement<HeldRow, [from: Date, to: Date, spanMs: number]>(
  `WITH ${lastDay} ${promised('use_sums d WHERE', 'use_changes c WHERE')}`,
);
/** The same of the keys of a kind and name. */
export const heldBetween = statement<HeldRow, [from: Date, to: Date, spanMs: number, kind: string, name: string]>(
  `WITH of_keys AS MATERIALIZED (${keys.replaceAll('$1', '$4').replaceAll('$2', '$5')}), ${lastDay}
   ${promised('of_keys k JOIN use_sums d ON d.key_id = k.id AND', 'of_keys k JOIN use_changes c ON c.key_id = k.id AND')}`,
);

/** The same of one claim. */
export const heldOfClaim = statement<HeldRow, [uid: string, from: Date, to: Date, spanMs: number]>(
  `SELECT s.span, ${sums} FROM (
     SELECT CASE WHEN from_at <= $2 THEN -1 ELSE floor(extract(epoch FROM from_at - $2) * 1000 / $4)::integer END AS span,
       claims, requested, provisioned, footprint FROM uses WHERE claim_uid = $1 AND from_at <= $3
     UNION ALL
     SELECT CASE WHEN until_at <= $2 THEN -1 ELSE floor(extract(epoch FROM until_at - $2) * 1000 / $4)::integer END,
       -claims, -requested, -provisioned, -footprint FROM uses WHERE claim_uid = $1 AND until_at <= $3
   ) s GROUP BY s.span ORDER BY s.span LIMIT 100000`,
);

/** The claim of a name that was there last. */
export const claimNamed = statement<{ claim_uid: string }, [namespace: string, name: string]>(
  `SELECT u.claim_uid FROM use_keys k JOIN uses u ON u.key_id = k.id
   WHERE k.namespace = $1 AND u.claim_name = $2 ORDER BY u.from_at DESC LIMIT 1`,
);

export interface LimitSpan {
  class_name: string;
  bytes: number;
  from_at: Date;
  until_at: Date | null;
}

/** Limits of a namespace that held between two moments. */
export const limitsBetween = statement<LimitSpan, [namespace: string, from: Date, to: Date]>(
  `SELECT class_name, bytes, from_at, until_at FROM limits_held
   WHERE namespace = $1 AND from_at <= $3 AND (until_at IS NULL OR until_at > $2) ORDER BY from_at LIMIT 10000`,
);

export interface EventRow {
  at: Date;
  kind: 'made' | 'grown' | 'moved' | 'gone';
  subject: string;
  namespace: string;
  from: number | null;
  to: number | null;
  from_pool: string | null;
  to_pool: string | null;
  total: number;
}

/** What became of claims between two moments: of those of a kind and name. */
export const eventsBetween = statement<
  EventRow,
  [kind: string, name: string, from: Date, to: Date, claim: string | null, most: number]
>(
  `WITH of_keys AS (${keys.replace('SELECT k.id', 'SELECT k.id, k.namespace, k.pool_id')}),
   lives AS (
     SELECT u.*, k.namespace, k.pool_id, b.provisioned AS was, bk.pool_id AS was_in, b.claim_uid IS NULL AS is_first,
       NOT EXISTS (SELECT 1 FROM uses a WHERE a.claim_uid = u.claim_uid AND a.part = u.part AND a.from_at >= u.until_at AND a.claims > 0) AS is_last
     FROM uses u JOIN of_keys k ON k.id = u.key_id
     LEFT JOIN LATERAL (SELECT * FROM uses b WHERE b.claim_uid = u.claim_uid AND b.part = u.part AND b.id < u.id ORDER BY b.id DESC LIMIT 1) b ON true
     LEFT JOIN use_keys bk ON bk.id = b.key_id
     WHERE u.part = '' AND ($5::text IS NULL OR u.claim_uid = $5)
       AND ((u.from_at > $3 AND u.from_at <= $4) OR (u.until_at > $3 AND u.until_at <= $4))
   ), told AS (
     SELECT from_at AS at, 'made' AS kind, claim_name AS subject, namespace, NULL::bigint AS "from", requested AS "to", NULL::text AS from_pool, NULL::text AS to_pool
     FROM lives WHERE is_first AND from_at > $3 AND from_at <= $4
     UNION ALL
     SELECT from_at, CASE WHEN was_in <> pool_id THEN 'moved' ELSE 'grown' END, claim_name, namespace, was, provisioned, was_in, pool_id
     FROM lives WHERE NOT is_first AND from_at > $3 AND from_at <= $4 AND was > 0 AND (provisioned > was OR (was_in <> pool_id AND was_in <> ''))
     UNION ALL
     SELECT until_at, 'gone', claim_name, namespace, provisioned, NULL, NULL, NULL
     FROM lives WHERE is_last AND claims > 0 AND until_at > $3 AND until_at <= $4
   )
   SELECT *, count(*) OVER ()::integer AS total FROM told ORDER BY at, subject LIMIT $6`,
);
