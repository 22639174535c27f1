import { placePods, type NodeRule, type PodAsked, type PodNode, type PodThere } from './pods';

/** A pod on a node that is to be emptied. */
export interface DrainedPod {
  readonly pod: PodAsked;
  /** Kind of what owns it; undefined where nothing would start it again. */
  readonly ownerKind?: string;
  /** It keeps data on the node itself, which goes with it. */
  readonly hasLocalData: boolean;
  /** Disruption budgets that it is in, by name. */
  readonly budgets: readonly string[];
}

/** How many pods of a budget may be disturbed now, and how many it could ever let go with all of them well. */
export interface DisruptionBudget {
  readonly name: string;
  readonly allowed: number;
  readonly everAllowed: number;
}

export type DrainFate =
  /** It ends, and starts on that node; `waits`: once the budgets that it is in allow it. */
  | { readonly kind: 'moves'; readonly to: string; readonly waits: boolean }
  /** Its owner keeps one on every node: it is left where it is. */
  | { readonly kind: 'stays' }
  | { readonly kind: 'cannot'; readonly why: 'no-owner' | 'local-data' }
  | { readonly kind: 'cannot'; readonly why: 'budget'; readonly budget: string }
  | {
      readonly kind: 'cannot';
      readonly why: 'no-node';
      readonly against: readonly { readonly rule: NodeRule; readonly nodes: number }[];
    };

export interface DrainPlan {
  /** In the order in which they are told to end. */
  readonly pods: readonly { readonly namespace: string; readonly pod: string; readonly fate: DrainFate }[];
  /** Nothing stands in the way of any of them. */
  readonly isPossible: boolean;
}

const order = (a: DrainedPod, b: DrainedPod): number =>
  a.budgets.length - b.budgets.length ||
  (a.pod.namespace < b.pod.namespace ? -1 : a.pod.namespace > b.pod.namespace ? 1 : a.pod.name < b.pod.name ? -1 : 1);

/**
 * What becomes of the pods of a node that takes none any more: where each would go, one after the other, and what cannot
 * (docs/calculations.md, Draining a node). Those in no budget go first, and keep the others waiting for nothing.
 */
export function planDrain(
  node: string,
  pods: readonly DrainedPod[],
  nodes: readonly PodNode[],
  there: readonly PodThere[],
  budgets: ReadonlyMap<string, DisruptionBudget>,
): DrainPlan {
  const others = nodes.map((n) => (n.name === node ? { ...n, cordoned: true } : n));
  const sorted = [...pods].sort(order);
  const stuckOf = ({ ownerKind, hasLocalData, budgets: own }: DrainedPod): DrainFate | undefined => {
    if (ownerKind === 'DaemonSet') return { kind: 'stays' };
    if (ownerKind === undefined) return { kind: 'cannot', why: 'no-owner' };
    if (hasLocalData) return { kind: 'cannot', why: 'local-data' };
    const never = own.find((b) => (budgets.get(b)?.everAllowed ?? 1) <= 0);
    return never === undefined ? undefined : { kind: 'cannot', why: 'budget', budget: never };
  };
  const stuck = sorted.map(stuckOf);
  const moving = sorted.filter((_p, i) => stuck[i] === undefined);
  const leaving = new Map<string, number>();
  for (const { pod } of moving) leaving.set(pod.owner, (leaving.get(pod.owner) ?? 0) + 1);
  // what leaves does not stand beside what comes after it
  const stay = there.filter((p) => !(p.node === node && leaving.has(p.owner)));
  const places = placePods(
    moving.map((m) => m.pod),
    others,
    stay,
  );
  const left = new Map([...budgets].map(([name, b]) => [name, b.allowed]));
  let next = 0;
  const planned = sorted.map(({ pod, budgets: own }, i) => {
    const about = { namespace: pod.namespace, pod: pod.name };
    const why = stuck[i];
    if (why) return { ...about, fate: why };
    const place = places[next++]!;
    if (!('node' in place))
      return { ...about, fate: { kind: 'cannot', why: 'no-node', against: place.against } as const };
    const waits = own.some((b) => (left.get(b) ?? 1) <= 0);
    for (const b of own) left.set(b, (left.get(b) ?? 1) - 1);
    return { ...about, fate: { kind: 'moves', to: place.node, waits } as const };
  });
  return { pods: planned, isPossible: planned.every((p) => p.fate.kind !== 'cannot') };
}
