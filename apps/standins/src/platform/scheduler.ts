import { note } from './events';
import { against, claimsOf, crowding, measure, missingClaim, selectedNode, zoneLabel } from './fit';
import type { KubeObject, Store } from './store';

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

/** How many nodes there are, and what is against how many of them. */
function whyNoNode(nodes: readonly KubeObject[], reasons: readonly string[]): string {
  const counts = new Map<string, number>();
  for (const reason of reasons) counts.set(reason, (counts.get(reason) ?? 0) + 1);
  const against = [...counts].map(([reason, count]) =>
    reason.startsWith('Insufficient') || reason.startsWith('Too many')
      ? `${count} ${reason}`
      : `${count} node(s) ${reason}`,
  );
  return `0/${nodes.length} nodes are available: ${against.join(', ') || 'none matched'}.`;
}

const compare = (a: readonly number[], b: readonly number[]): number =>
  a.reduce((found, value, i) => found || value - b[i]!, 0);

/** Picks a node for each waiting pod: for claims that wait for it first, for the pod itself once all its claims are bound. */
export function schedulePods(store: Store): void {
  const waiting = store.list('pods').filter((p) => !p.spec?.nodeName && !p.metadata.deletionTimestamp);
  if (waiting.length === 0) return;
  const nodes = store.list('nodes');
  const zoneOf = new Map(nodes.map((n) => [n.metadata.name, n.metadata.labels?.[zoneLabel]]));
  for (const pod of waiting) {
    const missing = missingClaim(store, pod);
    if (missing !== undefined) {
      leaveUnscheduled(store, pod, `persistentvolumeclaim "${missing}" not found`);
      continue;
    }
    const all = measure(store, pod);
    const claims = claimsOf(store, pod) as KubeObject[];
    const chosen = claims.map((c) => c.metadata.annotations?.[selectedNode]).find(Boolean);
    const looked = nodes.map((node) => ({ node, reason: against(store, pod, node, all, nodes) }));
    const fitting = looked
      .filter(({ reason }) => reason === undefined)
      .map(({ node }) => ({ node, by: crowding(pod, node, all, zoneOf) }))
      .sort((a, b) => compare(a.by, b.by) || (a.node.metadata.name < b.node.metadata.name ? -1 : 1))
      .map(({ node }) => node);
    const node = fitting.find((n) => n.metadata.name === chosen) ?? fitting[0];
    if (!node) {
      const why = whyNoNode(
        nodes,
        looked.map((l) => l.reason!),
      );
      leaveUnscheduled(store, pod, why);
      continue;
    }
    let [unbound, isImmediate] = [0, false];
    for (const claim of claims) {
      if (claim.status?.phase === 'Bound') continue;
      unbound += 1;
      const cls = store.find('storageclasses', undefined, String(claim.spec?.storageClassName ?? ''));
      if (cls?.volumeBindingMode !== 'WaitForFirstConsumer') isImmediate = true;
      else if (claim.metadata.annotations?.[selectedNode] !== node.metadata.name)
        store.amend('persistentvolumeclaims', claim, (copy) => {
          copy.metadata.annotations = { ...copy.metadata.annotations, [selectedNode]: node.metadata.name };
        });
    }
    if (unbound > 0) {
      if (isImmediate) leaveUnscheduled(store, pod, 'pod has unbound immediate PersistentVolumeClaims.');
      continue;
    }
    const { namespace, name } = pod.metadata;
    store.amend('pods', pod, (copy) => {
      copy.spec!.nodeName = node.metadata.name;
      copy.status = { ...copy.status, phase: 'Pending', conditions: [{ type: 'PodScheduled', status: 'True' }] };
    });
    const message = `Successfully assigned ${namespace}/${name} to ${node.metadata.name}`;
    note(store, 'Pod', pod, { type: 'Normal', reason: 'Scheduled', message, by: 'default-scheduler' });
  }
}
