import { parseQuantity } from '@moorage/core/sizes/quantity';
import { note } from './events';
import { selectedNode } from './fit';
import type { KubeObject, Store } from './store';

const sizeOf = (text: unknown): number => {
  const size = parseQuantity(String(text ?? ''));
  return size.ok ? size.bytes : 0;
};
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
  return cls?.volumeBindingMode === 'WaitForFirstConsumer' && claim.metadata.annotations?.[selectedNode] === undefined;
}

/** What the platform says of a claim that it does not bind: it waits for a pod, for its class's provisioner, or has no class. */
function sayWhyUnbound(store: Store, claim: KubeObject): void {
  const className = String(claim.spec?.storageClassName ?? '');
  if (className === '' || claim.metadata.deletionTimestamp) return;
  const cls = store.find('storageclasses', undefined, className);
  const by = 'persistentvolume-controller';
  if (!cls) {
    const message = `storageclass.storage.k8s.io "${className}" not found`;
    note(store, 'PersistentVolumeClaim', claim, { type: 'Warning', reason: 'ProvisioningFailed', message, by });
  } else if (waitsForPod(store, claim)) {
    const message = 'waiting for first consumer to be created before binding';
    note(store, 'PersistentVolumeClaim', claim, { type: 'Normal', reason: 'WaitForFirstConsumer', message, by });
  } else {
    const message = `Waiting for a volume to be created by the external provisioner '${String(cls.provisioner)}'.`;
    note(store, 'PersistentVolumeClaim', claim, { type: 'Normal', reason: 'ExternalProvisioning', message, by });
  }
}

/** Binds volumes that name their claim, claims that name their volume, and claims that a volume made beforehand fits. */
export function bindVolumes(store: Store): void {
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
    if (claim.status?.phase === 'Pending') sayWhyUnbound(store, claim);
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
