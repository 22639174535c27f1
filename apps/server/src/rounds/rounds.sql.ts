import { statement } from '../database/statement';
import { claimsOf } from '../mirror/claim-rows.sql';

/** Claims of these names as far as a plan goes, with what was written to them. Names and namespaces go by their place. */
export const claimsNamed = statement<
  {
    uid: string;
    namespace: string;
    name: string;
    size_bytes: number;
    provisioned: number | null;
    pool_id: string | null;
    consumed: number | null;
    state: string;
    reclaim: string | null;
    grace_days: number | null;
  },
  [namespaces: readonly string[], names: readonly string[]]
>(
  `SELECT c.uid, c.namespace, c.name, c.size_bytes, c.provisioned, c.pool_id, c.consumed, c.state, r.reclaim, r.grace_days
   FROM ${claimsOf(`SELECT s.claim_uid, asked.place FROM unnest($1::text[], $2::text[]) WITH ORDINALITY AS asked (namespace, name, place)
     JOIN claim_states s ON s.namespace = asked.namespace AND s.name = asked.name`)}
   LEFT JOIN reservations r ON r.claim_uid = c.uid ORDER BY k.place LIMIT 1000`,
);
