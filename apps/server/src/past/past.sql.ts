import type { Tier } from '@moorage/contract/backends';
import { statement } from '../database/statement';
import { byAge, sumsAt } from '../usage/use.sql';

export interface PoolThenRow {
  id: string;
  fact: {
    backend: string;
    capacity: number;
    iops: number;
    overcommit: number;
    softMark: number;
    hardMark: number;
    allotment: number | null;
  };
  is_guess: boolean;
  tier: Tier | null;
  written: number | null;
  iops: number | null;
  latency: number | null;
}

const poolsFrom = (
  table: string,
  { written, iops, latency }: Record<'written' | 'iops' | 'latency', string>,
  wide: string,
) =>
  statement<PoolThenRow, [at: Date]>(
    `SELECT f.name AS id, f.fact, f.is_guess, t.value AS tier, w.written, w.iops, w.latency
   FROM (SELECT DISTINCT ON (name) name, fact, from_at > $1 AS is_guess, until_at FROM facts_held
     -- of a time before it was noted, what was noted first
     WHERE kind = 'pool' AND (from_at <= $1 OR NOT EXISTS (SELECT 1 FROM facts_held e WHERE e.kind = 'pool' AND e.name = facts_held.name AND e.from_at <= $1))
     ORDER BY name, CASE WHEN from_at <= $1 THEN from_at END DESC NULLS LAST, from_at) f
   LEFT JOIN LATERAL (SELECT h.value FROM held_as h WHERE h.kind = 'tier' AND h.name = f.name
     ORDER BY h.from_at <= $1 DESC, CASE WHEN h.from_at <= $1 THEN h.from_at END DESC, h.from_at LIMIT 1) t ON true
   LEFT JOIN series e ON e.kind = 'pool' AND e.name = f.name
   LEFT JOIN LATERAL (SELECT m.${written} AS written, ${iops} AS iops, ${latency} AS latency FROM ${table} m
     WHERE m.series_id = e.id AND m.at <= $1 AND m.at > $1 - interval '${wide}' AND m.${written} IS NOT NULL ORDER BY m.at DESC LIMIT 1) w ON true
   WHERE f.is_guess OR f.until_at IS NULL OR f.until_at > $1 ORDER BY f.fact ->> 'backend', f.name LIMIT 10000`,
  );
const mean = (of: string) => `m.${of}_sum / nullif(m.${of}_count, 0)`;
const rolled = { written: 'written_last', iops: mean('iops'), latency: mean('latency') };
/** Pools at a moment, with what was sampled of them last before it, by how long ago that is. */
export const poolsThen = byAge((table, wide) =>
  poolsFrom(table, table === 'samples' ? { written: 'written', iops: 'm.iops', latency: 'm.latency' } : rolled, wide),
);

export interface MooringThenRow {
  name: string;
  fact: { enabled: boolean; order: number; weight: number };
}
/** Moorings at a moment. */
export const mooringsThen = statement<MooringThenRow, [at: Date]>(
  `SELECT name, fact FROM facts_held WHERE kind = 'mooring' AND from_at <= $1 AND (until_at IS NULL OR until_at > $1)
   ORDER BY name LIMIT 100000`,
);
/** Since when moorings are noted. */
export const mooringsNoted = statement<{ since: Date | null }>(
  `SELECT min(from_at) AS since FROM facts_held WHERE kind = 'mooring'`,
);

export interface HeldThenRow {
  class_name: string;
  pool_id: string;
  claims: number;
  provisioned: number;
  footprint: number;
  milli_iops: number;
}
const sums = ['claims', 'provisioned', 'footprint', 'milli_iops'].map((a) => `sum(s.${a})::bigint AS ${a}`).join(', ');
/** What was kept where at a moment, by class and pool. `namespaces`: those alone. */
export const heldThen = statement<HeldThenRow, [at: Date, namespaces: readonly string[] | null]>(
  `SELECT k.class_name, k.pool_id, ${sums} FROM (${sumsAt('$1')}) s JOIN use_keys k ON k.id = s.key_id
   WHERE k.pool_id <> '' AND ($2::text[] IS NULL OR k.namespace = ANY($2))
   GROUP BY 1, 2 HAVING (sum(s.claims), sum(s.provisioned), sum(s.footprint)) <> (0, 0, 0) ORDER BY 1, 2 LIMIT 100000`,
);

export interface ClaimThenRow {
  uid: string;
  name: string;
  class_name: string;
  pool_id: string;
  application: string;
  unbound: number;
  requested: number;
  provisioned: number;
  footprint: number;
  milli_iops: number;
  is_there: boolean;
}
type ClaimsAsked = [
  at: Date,
  namespace: string,
  className: string | null,
  pool: string | null,
  backend: string | null,
  application: string | null,
  q: string | null,
];
const claimsThenFrom = `FROM use_keys k JOIN uses u ON u.key_id = k.id LEFT JOIN pools p ON $5::text IS NOT NULL AND p.id = k.pool_id
   WHERE k.namespace = $2 AND ($3::text IS NULL OR k.class_name = $3) AND ($4::text IS NULL OR k.pool_id = $4)
     AND ($5::text IS NULL OR p.backend_id = $5) AND ($6::text IS NULL OR k.application = $6) AND ($7::text IS NULL OR u.claim_name ILIKE $7)
     AND u.from_at <= $1 AND (u.until_at IS NULL OR u.until_at > $1)`;
/** Claims of a namespace at a moment, by name, after one; what each has in all that is asked for. */
export const claimsThen = statement<ClaimThenRow, [...ClaimsAsked, afterName: string, afterUid: string, most: number]>(
  `SELECT c.*, EXISTS (SELECT 1 FROM platform_objects o WHERE o.uid = c.uid) AS is_there FROM (
     SELECT u.claim_uid AS uid, max(u.claim_name) AS name, max(k.class_name) AS class_name, max(k.pool_id) FILTER (WHERE u.part = '') AS pool_id,
       max(k.application) AS application, sum(u.unbound)::integer AS unbound, sum(u.requested)::bigint AS requested,
       sum(u.provisioned)::bigint AS provisioned, sum(u.footprint)::bigint AS footprint, sum(u.milli_iops)::bigint AS milli_iops
     ${claimsThenFrom} GROUP BY u.claim_uid) c
   WHERE (c.name, c.uid) > ($8, $9) ORDER BY c.name, c.uid LIMIT $10`,
);
/** All of them together. */
export const claimsThenTotal = statement<{ claims: number; provisioned: number; footprint: number }, ClaimsAsked>(
  `SELECT count(DISTINCT u.claim_uid)::integer AS claims, coalesce(sum(u.provisioned), 0)::bigint AS provisioned,
     coalesce(sum(u.footprint), 0)::bigint AS footprint ${claimsThenFrom}`,
);
