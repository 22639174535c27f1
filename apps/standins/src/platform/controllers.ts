import { parseQuantity } from '@moorage/core/sizes/quantity';
import type { KubeObject, Store } from './store';

const zoneLabel = 'topology.kubernetes.io/zone';
export const selectedNode = 'volume.kubernetes.io/selected-node';

const sizeOf = (text: unknown): number => {
  const size = parseQuantity(String(text ?? ''));
  return size.ok ? size.bytes : 0;
};

const isReady = (node: KubeObject): boolean =>
  !node.spec?.unschedulable &&
  ((node.status?.conditions ?? []) as { type: string; status: string }[]).some(
    (c) => c.type === 'Ready' && c.status === 'True',
  );

const claimsOf = (store: Store, pod: KubeObject): (KubeObject | undefined)[] =>
  ((pod.spec?.volumes ?? []) as { persistentVolumeClaim?: { claimName: string } }[])
    .filter((v) => v.persistentVolumeClaim)
    .map((v) => store.find('persistentvolumeclaims', pod.metadata.namespace, v.persistentVolumeClaim!.claimName));

/** Makes the claims and pods of stateful sets, one pod after the other unless the set says Parallel. */
function growStatefulSets(store: Store): void {
  for (const set of store.list('statefulsets')) {
    const { namespace, name, uid } = set.metadata;
    const replicas = (set.spec?.replicas as number | undefined) ?? 1;
    const templates = (set.spec?.volumeClaimTemplates ?? []) as KubeObject[];
    const owner = { apiVersion: 'apps/v1', kind: 'StatefulSet', name, uid: uid!, controller: true };
    for (let i = 0; i < replicas; i++) {
      const podName = `${name}-${i}`;
      const pod = store.find('pods', namespace, podName);
      if (pod) {
        if (set.spec?.podManagementPolicy !== 'Parallel' && pod.status?.phase !== 'Running') break;
        continue;
      }
      for (const template of templates) {
        const claimName = `${template.metadata.name}-${podName}`;
        if (store.find('persistentvolumeclaims', namespace, claimName)) continue;
        store.create('persistentvolumeclaims', {
          metadata: {
            name: claimName,
            namespace,
            labels: { ...(set.spec?.selector?.matchLabels as Record<string, string>) },
            finalizers: ['kubernetes.io/pvc-protection'],
          },
          spec: { volumeMode: 'Filesystem', ...structuredClone(template.spec) },
          status: { phase: 'Pending' },
        });
      }
      store.create('pods', {
        metadata: {
          name: podName,
          namespace,
          labels: {
            ...(set.spec?.template?.metadata?.labels as Record<string, string>),
            'apps.kubernetes.io/pod-index': String(i),
          },
          ownerReferences: [owner],
        },
        spec: {
          ...structuredClone(set.spec?.template?.spec ?? {}),
          volumes: templates.map((t) => ({
            name: t.metadata.name,
            persistentVolumeClaim: { claimName: `${t.metadata.name}-${podName}` },
          })),
        },
        status: { phase: 'Pending' },
      });
      if (set.spec?.podManagementPolicy !== 'Parallel') break;
    }
  }
}

/** Picks a node for each waiting pod: for claims that wait for it first, for the pod itself once all its claims are bound. */
function schedulePods(store: Store): void {
  const waiting = store.list('pods').filter((p) => !p.spec?.nodeName && !p.metadata.deletionTimestamp);
  if (waiting.length === 0) return;
  const load = new Map<string, number>();
  for (const pod of store.list('pods')) {
    const node = pod.spec?.nodeName as string | undefined;
    if (node) load.set(node, (load.get(node) ?? 0) + 1);
  }
  for (const pod of waiting) {
    const claims = claimsOf(store, pod);
    if (claims.some((c) => !c)) continue;
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
    if (!node) continue;
    let unbound = 0;
    for (const claim of claims as KubeObject[]) {
      if (claim.status?.phase === 'Bound') continue;
      unbound += 1;
      const cls = store.find('storageclasses', undefined, String(claim.spec?.storageClassName ?? ''));
      if (cls?.volumeBindingMode === 'WaitForFirstConsumer' && !claim.metadata.annotations?.[selectedNode])
        store.amend('persistentvolumeclaims', claim, (copy) => {
          copy.metadata.annotations = { ...copy.metadata.annotations, [selectedNode]: node.metadata.name };
        });
    }
    if (unbound > 0) continue;
    load.set(node.metadata.name, (load.get(node.metadata.name) ?? 0) + 1);
    store.amend('pods', pod, (copy) => {
      copy.spec.nodeName = node.metadata.name;
      copy.status = { phase: 'Running', conditions: [{ type: 'Ready', status: 'True' }] };
    });
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

/** Binds a volume that names its claim, as the platform's own volume controller does. */
function bindVolumes(store: Store): void {
  for (const volume of store.list('persistentvolumes')) {
    const reference = volume.spec?.claimRef as { namespace: string; name: string; uid?: string } | undefined;
    if (!reference) continue;
    const claim = store.find('persistentvolumeclaims', reference.namespace, reference.name);
    const gone = !claim || (reference.uid && claim.metadata.uid !== reference.uid);
    if (gone) {
      if (volume.status?.phase === 'Bound')
        store.amend('persistentvolumes', volume, (copy) => {
          copy.status = { ...copy.status, phase: 'Released' };
        });
      continue;
    }
    if (claim.status?.phase === 'Bound' || claim.metadata.deletionTimestamp) continue;
    const fits =
      sizeOf(volume.spec.capacity.storage) >= sizeOf(claim.spec.resources.requests.storage) &&
      (volume.spec.storageClassName ?? '') === (claim.spec.storageClassName ?? '');
    if (!fits) continue;
    store.amend('persistentvolumes', volume, (copy) => {
      copy.spec.claimRef = {
        apiVersion: 'v1',
        kind: 'PersistentVolumeClaim',
        namespace: claim.metadata.namespace,
        name: claim.metadata.name,
        uid: claim.metadata.uid,
      };
      copy.status = { phase: 'Bound' };
    });
    store.amend('persistentvolumeclaims', claim, (copy) => {
      copy.spec.volumeName = volume.metadata.name;
      copy.status = { phase: 'Bound', accessModes: volume.spec.accessModes, capacity: volume.spec.capacity };
    });
  }
}

/** Lets go of claims that are being deleted once no pod uses them, and of volumes that no claim holds. */
function releaseProtected(store: Store): void {
  for (const claim of store.list('persistentvolumeclaims')) {
    if (!claim.metadata.deletionTimestamp) continue;
    const used = store
      .list('pods', claim.metadata.namespace)
      .some((pod) => claimsOf(store, pod).some((c) => c?.metadata.uid === claim.metadata.uid));
    if (used) continue;
    store.amend('persistentvolumeclaims', claim, (copy) => {
      copy.metadata.finalizers = copy.metadata.finalizers?.filter((f) => f !== 'kubernetes.io/pvc-protection');
    });
  }
  for (const volume of store.list('persistentvolumes'))
    if (volume.metadata.deletionTimestamp && volume.status?.phase !== 'Bound')
      store.amend('persistentvolumes', volume, (copy) => {
        copy.metadata.finalizers = copy.metadata.finalizers?.filter((f) => f !== 'kubernetes.io/pv-protection');
      });
}

/** Runs the controllers after every change until nothing changes any more. Returns a function that stops them. */
export function runControllers(store: Store): () => void {
  let scheduled = false;
  let stopped = false;
  const turn = () => {
    scheduled = false;
    if (stopped) return;
    bindVolumes(store);
    releaseProtected(store);
    growStatefulSets(store);
    schedulePods(store);
  };
  const wake = () => {
    if (scheduled) return;
    scheduled = true;
    setImmediate(turn);
  };
  store.changes.on('change', wake);
  wake();
  return () => {
    stopped = true;
    store.changes.off('change', wake);
  };
}
