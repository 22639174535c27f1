import { bindVolumes } from './binding';
import { countQuotas } from './quota';
import { claimsOf, schedulePods } from './scheduler';
import type { KubeObject, Store, WatchEvent } from './store';
import { dependentsOf } from './writes';

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
