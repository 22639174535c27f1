import type { Finding } from '@moorage/core/findings/finding';
import { statement } from '../database/statement';
import { mostNamed } from './stuck.sql';

interface InNeed {
  kind: 'buckets-full' | 'buckets-waiting' | 'buckets-lost';
  /** What the waiting ones wait for. */
  subject: string;
  count: number;
  some: string[];
  since: Date;
}

const named = (name: string) => `(array_agg(${name} ORDER BY ${name}))[1:${mostNamed}] AS some`;
const seen = '($1::text[] IS NULL OR namespace = ANY($1))';

/** Buckets that take nothing more, and bucket claims that wait, by what they wait for. `namespaces`: of those alone. */
export const bucketsInNeed = statement<InNeed, [namespaces: readonly string[] | null]>(
  `SELECT 'buckets-waiting' AS kind, waiting_for AS subject, count(*) AS count, ${named('about')}, min(updated_at) AS since
   FROM operations WHERE kind = 'bucket' AND ended_at IS NULL AND resting AND ${seen} GROUP BY waiting_for
   UNION ALL
   SELECT 'buckets-full', 'limit', count(*), ${named("namespace || '/' || claim_name")}, min(measured_at)
   FROM buckets WHERE shut AND state = 'ready' AND missing_since IS NULL AND ${seen} HAVING count(*) > 0
   UNION ALL
   SELECT 'buckets-lost', 'backend', count(*), ${named("namespace || '/' || claim_name")}, min(missing_since)
   FROM buckets WHERE missing_since IS NOT NULL AND state IN ('ready', 'kept') AND ${seen} HAVING count(*) > 0`,
);

export const bucketFinding = ({ kind, subject, count, some }: InNeed): Finding => ({
  ...{ id: `${kind}:${subject}`, kind, subject, weight: count },
  facts: { buckets: count, some },
});
