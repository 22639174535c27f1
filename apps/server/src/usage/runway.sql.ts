import { statement } from '../database/statement';

/** Sums at the beginning of each day since a moment: of a namespace, a class, a pool, or all; of one class of it where one is named. */
export const dailyUse = statement<
  { day: Date; claims: number; provisioned: number; footprint: number; milli_iops: number },
  [kind: string, name: string, className: string | null, since: Date]
>(
  `SELECT d.day, coalesce(sum(s.claims), 0)::bigint AS claims, coalesce(sum(s.provisioned), 0)::bigint AS provisioned,
     coalesce(sum(s.footprint), 0)::bigint AS footprint, coalesce(sum(s.milli_iops), 0)::bigint AS milli_iops
   FROM use_days d
   LEFT JOIN (use_sums s JOIN use_keys k ON k.id = s.key_id
     AND CASE $1 WHEN 'namespace' THEN k.namespace = $2 WHEN 'class' THEN k.class_name = $2 WHEN 'pool' THEN k.pool_id = $2 ELSE true END
     AND ($3::text IS NULL OR k.class_name = $3)) ON s.day = d.day
   WHERE d.day >= $4 GROUP BY d.day ORDER BY d.day LIMIT 1000`,
);
