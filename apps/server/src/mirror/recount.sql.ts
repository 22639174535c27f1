import { statement } from '../database/statement';

/** Claims in the order of their uids, after one of them: those that are kept and those that are there. */
export const claimsAfter = statement<{ id: string }, [after: string, most: number]>(
  `(SELECT claim_uid AS id FROM claim_states WHERE claim_uid > $1 ORDER BY 1 LIMIT $2)
   UNION (SELECT uid FROM platform_objects WHERE plural = 'persistentvolumeclaims' AND uid > $1 ORDER BY 1 LIMIT $2) ORDER BY 1 LIMIT $2`,
);
export const poolsAfter = statement<{ id: string }, [after: string, most: number]>(
  'SELECT id FROM pools WHERE id > $1 ORDER BY 1 LIMIT $2',
);
export const namespacesAfter = statement<{ id: string }, [after: string, most: number]>(
  `(SELECT DISTINCT namespace AS id FROM held_totals WHERE namespace > $1 ORDER BY 1 LIMIT $2)
   UNION (SELECT DISTINCT namespace FROM claim_totals WHERE namespace > $1 ORDER BY 1 LIMIT $2)
   UNION (SELECT name FROM platform_objects WHERE plural = 'namespaces' AND namespace = '' AND name > $1 ORDER BY 1 LIMIT $2) ORDER BY 1 LIMIT $2`,
);

/** Each puts right what is kept where it is another than what it is made of says, and gives what that was. */
export const recountClaims = statement<{ what: string }, [uids: readonly string[]]>(
  `SELECT 'claim ' || u AS what FROM recount_claims($1::text[]) u LIMIT 10000`,
);
export const recountPools = statement<{ what: string }, [pools: readonly string[]]>(
  'SELECT w.what FROM (SELECT p FROM unnest($1::text[]) p ORDER BY 1) s CROSS JOIN LATERAL recount_pool(s.p) AS w(what) LIMIT 10000',
);
export const recountNamespaces = statement<{ what: string }, [namespaces: readonly string[]]>(
  'SELECT w.what FROM (SELECT n FROM unnest($1::text[]) n ORDER BY 1) s CROSS JOIN LATERAL recount_namespace(s.n) AS w(what) LIMIT 10000',
);
