import { statement } from '../database/statement';

/** Takes what was found, as records, in the place of what was known; gives what is new, changed or gone. */
export const replaceFindings = statement<{ id: string }, [found: string]>(
  `WITH fresh AS (
     SELECT * FROM jsonb_to_recordset($1::jsonb) AS f(id text, kind text, subject text, weight double precision, facts jsonb)
   ), gone AS (
     DELETE FROM findings WHERE NOT EXISTS (SELECT 1 FROM fresh f WHERE f.id = findings.id) RETURNING id
   ), kept AS (
     INSERT INTO findings (id, kind, subject, weight, facts) SELECT id, kind, subject, weight, facts FROM fresh
     ON CONFLICT (id) DO UPDATE SET weight = excluded.weight, facts = excluded.facts
     WHERE (findings.weight, findings.facts) IS DISTINCT FROM (excluded.weight, excluded.facts) RETURNING id
   )
   SELECT id FROM gone UNION ALL SELECT id FROM kept`,
);
