import { parseQuantity } from '@moorage/core/sizes/quantity';
import { countQuotas } from './quota';
import type { KubeObject, Store, WatchEvent } from './store';
import { dependentsOf } from './writes';

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
    const retention = (set.spec?.persistentVolumeClaimRetentionPolicy ?? {}) as {
      whenDeleted?: string;
      whenScaled?: string;
    };
    shrinkSet(store, set, replicas, retention.whenScaled === 'Delete');
    if (set.metadata.deletionTimestamp) continue;
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
            ...(retention.whenDeleted === 'Delete' && { ownerReferences: [owner] }),
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

/** Takes away pods beyond the replicas, the last first: one after the other, unless the set says Parallel. */
function shrinkSet(store: Store, set: KubeObject, replicas: number, claimsToo: boolean): void {
  const { namespace, name, uid } = set.metadata;
  const own = store
    .list('pods', namespace)
    .filter((p) => p.metadata.ownerReferences?.some((r) => r.uid === uid))
    .map((pod) => ({ pod, ordinal: Number(pod.metadata.name.slice(name.length + 1)) }))
    .sort((a, b) => b.ordinal - a.ordinal);
  for (const { pod, ordinal } of own) {
    if (ordinal < replicas) break;
    const claims = claimsOf(store, pod);
    store.delete('pods', namespace, pod.metadata.name);
    if (claimsToo)
      for (const claim of claims) if (claim) store.delete('persistentvolumeclaims', namespace, claim.metadata.name);
    if (set.spec?.podManagementPolicy !== 'Parallel') break;
  }
  const ready = own.filter(({ pod, ordinal }) => ordinal < replicas && pod.status?.phase === 'Running').length;
  if (set.status?.replicas !== own.length || set.status?.readyReplicas !== ready)
    store.amend('statefulsets', set, (copy) => {
      copy.status = { ...copy.status, replicas: own.length, readyReplicas: ready, availableReplicas: ready };
    });
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
      copy.spec!.nodeName = node.metadata.name;
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

const isPlain = (value: unknown): boolean => value === undefined || value === '';

/** Whether a volume gives what a claim asks: class, modes, kind and capacity. */
function fits(volume: KubeObject, claim: KubeObject): boolean {
  const modes = (volume.spec?.accessModes ?? []) as string[];
  return (
    String(volume.spec?.storageClassName ?? '') === String(claim.spec?.storageClassName ?? '') &&
    ((claim.spec?.accessModes ?? []) as string[]).every((m) => modes.includes(m)) &&
    (volume.spec?.volumeMode ?? 'Filesystem') === (claim.spec?.volumeMode ?? 'Filesystem') &&
    sizeOf(volume.spec?.capacity?.storage) >= sizeOf(claim.spec?.resources?.requests?.storage) &&
    !volume.metadata.deletionTimestamp
  );
}

function matchesLabels(volume: KubeObject, claim: KubeObject): boolean {
  const { matchLabels = {}, matchExpressions = [] } = (claim.spec?.selector ?? {}) as {
    matchLabels?: Record<string, string>;
    matchExpressions?: { key: string; operator: string; values?: string[] }[];
  };
  const labels = volume.metadata.labels ?? {};
  return (
    Object.entries(matchLabels).every(([k, v]) => labels[k] === v) &&
    matchExpressions.every(({ key, operator, values = [] }) => {
      const has = labels[key];
      if (operator === 'In') return has !== undefined && values.includes(has);
      if (operator === 'NotIn') return has === undefined || !values.includes(has);
      return operator === 'Exists' ? has !== undefined : has === undefined;
    })
  );
}

function bind(store: Store, volume: KubeObject, claim: KubeObject): void {
  store.amend('persistentvolumes', volume, (copy) => {
    copy.spec!.claimRef = {
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      namespace: claim.metadata.namespace,
      name: claim.metadata.name,
      uid: claim.metadata.uid,
    };
    copy.status = { phase: 'Bound' };
  });
  store.amend('persistentvolumeclaims', claim, (copy) => {
    copy.spec!.volumeName = volume.metadata.name;
    copy.status = { phase: 'Bound', accessModes: volume.spec?.accessModes, capacity: volume.spec?.capacity };
  });
}

/** A claim of such a class is bound to a volume made beforehand with its first pod, unless it names that volume. */
function waitsForPod(store: Store, claim: KubeObject): boolean {
  const cls = store.find('storageclasses', undefined, String(claim.spec?.storageClassName ?? ''));
  return (
    cls?.volumeBindingMode === 'WaitForFirstConsumer' &&
    claim.metadata.annotations?.['volume.kubernetes.io/selected-node'] === undefined
  );
}

/** Binds volumes that name their claim, claims that name their volume, and claims that a volume made beforehand fits. */
function bindVolumes(store: Store): void {
  for (const volume of store.list('persistentvolumes')) {
    const reference = volume.spec?.claimRef as { namespace: string; name: string; uid?: string } | undefined;
    if (!reference) {
      if (volume.status?.phase !== 'Available')
        store.amend('persistentvolumes', volume, (copy) => {
          copy.status = { ...copy.status, phase: 'Available' };
        });
      continue;
    }
    const claim = store.find('persistentvolumeclaims', reference.namespace, reference.name);
    const gone = !claim || (reference.uid && claim.metadata.uid !== reference.uid);
    if (gone) {
      if (volume.status?.phase === 'Bound')
        store.amend('persistentvolumes', volume, (copy) => {
          copy.status = { ...copy.status, phase: 'Released' };
        });
      continue;
    }
    const { volumeName } = claim.spec as { volumeName?: string };
    // a volume that was taken away and is there again, for the very claim
    const isBack = claim.status?.phase === 'Lost' && volumeName === volume.metadata.name;
    if ((claim.status?.phase !== 'Pending' && !isBack) || claim.metadata.deletionTimestamp) continue;
    if (!isPlain(volumeName) && volumeName !== volume.metadata.name) continue;
    if (fits(volume, claim)) bind(store, volume, claim);
  }
  const free = store.list('persistentvolumes').filter((v) => !v.spec?.claimRef && v.status?.phase === 'Available');
  for (const claim of store.list('persistentvolumeclaims')) {
    const { volumeName } = claim.spec as { volumeName?: string };
    if (claim.status?.phase === 'Bound' && volumeName && !store.find('persistentvolumes', undefined, volumeName))
      store.amend('persistentvolumeclaims', claim, (copy) => {
        copy.status = { ...copy.status, phase: 'Lost' };
      });
    if (free.length === 0 || claim.status?.phase !== 'Pending' || claim.metadata.deletionTimestamp) continue;
    if (isPlain(volumeName) && waitsForPod(store, claim)) continue;
    const found = free
      .filter(
        (v) =>
          (isPlain(volumeName) ? true : v.metadata.name === volumeName) && fits(v, claim) && matchesLabels(v, claim),
      )
      .sort(
        (a, b) =>
          sizeOf(a.spec?.capacity?.storage) - sizeOf(b.spec?.capacity?.storage) ||
          (a.metadata.creationTimestamp ?? '').localeCompare(b.metadata.creationTimestamp ?? '') ||
          a.metadata.name.localeCompare(b.metadata.name),
      )[0];
    if (!found) continue;
    free.splice(free.indexOf(found), 1);
    bind(store, found, claim);
  }
}

/** What a node does once a volume was made larger: it grows the file system of a claim that a running pod uses, and says so. */
function growFileSystems(store: Store): void {
  const pending = store
    .list('persistentvolumeclaims')
    .filter((c) => c.status?.conditions?.some((k) => k.type === 'FileSystemResizePending' && k.status === 'True'));
  for (const claim of pending) {
    const { namespace, name } = claim.metadata;
    const used = store
      .list('pods', namespace)
      .some((p) => p.status?.phase === 'Running' && claimsOf(store, p).some((c) => c?.metadata.name === name));
    const volume = store.find('persistentvolumes', undefined, String(claim.spec?.volumeName ?? ''));
    if (!used || !volume) continue;
    store.amend('persistentvolumeclaims', claim, (copy) => {
      const conditions = copy.status?.conditions?.filter((k) => k.type !== 'FileSystemResizePending');
      copy.status = { ...copy.status, capacity: volume.spec?.capacity, conditions };
    });
  }
}

/** Deletes what an owner that is gone leaves behind, and finishes deletions that wait for their dependents. */
function collectGarbage(store: Store, gone: Set<string>): void {
  if (gone.size === 0) return;
  const owners = new Set(gone);
  gone.clear();
  for (const { plural, object } of store.all()) {
    const references = object.metadata.ownerReferences ?? [];
    const others = references.filter((r) => !owners.has(r.uid));
    if (others.length === references.length) continue;
    if (others.length > 0)
      store.amend(plural, object, (copy) => {
        copy.metadata.ownerReferences = others;
      });
    else store.delete(plural, object.metadata.namespace, object.metadata.name);
  }
}

/** Objects being deleted in the foreground go when nothing depends on them any more. */
function finishForeground(store: Store): void {
  for (const set of store.list('statefulsets')) {
    if (!set.metadata.finalizers?.includes('foregroundDeletion')) continue;
    const left = dependentsOf(store, set.metadata.uid!);
    for (const { plural, object } of left) store.delete(plural, object.metadata.namespace, object.metadata.name);
    if (left.length === 0)
      store.amend('statefulsets', set, (copy) => {
        copy.metadata.finalizers = copy.metadata.finalizers?.filter((f) => f !== 'foregroundDeletion');
      });
  }
}

/** Empties namespaces that are being deleted; the namespace itself goes last. */
function emptyNamespaces(store: Store): void {
  for (const namespace of store.list('namespaces')) {
    if (!namespace.metadata.deletionTimestamp) continue;
    const { name } = namespace.metadata;
    const left = store.all().filter(({ object }) => object.metadata.namespace === name);
    for (const { plural, object } of left)
      if (!object.metadata.deletionTimestamp && store.find(plural, name, object.metadata.name))
        store.delete(plural, name, object.metadata.name);
    if (left.length === 0) store.purge('namespaces', structuredClone(namespace));
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
  const gone = new Set<string>();
  const turn = () => {
    scheduled = false;
    if (stopped) return;
    collectGarbage(store, gone);
    finishForeground(store);
    emptyNamespaces(store);
    bindVolumes(store);
    releaseProtected(store);
    growStatefulSets(store);
    schedulePods(store);
    growFileSystems(store);
    countQuotas(store);
  };
  const wake = (event?: WatchEvent) => {
    if (event?.type === 'DELETED' && event.object.metadata.uid) gone.add(event.object.metadata.uid);
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
