import { statement } from '../database/statement';
import { tuning } from './kind';

/**
 * Begins to tune bound claims that say other rates than are reserved for them, or no longer say what they tuned last; gives the
 * operations. Rates are as text, setting by setting. What was begun last, however it ended, is not begun again until the claim says
 * something else; while a claim grows or its copies change, that comes first.
 */
export const beginTunings = statement<{ id: string }, [claims: readonly string[], rates: readonly string[]]>(
  `WITH behind AS (
     SELECT said.uid, said.rates::jsonb AS wanted, r.namespace, r.claim_name
     FROM unnest($1::text[], $2::text[]) AS said (uid, rates) JOIN reservations r ON r.claim_uid = said.uid AND r.state = 'bound'
     LEFT JOIN LATERAL (SELECT t.wanted FROM tunings t JOIN operations e ON e.id = t.operation_id
       WHERE t.claim_uid = said.uid ORDER BY e.created_at DESC LIMIT 1) last ON true
     LEFT JOIN LATERAL (SELECT t.wanted FROM tunings t JOIN operations e ON e.id = t.operation_id AND e.state = 'tuned'
       WHERE t.claim_uid = said.uid ORDER BY e.created_at DESC LIMIT 1) tuned ON true
     WHERE (EXISTS (SELECT 1 FROM jsonb_each_text(said.rates::jsonb) s WHERE s.value::double precision IS DISTINCT FROM
         CASE s.key WHEN 'iops-floor' THEN r.iops_floor WHEN 'iops-ceiling' THEN r.iops_ceiling
           WHEN 'throughput-floor' THEN r.throughput_floor ELSE r.throughput_ceiling END)
       OR EXISTS (SELECT 1 FROM jsonb_object_keys(tuned.wanted) k WHERE NOT said.rates::jsonb ? k))
     AND last.wanted IS DISTINCT FROM said.rates::jsonb
     AND NOT EXISTS (SELECT 1 FROM operations o WHERE o.holds = 'size' AND o.subject = said.uid)
   ), begun AS (
     INSERT INTO operations (kind, subject, state, holds, namespace, about)
     SELECT '${tuning.kind}', uid, '${tuning.begins}', '${tuning.holds}', namespace, namespace || '/' || claim_name FROM behind ORDER BY uid
     ON CONFLICT (holds, subject) DO NOTHING RETURNING id, subject
   )
   INSERT INTO tunings (operation_id, claim_uid, wanted, annotations)
   SELECT begun.id, begun.subject, behind.wanted, '{}' FROM begun JOIN behind ON behind.uid = begun.subject RETURNING operation_id AS id`,
  'planned once',
);
