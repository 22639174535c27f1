import type { FindingRow } from '@moorage/contract/findings';
import type { Finding } from '@moorage/core/findings/finding';
import type { Database } from '../database/database';
import type { Sight } from '../people/sight';

/** Names listed in a finding; its weight says how many there are. */
export const mostNamed = 8;

/** Claims of one class that cannot go on by themselves, for one and the same reason. */
export interface Stuck {
  readonly class_name: string | null;
  readonly state: string;
  readonly count: number;
  readonly bytes: number;
  readonly some: string[];
  readonly since: Date;
}

export const findStuckClaims = (database: Database, sight: Sight): Promise<Stuck[]> =>
  database.rows<Stuck>(
    `SELECT class_name, state, count(*) AS count, coalesce(sum(size_bytes), 0)::bigint AS bytes, min(created_at) AS since,
       (array_agg(namespace || '/' || name ORDER BY created_at))[1:${mostNamed}] AS some
     FROM claims WHERE ($1::text[] IS NULL OR namespace = ANY($1))
       AND (state IN ('nothing-fits', 'no-class', 'lost', 'unreachable', 'held-back') OR (state = 'retrying' AND attempts >= 5))
     GROUP BY 1, 2 LIMIT 200`,
    [sight.namespaces],
  );

export const factsOf = (s: Stuck): FindingRow['facts'] => ({
  state: s.state,
  claims: s.count,
  bytes: s.bytes,
  some: s.some,
});

/** What is lost or out of reach is data; the rest is claims that wait. */
const kindOf: Readonly<Record<string, Finding['kind']>> = { lost: 'volumes-lost', unreachable: 'volumes-unreachable' };

export function stuckFinding(s: Stuck): Finding {
  const kind = kindOf[s.state] ?? 'claims-stuck';
  return {
    id: [kind, s.class_name ?? '', s.state].filter(Boolean).join(':'),
    kind,
    subject: s.class_name ?? '',
    weight: s.count,
    facts: factsOf(s),
  };
}
