import type { ApplicationQuery } from '@moorage/contract/applications';
import type { ClaimQuery } from '@moorage/contract/claims';
import type { OperationQuery } from '@moorage/contract/operations';
import type { RoundChange } from '@moorage/contract/rounds';
import type { QueryClient } from '@tanstack/react-query';

/** What is fetched, concept by concept: the only place where the key of a query is made. A key begins with its concept. */
export const keys = {
  filters: () => ['filters'] as const,
  person: () => ['person'] as const,
  'demo-people': () => ['demo-people'] as const,
  backends: () => ['backends'] as const,
  inventory: {
    of: (backend: string) => ['inventory', backend] as const,
    shape: (backend: string, pool: string | undefined) => ['inventory', backend, 'shape', pool] as const,
    volumes: (backend: string, q: string, offset: number) => ['inventory', backend, 'volumes', q, offset] as const,
    events: (backend: string) => ['inventory', backend, 'events'] as const,
  },
  load: (backend: string) => ['load', backend] as const,
  readiness: () => ['readiness'] as const,
  instances: (pool: string) => ['instances', pool] as const,
  reshapes: (backend: string) => ['reshapes', backend] as const,
  classes: {
    all: () => ['classes'] as const,
    foreign: () => ['classes', 'foreign'] as const,
    successions: (name: string) => ['classes', 'successions', name] as const,
  },
  grants: (name: string) => ['grants', name] as const,
  placement: () => ['placement'] as const,
  plans: () => ['plans'] as const,
  namespaces: () => ['namespaces'] as const,
  limits: {
    of: (namespace: string) => ['limits', 'of', namespace] as const,
    effect: (namespace: string, className: string, measure: string, amount: string) =>
      ['limits', 'effect', namespace, className, measure, amount] as const,
    requests: () => ['limits', 'requests'] as const,
  },
  runways: {
    all: (kind: string, q: string) => ['runways', 'all', kind, q] as const,
    one: (of: string, days: number) => ['runways', 'one', of, days] as const,
    played: (asked: string) => ['runways', 'played', asked] as const,
  },
  waste: (kind: string, q: string, aside: string) => ['waste', kind, q, aside] as const,
  tokens: () => ['tokens'] as const,
  scenarios: () => ['scenarios'] as const,
  use: (rows: string, columns: string, at: string, of = '') => ['use', rows, columns, at, of] as const,
  flows: (measure: string, at: string) => ['use', 'flows', measure, at] as const,
  past: {
    all: (at: string) => ['past', 'all', at] as const,
    claims: (at: string, namespace: string, q: string, parts: string, cursor: string) =>
      ['past', 'claims', at, namespace, q, parts, cursor] as const,
  },
  rates: () => ['rates'] as const,
  statement: (month: string) => ['statement', month] as const,
  history: (of: string, name: string, range: string, at: string) => ['history', of, name, range, at] as const,
  claims: {
    page: (query: Readonly<Partial<Record<keyof ClaimQuery, string | undefined>>>) =>
      ['claims', 'page', query] as const,
    one: (namespace: string, name: string) => ['claims', 'one', namespace, name] as const,
  },
  applications: {
    page: (query: Readonly<Partial<Record<keyof ApplicationQuery, string | undefined>>>) =>
      ['applications', 'page', query] as const,
    one: (namespace: string, name: string) => ['applications', 'one', namespace, name] as const,
    plan: (asked: string) => ['applications', 'plan', asked] as const,
    text: (text: string) => ['applications', 'text', text] as const,
    nodes: () => ['applications', 'nodes'] as const,
    drain: (node: string) => ['applications', 'drain', node] as const,
    spread: (namespace: string, name: string, by: string) => ['applications', 'spread', namespace, name, by] as const,
    scale: (namespace: string, name: string, replicas: number) =>
      ['applications', 'scale', namespace, name, replicas] as const,
  },
  growth: (namespace: string, name: string, size: string) => ['growth', namespace, name, size] as const,
  round: (claims: string, change: RoundChange | undefined) => ['round', claims, change] as const,
  salvage: (q: string, origin: string) => ['salvage', q, origin] as const,
  buckets: {
    page: (namespace: string) => ['buckets', 'page', namespace] as const,
    one: (namespace: string, name: string) => ['buckets', 'one', namespace, name] as const,
    classes: () => ['buckets', 'classes'] as const,
  },
  lookup: (q: string) => ['lookup', q] as const,
  candidates: (namespace: string, name: string) => ['candidates', namespace, name] as const,
  drift: (claim: string, kind: string) => ['drift', claim, kind] as const,
  deletion: (namespace: string, name: string) => ['deletion', namespace, name] as const,
  proof: (namespace: string, name: string) => ['proof', namespace, name] as const,
  sayings: (namespace: string, name: string) => ['sayings', namespace, name] as const,
  share: (namespace: string, name: string) => ['share', namespace, name] as const,
  copies: (namespace: string, name: string, change: string) => ['copies', namespace, name, change] as const,
  tuning: (namespace: string, name: string, tuned: string) => ['tuning', namespace, name, tuned] as const,
  plan: (text: string) => ['plan', text] as const,
  line: (claim: string | null) => ['line', claim] as const,
  findings: () => ['findings'] as const,
  operations: {
    list: (show: OperationQuery['show'], kind: string) => ['operations', 'list', show, kind] as const,
    counts: () => ['operations', 'counts'] as const,
    round: (id: string) => ['operations', 'round', id] as const,
  },
};
export type Concept = keyof typeof keys;

/** Fetches again what is shown of some concepts. */
export const refetch = async (client: QueryClient, ...concepts: readonly Concept[]): Promise<void> => {
  await Promise.all(concepts.map((concept) => client.invalidateQueries({ queryKey: [concept] })));
};
