import { parseQuantity } from '@moorage/core/sizes/quantity';
import type { KubeObject, Store } from './store';

export const zoneLabel = 'topology.kubernetes.io/zone';
export const selectedNode = 'volume.kubernetes.io/selected-node';

interface Taint {
  readonly key: string;
  readonly value?: string;
  readonly effect: string;
}
interface Toleration {
  readonly key?: string;
  readonly operator?: string;
  readonly value?: string;
  readonly effect?: string;
}
interface Term {
  readonly matchExpressions?: readonly { key: string; operator: string; values?: readonly string[] }[];
}
interface SpreadConstraint {
  readonly maxSkew: number;
  readonly topologyKey: string;
  readonly whenUnsatisfiable?: string;
  readonly labelSelector?: { matchLabels?: Record<string, string> };
}

export const taintsOf = (node: KubeObject): readonly Taint[] => (node.spec?.taints ?? []) as Taint[];
export const tolerates = (pod: KubeObject, taint: Taint): boolean =>
  ((pod.spec?.tolerations ?? []) as Toleration[]).some(
    (t) =>
      (t.effect === undefined || t.effect === '' || t.effect === taint.effect) &&
      (t.operator === 'Exists'
        ? t.key === undefined || t.key === taint.key
        : t.key === taint.key && (t.value ?? '') === (taint.value ?? '')),
  );

export const isReady = (node: KubeObject): boolean =>
  (node.status?.conditions ?? []).some((c) => c.type === 'Ready' && c.status === 'True');

function matches(labels: Record<string, string>, { matchExpressions = [] }: Term): boolean {
  return matchExpressions.every(({ key, operator, values = [] }) => {
    const has = labels[key];
    if (operator === 'In') return has !== undefined && values.includes(has);
    if (operator === 'NotIn') return has === undefined || !values.includes(has);
    return operator === 'Exists' ? has !== undefined : has === undefined;
  });
}

export const unreachable = 'node.kubernetes.io/unreachable';
const notReady = 'node.kubernetes.io/not-ready';

interface Endured {
  readonly key?: string;
  readonly effect?: string;
  readonly tolerationSeconds?: number;
}

/** What a pod endures, with how long it stays on lost nodes where it says nothing of that: the platform gives it to every pod. */
export function withTolerations(store: Store, given: unknown): Endured[] {
  const own = (given ?? []) as Endured[];
  const says = (key: string) => own.some((t) => t.key === undefined || t.key === key);
  const { tolerationSeconds } = store;
  return [
    ...own,
    ...[notReady, unreachable]
      .filter((key) => !says(key))
      .map((key) => ({ key, operator: 'Exists', effect: 'NoExecute', tolerationSeconds })),
  ];
}

/** How long a pod stays on a node that is not heard of, seconds; Infinity where it stays for good. */
export function staysFor({ spec }: KubeObject): number {
  const matching = ((spec?.tolerations ?? []) as Endured[]).filter(
    (t) => (t.key === undefined || t.key === unreachable) && (t.effect === undefined || t.effect === 'NoExecute'),
  );
  return matching.length === 0 ? 0 : Math.min(...matching.map((t) => t.tolerationSeconds ?? Infinity));
}

/** Whether a node is one that the pod asks for. */
function isSelected(pod: KubeObject, node: KubeObject): boolean {
  const labels = node.metadata.labels ?? {};
  const { nodeSelector = {}, affinity } = (pod.spec ?? {}) as {
    nodeSelector?: Record<string, string>;
    affinity?: { nodeAffinity?: { requiredDuringSchedulingIgnoredDuringExecution?: { nodeSelectorTerms?: Term[] } } };
  };
  const terms = affinity?.nodeAffinity?.requiredDuringSchedulingIgnoredDuringExecution?.nodeSelectorTerms;
  return (
    Object.entries(nodeSelector).every(([k, v]) => labels[k] === v) &&
    (terms === undefined || terms.some((t) => matches(labels, t)))
  );
}

const claimNamesOf = (pod: KubeObject): string[] =>
  (pod.spec?.volumes ?? []).flatMap((v) => v.persistentVolumeClaim?.claimName ?? []);
export const claimsOf = (store: Store, pod: KubeObject): (KubeObject | undefined)[] =>
  claimNamesOf(pod).map((name) => store.find('persistentvolumeclaims', pod.metadata.namespace, name));
/** The first claim that a pod names and that is not there. */
export const missingClaim = (store: Store, pod: KubeObject): string | undefined =>
  claimNamesOf(pod).find((name) => !store.find('persistentvolumeclaims', pod.metadata.namespace, name));

/** Volumes of a driver that pods on a node use, and those of one pod. */
const volumesOf = (store: Store, pod: KubeObject): string[] =>
  claimsOf(store, pod).flatMap((c) => (c?.spec?.volumeName ? [String(c.spec.volumeName)] : []));

export const isOver = (pod: KubeObject): boolean => pod.status?.phase === 'Succeeded' || pod.status?.phase === 'Failed';

/** Cores or bytes that the containers of a pod ask for. */
function asked(pod: KubeObject, what: 'cpu' | 'memory'): number {
  const containers = (pod.spec?.containers ?? []) as { resources?: { requests?: Record<string, string> } }[];
  return containers.reduce((sum, c) => sum + amountOf(c.resources?.requests?.[what]), 0);
}
function amountOf(text: unknown): number {
  if (text === undefined) return 0;
  const milli = /^(\d+)m$/.exec(String(text));
  if (milli) return Number(milli[1]) / 1000;
  const size = parseQuantity(String(text));
  return size.ok ? size.bytes : Number(text) || 0;
}

/** All that a pod is measured against, gathered once for a round. */
export interface Measure {
  readonly on: ReadonlyMap<string, readonly KubeObject[]>;
  readonly pods: readonly KubeObject[];
}

/** The node that a pod is on, or will be: one that waits for its claims has had its node chosen already. */
const nodeOf = (store: Store, pod: KubeObject): string | undefined =>
  pod.spec?.nodeName ??
  claimsOf(store, pod)
    .map((c) => c?.metadata.annotations?.[selectedNode])
    .find(Boolean);

/** All pods but the one that is looked at, as they stand or will. */
export function measure(store: Store, but: KubeObject): Measure {
  const on = new Map<string, KubeObject[]>();
  const pods: KubeObject[] = [];
  for (const pod of store.list('pods')) {
    if (isOver(pod) || pod.metadata.uid === but.metadata.uid) continue;
    const node = nodeOf(store, pod);
    pods.push(node === undefined ? pod : { ...pod, spec: { ...pod.spec, nodeName: node } });
    if (node === undefined) continue;
    const there = on.get(node);
    if (there) there.push(pod);
    else on.set(node, [pod]);
  }
  return { on, pods };
}

/** By how many pods one domain would be ahead of the emptiest with one more there. */
function skew(
  pod: KubeObject,
  node: KubeObject,
  of: SpreadConstraint,
  { pods }: Measure,
  nodes: readonly KubeObject[],
): number {
  const own = node.metadata.labels?.[of.topologyKey];
  if (own === undefined) return Infinity;
  const domainOf = new Map(nodes.map((n) => [n.metadata.name, n.metadata.labels?.[of.topologyKey]]));
  const counts = new Map<string, number>();
  for (const n of nodes)
    if (isSelected(pod, n)) {
      const domain = n.metadata.labels?.[of.topologyKey];
      if (domain !== undefined) counts.set(domain, 0);
    }
  const wanted = Object.entries(of.labelSelector?.matchLabels ?? {});
  for (const other of pods) {
    if (other.metadata.namespace !== pod.metadata.namespace || other.metadata.deletionTimestamp) continue;
    const domain = domainOf.get(String(other.spec?.nodeName ?? ''));
    if (domain === undefined || !counts.has(domain)) continue;
    if (wanted.every(([k, v]) => other.metadata.labels?.[k] === v)) counts.set(domain, counts.get(domain)! + 1);
  }
  return (counts.get(own) ?? 0) + 1 - Math.min(...counts.values());
}

const spreadsOf = (pod: KubeObject): SpreadConstraint[] =>
  (pod.spec?.topologySpreadConstraints ?? []) as SpreadConstraint[];

/** Why a pod cannot be on a node, in the words of the platform's scheduler; undefined when it can. */
export function against(
  store: Store,
  pod: KubeObject,
  node: KubeObject,
  all: Measure,
  nodes: readonly KubeObject[],
): string | undefined {
  const here = all.on.get(node.metadata.name) ?? [];
  const taint = taintsOf(node).find((t) => t.effect !== 'PreferNoSchedule' && !tolerates(pod, t));
  if (node.spec?.unschedulable && !tolerates(pod, { key: 'node.kubernetes.io/unschedulable', effect: 'NoSchedule' }))
    return 'were unschedulable';
  if (taint) return `had untolerated taint {${taint.key}: ${taint.value ?? ''}}`;
  if (!isReady(node)) return 'were not ready';
  if (!isSelected(pod, node)) return "didn't match Pod's node affinity/selector";
  if (!reaches(store, pod, node)) return 'had volume node affinity conflict';
  if (exceedsLimit(store, pod, node, here)) return 'exceed max volume count';
  const { allocatable = {} } = (node.status ?? {}) as { allocatable?: Record<string, string> };
  if (here.length + 1 > (allocatable.pods === undefined ? Infinity : amountOf(allocatable.pods)))
    return 'Too many pods';
  for (const what of ['cpu', 'memory'] as const) {
    if (allocatable[what] === undefined) continue;
    // parts of cores are counted in thousandths
    const whole = (amount: number) => (what === 'cpu' ? Math.round(amount * 1000) : amount);
    const taken = here.reduce((sum, p) => sum + whole(asked(p, what)), 0);
    if (taken + whole(asked(pod, what)) > whole(amountOf(allocatable[what]))) return `Insufficient ${what}`;
  }
  for (const of of spreadsOf(pod))
    if ((of.whenUnsatisfiable ?? 'DoNotSchedule') === 'DoNotSchedule' && skew(pod, node, of, all, nodes) > of.maxSkew)
      return "didn't match pod topology spread constraints";
  return undefined;
}

/** A node beyond as many volumes as its driver takes there. */
function exceedsLimit(store: Store, pod: KubeObject, node: KubeObject, here: readonly KubeObject[]): boolean {
  const drivers = (store.find('csinodes', undefined, node.metadata.name)?.spec?.drivers ?? []) as {
    name: string;
    allocatable?: { count?: number };
  }[];
  const most = drivers[0]?.allocatable?.count;
  if (most === undefined) return false;
  const there = new Set(here.flatMap((p) => volumesOf(store, p)));
  // a claim that is not bound yet will be one volume more
  const unbound = claimsOf(store, pod).filter((c) => c && !c.spec?.volumeName).length;
  const before = there.size;
  for (const volume of volumesOf(store, pod)) there.add(volume);
  // one that brings no volume more is not in the way, however many there are
  return there.size + unbound > before && there.size + unbound > most;
}

/** Whether the volumes of a pod's claims, or their classes where they have none yet, can be had on a node. */
function reaches(store: Store, pod: KubeObject, node: KubeObject): boolean {
  const labels = node.metadata.labels ?? {};
  return claimsOf(store, pod).every((claim) => {
    const name = claim?.spec?.volumeName;
    const volume = name ? store.find('persistentvolumes', undefined, String(name)) : undefined;
    if (volume) {
      const terms = volume.spec?.nodeAffinity?.required?.nodeSelectorTerms;
      return (
        terms === undefined ||
        terms.some((t) =>
          matches(labels, { matchExpressions: (t.matchExpressions ?? []).map((e) => ({ operator: 'In', ...e })) }),
        )
      );
    }
    const cls = store.find('storageclasses', undefined, String(claim?.spec?.storageClassName ?? ''));
    return (cls?.allowedTopologies ?? []).every((term) =>
      (term.matchLabelExpressions ?? []).every(({ key, values }) => values.includes(labels[key] ?? '')),
    );
  });
}

/** How well a pod stands on a node, less is better: beside fewest of its like in node and zone, then where fewest pods are. */
export function crowding(
  pod: KubeObject,
  node: KubeObject,
  { on, pods }: Measure,
  zoneOf: ReadonlyMap<string, string | undefined>,
): number[] {
  const owner = pod.metadata.ownerReferences?.[0]?.uid;
  const like = pods.filter(
    (p) => owner !== undefined && p.metadata.ownerReferences?.[0]?.uid === owner && !p.metadata.deletionTimestamp,
  );
  const zone = zoneOf.get(node.metadata.name);
  const inZone = like.filter((p) => zone !== undefined && zoneOf.get(String(p.spec?.nodeName ?? '')) === zone).length;
  return [
    like.filter((p) => p.spec?.nodeName === node.metadata.name).length,
    inZone,
    (on.get(node.metadata.name) ?? []).length,
  ];
}
