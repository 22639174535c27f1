import { attachVolumes } from './attach';
import { bindVolumes } from './binding';
import { countBudgets } from './disruption';
import { claimsOf } from './fit';
import { endPod, NodeLife } from './node-life';
import type { DataPath } from './data-path';
import { Later, type Pace } from './pace';
import { Processes } from './processes';
import { countQuotas } from './quota';
import { schedulePods } from './scheduler';
import { carrySets } from './sets';
import type { KubeObject, Store, WatchEvent } from './store';
import { dependentsOf } from './writes';

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
    else end(store, plural, object);
  }
}

const end = (store: Store, plural: string, object: KubeObject): void => {
  if (plural === 'pods') endPod(store, object);
  else store.delete(plural, object.metadata.namespace, object.metadata.name);
};

/** Objects being deleted in the foreground go when nothing depends on them any more. */
function finishForeground(store: Store): void {
  for (const set of store.list('statefulsets')) {
    if (!set.metadata.finalizers?.includes('foregroundDeletion')) continue;
    const left = dependentsOf(store, set.metadata.uid!);
    for (const { plural, object } of left) end(store, plural, object);
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
        end(store, plural, object);
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

export interface Controllers {
  /** A machine goes off, or comes back. */
  setNode(name: string, up: boolean): void;
  /** What runs in pods. */
  readonly processes: Processes;
  stop(): void;
}

/** Runs the controllers after every change until nothing changes any more. */
export function runControllers(
  store: Store,
  pace: Pace,
  paths: ReadonlyMap<string, DataPath> = new Map<string, DataPath>(),
): Controllers {
  store.tolerationSeconds = Math.ceil(pace.evictMs / 1000);
  let scheduled = false;
  let stopped = false;
  const gone = new Set<string>();
  const later = new Later();
  const turn = () => {
    scheduled = false;
    if (stopped) return;
    collectGarbage(store, gone);
    finishForeground(store);
    emptyNamespaces(store);
    bindVolumes(store);
    releaseProtected(store);
    carrySets(store);
    schedulePods(store);
    attachVolumes(store, later, pace);
    nodes.turn();
    countBudgets(store);
    growFileSystems(store);
    countQuotas(store);
  };
  const wake = (event?: WatchEvent) => {
    if (event?.type === 'DELETED' && event.object.metadata.uid) {
      gone.add(event.object.metadata.uid);
      processes.forget(event.object.metadata.uid);
    }
    if (scheduled) return;
    scheduled = true;
    setImmediate(turn);
  };
  const processes = new Processes(store, later, pace, paths, wake);
  const nodes = new NodeLife(store, later, pace, processes, wake);
  store.changes.on('change', wake);
  wake();
  return {
    setNode: (name, up) => nodes.setNode(name, up),
    processes,
    stop: () => {
      stopped = true;
      later.stop();
      store.changes.off('change', wake);
    },
  };
}
