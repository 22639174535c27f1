/** What may keep a pod off a node, in the order in which it is looked at (docs/calculations.md, Where pods go). */
export const nodeRules = [
  'cordoned',
  'taint',
  'not-ready',
  'selector',
  'volume-zone',
  'attach-limit',
  'pods',
  'cpu',
  'memory',
  'spread',
] as const;
export type NodeRule = (typeof nodeRules)[number];

export const zoneKey = 'topology.kubernetes.io/zone';
export const hostKey = 'kubernetes.io/hostname';

export interface Taint {
  readonly key: string;
  readonly value?: string;
  readonly effect: string;
}
export interface Toleration {
  readonly key?: string;
  readonly operator?: string;
  readonly value?: string;
  readonly effect?: string;
}
type Labels = Readonly<Record<string, string>>;

/** A node with what is on it. Thousandths of cores, bytes; a limit that is left out is none. */
export interface PodNode {
  readonly name: string;
  readonly labels: Labels;
  readonly ready: boolean;
  readonly cordoned: boolean;
  readonly taints: readonly Taint[];
  readonly pods: number;
  readonly mostPods?: number;
  /** Volumes that are attached there, or will be for pods that are there. */
  readonly volumes: readonly string[];
  readonly mostVolumes?: number;
  readonly freeCpu?: number;
  readonly freeMemory?: number;
}

/** Pods of these labels differ by `maxSkew` at most between the domains of a label of nodes. */
export interface SpreadRule {
  readonly key: string;
  readonly maxSkew: number;
  readonly labels: Labels;
}

export interface PodAsked {
  readonly name: string;
  readonly namespace: string;
  /** Pods of one owner keep apart where they can. */
  readonly owner: string;
  readonly labels: Labels;
  readonly nodeSelector: Labels;
  readonly tolerations: readonly Toleration[];
  /** Zones from which its volumes can be reached; left out where from all. */
  readonly zones?: readonly string[];
  readonly volumes: readonly string[];
  /** Thousandths of a core. */
  readonly cpu: number;
  readonly memory: number;
  readonly spread: readonly SpreadRule[];
}

/** A pod that is on a node already. */
export interface PodThere {
  readonly namespace: string;
  readonly owner: string;
  readonly labels: Labels;
  readonly node: string;
}

export type PodPlace =
  | { readonly pod: string; readonly node: string }
  /** No node takes it: what is against how many of them. */
  | { readonly pod: string; readonly against: readonly { readonly rule: NodeRule; readonly nodes: number }[] };

const tolerated = (tolerations: readonly Toleration[], taint: Taint): boolean =>
  tolerations.some(
    (t) =>
      (t.effect === undefined || t.effect === '' || t.effect === taint.effect) &&
      (t.operator === 'Exists'
        ? t.key === undefined || t.key === taint.key
        : t.key === taint.key && (t.value ?? '') === (taint.value ?? '')),
  );
const has = (labels: Labels, wanted: Labels): boolean =>
  Object.entries(wanted).every(([key, value]) => labels[key] === value);

/** A node as pods are put on it one by one. */
interface Filling {
  readonly node: PodNode;
  readonly zone: string | undefined;
  pods: number;
  cpu: number;
  memory: number;
  readonly volumes: Set<string>;
}

/** Pods that a spread rule counts, by domain. */
interface Spread {
  readonly namespace: string;
  readonly rule: SpreadRule;
  readonly counts: Map<string, number>;
}
/** Pods of one owner by node and by zone. */
interface Beside {
  readonly nodes: Map<string, number>;
  readonly zones: Map<string | undefined, number>;
}

const addTo = <K>(counts: Map<K, number>, key: K): void => void counts.set(key, (counts.get(key) ?? 0) + 1);

/**
 * Puts pods on nodes one after the other, as the platform's scheduler may: each where every rule lets it, beside fewest of its
 * owner's in node and zone, then where fewest pods are, then by name. Pods of which none is placed change nothing for the others.
 */
export class PodPlacing {
  private readonly fillings: readonly Filling[];
  private readonly owners = new Map<string, Beside>();
  /** Made when a rule is first seen, by its text. */
  private readonly spreads = new Map<string, Spread>();
  private readonly there: { namespace: string; labels: Labels; node: PodNode }[] = [];

  constructor(nodes: readonly PodNode[], there: readonly PodThere[]) {
    const byName = new Map(nodes.map((n) => [n.name, n]));
    this.fillings = nodes.map((node) => ({
      node,
      zone: node.labels[zoneKey],
      pods: node.pods,
      cpu: node.freeCpu ?? Infinity,
      memory: node.freeMemory ?? Infinity,
      volumes: new Set(node.volumes),
    }));
    for (const { node: name, owner, namespace, labels } of there) {
      const node = byName.get(name);
      if (node) this.note({ namespace, labels, owner }, node);
    }
  }

  private besides(owner: string): Beside {
    let beside = this.owners.get(owner);
    if (!beside) this.owners.set(owner, (beside = { nodes: new Map(), zones: new Map() }));
    return beside;
  }

  private note({ namespace, labels, owner }: Omit<PodThere, 'node'>, node: PodNode): void {
    const { nodes, zones } = this.besides(owner);
    addTo(nodes, node.name);
    addTo(zones, node.labels[zoneKey]);
    this.there.push({ namespace, labels, node });
    for (const { namespace: of, rule, counts } of this.spreads.values()) {
      const domain = node.labels[rule.key];
      if (domain !== undefined && counts.has(domain) && namespace === of && has(labels, rule.labels))
        addTo(counts, domain);
    }
  }

  private spreadOf(pod: PodAsked, rule: SpreadRule): Spread {
    const key = JSON.stringify([pod.namespace, rule.key, Object.entries(rule.labels).sort(), pod.nodeSelector]);
    const known = this.spreads.get(key);
    if (known) return known;
    const counts = new Map<string, number>();
    for (const { node } of this.fillings) {
      const domain = node.labels[rule.key];
      if (domain !== undefined && has(node.labels, pod.nodeSelector)) counts.set(domain, 0);
    }
    for (const { namespace, labels, node } of this.there) {
      const domain = node.labels[rule.key];
      if (domain !== undefined && counts.has(domain) && namespace === pod.namespace && has(labels, rule.labels))
        addTo(counts, domain);
    }
    const spread = { namespace: pod.namespace, rule, counts };
    this.spreads.set(key, spread);
    return spread;
  }

  /** The first rule that keeps a pod off a node; undefined when it may be there. */
  private against(
    pod: PodAsked,
    { node, pods, cpu, memory, volumes, zone }: Filling,
    spreads: readonly (Spread & { readonly least: number })[],
  ): NodeRule | undefined {
    if (node.cordoned && !tolerated(pod.tolerations, { key: 'node.kubernetes.io/unschedulable', effect: 'NoSchedule' }))
      return 'cordoned';
    if (node.taints.some((t) => t.effect !== 'PreferNoSchedule' && !tolerated(pod.tolerations, t))) return 'taint';
    if (!node.ready) return 'not-ready';
    if (!has(node.labels, pod.nodeSelector)) return 'selector';
    if (pod.zones && !pod.zones.includes(zone ?? '')) return 'volume-zone';
    if (node.mostVolumes !== undefined) {
      let added = 0;
      for (const volume of pod.volumes) if (!volumes.has(volume)) added += 1;
      if (added > 0 && volumes.size + added > node.mostVolumes) return 'attach-limit';
    }
    if (pods + 1 > (node.mostPods ?? Infinity)) return 'pods';
    if (pod.cpu > cpu) return 'cpu';
    if (pod.memory > memory) return 'memory';
    for (const { rule, counts, least } of spreads) {
      const domain = node.labels[rule.key];
      if (domain === undefined || (counts.get(domain) ?? 0) + 1 - least > rule.maxSkew) return 'spread';
    }
    return undefined;
  }

  /** Puts one pod where it goes, and keeps its place for it. */
  place(pod: PodAsked): PodPlace {
    const spreads = pod.spread.map((rule) => {
      const spread = this.spreadOf(pod, rule);
      return { ...spread, least: Math.min(...spread.counts.values()) };
    });
    const { nodes, zones } = this.besides(pod.owner);
    let best: Filling | undefined;
    let [onBest, inBest] = [0, 0];
    const refused = new Map<NodeRule, number>();
    for (const filling of this.fillings) {
      const rule = this.against(pod, filling, spreads);
      if (rule !== undefined) {
        addTo(refused, rule);
        continue;
      }
      const [on, inZone] = [nodes.get(filling.node.name) ?? 0, zones.get(filling.zone) ?? 0];
      const before =
        best &&
        (on - onBest || inZone - inBest || filling.pods - best.pods || (filling.node.name < best.node.name ? -1 : 1));
      if (before === undefined || before < 0) [best, onBest, inBest] = [filling, on, inZone];
    }
    if (!best)
      return {
        pod: pod.name,
        against: nodeRules.flatMap((rule) => (refused.has(rule) ? [{ rule, nodes: refused.get(rule)! }] : [])),
      };
    best.pods += 1;
    best.cpu -= pod.cpu;
    best.memory -= pod.memory;
    for (const volume of pod.volumes) best.volumes.add(volume);
    this.note(pod, best.node);
    return { pod: pod.name, node: best.node.name };
  }
}

/** Puts pods on nodes one after the other; each keeps its place for those after it. */
export function placePods(
  pods: readonly PodAsked[],
  nodes: readonly PodNode[],
  there: readonly PodThere[],
): PodPlace[] {
  const placing = new PodPlacing(nodes, there);
  return pods.map((pod) => placing.place(pod));
}
