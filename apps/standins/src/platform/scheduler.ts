import { note } from './events';
import type { KubeObject, Store } from './store';

const zoneLabel = 'topology.kubernetes.io/zone';
export const selectedNode = 'volume.kubernetes.io/selected-node';

const isReady = (node: KubeObject): boolean =>
  !node.spec?.unschedulable &&
  ((node.status?.conditions ?? []) as { type: string; status: string }[]).some(
    (c) => c.type === 'Ready' && c.status === 'True',
  );
const claimNamesOf = (pod: KubeObject): string[] =>
  ((pod.spec?.volumes ?? []) as { persistentVolumeClaim?: { claimName: string } }[]).flatMap(
    (v) => v.persistentVolumeClaim?.claimName ?? [],
  );
export const claimsOf = (store: Store, pod: KubeObject): (KubeObject | undefined)[] =>
  claimNamesOf(pod).map((name) => store.find('persistentvolumeclaims', pod.metadata.namespace, name));
/** Says in a pod why it is not placed, as the platform's scheduler does; said once as long as it is the same. */
function leaveUnscheduled(store: Store, pod: KubeObject, message: string): void {
  const said = pod.status?.conditions?.find((c) => c.type === 'PodScheduled');
  if (said?.message === message) return;
  note(store, 'Pod', pod, { type: 'Warning', reason: 'FailedScheduling', message, by: 'default-scheduler' });
  store.amend('pods', pod, (copy) => {
    const others = (copy.status?.conditions ?? []).filter((c) => c.type !== 'PodScheduled');
    const condition = { type: 'PodScheduled', status: 'False', reason: 'Unschedulable', message };
    copy.status = { ...copy.status, phase: 'Pending', conditions: [...others, condition] };
  });
}

/** How many nodes there are, and what is against each of them. */
function whyNoNode(store: Store, zones: readonly string[] | undefined): string {
  const nodes = store.list('nodes');
  const unready = nodes.filter((n) => !isReady(n)).length;
  const elsewhere = nodes.filter(
    (n) => isReady(n) && zones && !zones.includes(n.metadata.labels?.[zoneLabel] ?? ''),
  ).length;
  const against = [
    ...(elsewhere > 0 ? [`${elsewhere} node(s) had volume node affinity conflict`] : []),
    ...(unready > 0 ? [`${unready} node(s) were not ready`] : []),
  ];
  return `0/${nodes.length} nodes are available: ${against.join(', ') || 'none matched'}.`;
}

/** Picks a node for each waiting pod: for claims that wait for it first, for the pod itself once all its claims are bound. */
export function schedulePods(store: Store): void {
  const waiting = store.list('pods').filter((p) => !p.spec?.nodeName && !p.metadata.deletionTimestamp);
  if (waiting.length === 0) return;
  const load = new Map<string, number>();
  for (const pod of store.list('pods')) {
    const node = pod.spec?.nodeName as string | undefined;
    if (node) load.set(node, (load.get(node) ?? 0) + 1);
  }
  for (const pod of waiting) {
    const claims = claimsOf(store, pod);
    const missing = claims.findIndex((c) => !c);
    if (missing >= 0) {
      leaveUnscheduled(store, pod, `persistentvolumeclaim "${claimNamesOf(pod)[missing]}" not found`);
      continue;
    }
    const zones = zonesOf(store, claims as KubeObject[]);
    const chosen = (claims as KubeObject[]).map((c) => c.metadata.annotations?.[selectedNode]).find(Boolean);
    const nodes = store
      .list('nodes')
      .filter((n) => isReady(n) && (!zones || zones.includes(n.metadata.labels?.[zoneLabel] ?? '')))
      .sort(
        (a, b) =>
          (load.get(a.metadata.name) ?? 0) - (load.get(b.metadata.name) ?? 0) ||
          (a.metadata.name < b.metadata.name ? -1 : 1),
      );
    const node = nodes.find((n) => n.metadata.name === chosen) ?? nodes[0];
    if (!node) {
      leaveUnscheduled(store, pod, whyNoNode(store, zones));
      continue;
    }
    let [unbound, isImmediate] = [0, false];
    for (const claim of claims as KubeObject[]) {
      if (claim.status?.phase === 'Bound') continue;
      unbound += 1;
      const cls = store.find('storageclasses', undefined, String(claim.spec?.storageClassName ?? ''));
      if (cls?.volumeBindingMode !== 'WaitForFirstConsumer') isImmediate = true;
      else if (!claim.metadata.annotations?.[selectedNode])
        store.amend('persistentvolumeclaims', claim, (copy) => {
          copy.metadata.annotations = { ...copy.metadata.annotations, [selectedNode]: node.metadata.name };
        });
    }
    if (unbound > 0) {
      if (isImmediate) leaveUnscheduled(store, pod, 'pod has unbound immediate PersistentVolumeClaims.');
      continue;
    }
    load.set(node.metadata.name, (load.get(node.metadata.name) ?? 0) + 1);
    store.amend('pods', pod, (copy) => {
      copy.spec!.nodeName = node.metadata.name;
      copy.status = { phase: 'Running', conditions: [{ type: 'Ready', status: 'True' }] };
    });
    const { namespace, name } = pod.metadata;
    const message = `Successfully assigned ${namespace}/${name} to ${node.metadata.name}`;
    note(store, 'Pod', pod, { type: 'Normal', reason: 'Scheduled', message, by: 'default-scheduler' });
  }
}

/** Zones that the claims' volumes and classes allow; undefined means any. */
function zonesOf(store: Store, claims: readonly KubeObject[]): string[] | undefined {
  let zones: string[] | undefined;
  const narrow = (terms: { key: string; values: string[] }[]) => {
    for (const { key, values } of terms)
      if (key === zoneLabel) zones = zones ? zones.filter((z) => values.includes(z)) : values;
  };
  for (const claim of claims) {
    const volume = claim.spec?.volumeName && store.find('persistentvolumes', undefined, String(claim.spec.volumeName));
    if (volume) {
      for (const term of volume.spec?.nodeAffinity?.required?.nodeSelectorTerms ?? [])
        narrow(term.matchExpressions ?? []);
    } else {
      const cls = store.find('storageclasses', undefined, String(claim.spec?.storageClassName ?? ''));
      for (const term of cls?.allowedTopologies ?? []) narrow(term.matchLabelExpressions ?? []);
    }
  }
  return zones;
}
