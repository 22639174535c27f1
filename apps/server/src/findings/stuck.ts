import type { FindingRow } from '@moorage/contract/findings';
import type { Finding } from '@moorage/core/findings/finding';
import type { Stuck } from './stuck.sql';

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
