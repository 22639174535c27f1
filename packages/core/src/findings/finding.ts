/** Kinds of consequence, worst first: the order in which findings are shown. */
export const consequences = ['data-at-risk', 'claims-blocked', 'one-failure-away', 'time-to-limit', 'waste'] as const;
export type Consequence = (typeof consequences)[number];

/** What can be found, and what it leads to. Wording belongs to the interface. */
export const findingKinds = {
  'volumes-lost': 'data-at-risk',
  'volumes-unreachable': 'data-at-risk',
  'pool-gone': 'data-at-risk',
  'copies-missing': 'data-at-risk',
  'disk-failed': 'data-at-risk',
  'node-lost': 'data-at-risk',
  'pool-shrunk': 'data-at-risk',
  'disk-failing': 'data-at-risk',
  'volumes-endangered': 'data-at-risk',
  'buckets-lost': 'data-at-risk',
  'backend-unreachable': 'claims-blocked',
  'backend-nonsense': 'claims-blocked',
  'pool-read-only': 'claims-blocked',
  'pool-full': 'claims-blocked',
  'claims-stuck': 'claims-blocked',
  'buckets-full': 'claims-blocked',
  'buckets-waiting': 'claims-blocked',
  'export-misses-node': 'claims-blocked',
  'node-unready': 'claims-blocked',
  'platform-lost': 'claims-blocked',
  'change-stalled': 'claims-blocked',
  'no-default-class': 'claims-blocked',
  'two-default-classes': 'claims-blocked',
  'copies-together': 'one-failure-away',
  'replicas-together': 'one-failure-away',
  'samples-stopped': 'time-to-limit',
  'pool-filling': 'time-to-limit',
  'cap-near': 'time-to-limit',
  'limits-asked': 'time-to-limit',
  'limit-near': 'time-to-limit',
  'runway-short': 'time-to-limit',
  'growth-sudden': 'time-to-limit',
  'drop-sudden': 'time-to-limit',
  'price-risen': 'waste',
  'disk-worn': 'time-to-limit',
  'paths-missing': 'time-to-limit',
  'capacity-stranded': 'waste',
  'instances-empty': 'waste',
  'waste-found': 'waste',
  'volumes-drifted': 'waste',
  'volumes-adrift': 'waste',
} as const satisfies Record<string, Consequence>;
export type FindingKind = keyof typeof findingKinds;

/** One thing that needs a person. `id` stays the same as long as the thing does. */
export interface Finding {
  readonly id: string;
  readonly kind: FindingKind;
  /** Backend, pool, class, node or kind of place that it is about. */
  readonly subject: string;
  /** How much of it there is, to rank findings of one consequence: claims, volumes or bytes. */
  readonly weight: number;
  readonly facts: Readonly<Record<string, string | number | readonly string[]>>;
}

const rankOf = (kind: FindingKind): number => consequences.indexOf(findingKinds[kind]);
const kindOrder = Object.keys(findingKinds);

/** By consequence, then by kind, then the larger first; ties by id, so that nothing jumps about. */
export function rankFindings<T extends Pick<Finding, 'id' | 'kind' | 'weight'>>(findings: readonly T[]): T[] {
  return [...findings].sort(
    (a, b) =>
      rankOf(a.kind) - rankOf(b.kind) ||
      kindOrder.indexOf(a.kind) - kindOrder.indexOf(b.kind) ||
      b.weight - a.weight ||
      (a.id < b.id ? -1 : a.id > b.id ? 1 : 0),
  );
}
