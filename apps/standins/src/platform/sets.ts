import { createHash } from 'node:crypto';
import { withTolerations } from './fit';
import { endPod } from './node-life';
import type { KubeObject, Store } from './store';

const revisionLabel = 'controller-revision-hash';
const ordinalOf = (set: KubeObject, pod: KubeObject): number =>
  Number(pod.metadata.name.slice(set.metadata.name.length + 1));
const isUp = (pod: KubeObject): boolean =>
  !pod.metadata.deletionTimestamp &&
  (pod.status?.conditions ?? []).some((c) => c.type === 'Ready' && c.status === 'True');

/** The name of what a set's template is now. */
const revisionOf = (set: KubeObject): string =>
  `${set.metadata.name}-${createHash('sha256')
    .update(JSON.stringify(set.spec?.template ?? {}))
    .digest('hex')
    .slice(0, 10)}`;

interface Strategy {
  readonly type?: string;
  readonly rollingUpdate?: { readonly partition?: number };
}

/** Makes, changes and ends the pods of stateful sets, and makes their claims. */
export function carrySets(store: Store): void {
  for (const set of store.list('statefulsets')) {
    const own = store
      .list('pods', set.metadata.namespace)
      .filter((p) => p.metadata.ownerReferences?.some((r) => r.uid === set.metadata.uid));
    if (!set.metadata.deletionTimestamp) {
      settleClaims(store, set);
      const acted = shrink(store, set, own) || grow(store, set, own) || update(store, set, own);
      if (acted) continue;
    }
    tell(store, set);
  }
}

const replicasOf = (set: KubeObject): number => (set.spec?.replicas as number | undefined) ?? 1;
const isParallel = (set: KubeObject): boolean => set.spec?.podManagementPolicy === 'Parallel';

function makeClaims(store: Store, set: KubeObject, podName: string): void {
  const { namespace } = set.metadata;
  for (const template of set.spec?.volumeClaimTemplates ?? []) {
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
}

function makePod(store: Store, set: KubeObject, ordinal: number): void {
  const { namespace, name, uid } = set.metadata;
  const podName = `${name}-${ordinal}`;
  makeClaims(store, set, podName);
  const spec = structuredClone(set.spec?.template?.spec ?? {});
  spec.tolerations = withTolerations(store, spec.tolerations);
  const templates = set.spec?.volumeClaimTemplates ?? [];
  const own = new Set(templates.map((t) => t.metadata.name));
  const volumes = ((spec.volumes ?? []) as { name?: string }[]).filter((v) => !own.has(v.name ?? ''));
  store.create('pods', {
    metadata: {
      name: podName,
      namespace,
      labels: {
        ...(set.spec?.template?.metadata?.labels as Record<string, string>),
        'apps.kubernetes.io/pod-index': String(ordinal),
        'statefulset.kubernetes.io/pod-name': podName,
        [revisionLabel]: revisionOf(set),
      },
      ownerReferences: [{ apiVersion: 'apps/v1', kind: 'StatefulSet', name, uid: uid!, controller: true }],
    },
    spec: {
      ...spec,
      volumes: [
        ...volumes,
        ...templates.map((t) => ({
          name: t.metadata.name,
          persistentVolumeClaim: { claimName: `${t.metadata.name}-${podName}` },
        })),
      ],
    },
    status: { phase: 'Pending' },
  });
}

/** Makes pods that are missing, one after the other unless the set says Parallel; true when one was made. */
function grow(store: Store, set: KubeObject, own: readonly KubeObject[]): boolean {
  let made = false;
  for (let i = 0; i < replicasOf(set); i++) {
    const pod = own.find((p) => ordinalOf(set, p) === i);
    if (pod) {
      if (!isParallel(set) && !isUp(pod)) return made;
      continue;
    }
    makePod(store, set, i);
    made = true;
    if (!isParallel(set)) return true;
  }
  return made;
}

/** Ends pods beyond the replicas, the last first: one after the other, and only while all are up, unless the set says Parallel. */
function shrink(store: Store, set: KubeObject, own: readonly KubeObject[]): boolean {
  const beyond = own
    .filter((p) => ordinalOf(set, p) >= replicasOf(set))
    .sort((a, b) => ordinalOf(set, b) - ordinalOf(set, a));
  if (beyond.length === 0) return false;
  if (isParallel(set)) {
    for (const pod of beyond) if (!pod.metadata.deletionTimestamp) endPod(store, pod);
    return true;
  }
  const [last] = beyond;
  const others = own.filter((p) => p !== last);
  if (!last!.metadata.deletionTimestamp && others.every(isUp)) endPod(store, last!);
  return true;
}

/** Replaces pods of an older template, the last first and each once all others are up. */
function update(store: Store, set: KubeObject, own: readonly KubeObject[]): boolean {
  const { type = 'RollingUpdate', rollingUpdate } = (set.spec?.updateStrategy ?? {}) as Strategy;
  if (type !== 'RollingUpdate') return false;
  const now = revisionOf(set);
  const old = own
    .filter((p) => p.metadata.labels?.[revisionLabel] !== now && ordinalOf(set, p) >= (rollingUpdate?.partition ?? 0))
    .sort((a, b) => ordinalOf(set, b) - ordinalOf(set, a));
  const [next] = old;
  if (!next) return false;
  // one that is not up anyway is replaced without waiting for it
  if (own.some((p) => p !== next && !isUp(p)) || next.metadata.deletionTimestamp) return false;
  endPod(store, next);
  return true;
}

interface Retention {
  readonly whenDeleted?: string;
  readonly whenScaled?: string;
}

/** Claims of a set belong to it, or to their pod that is to go, as its retention says: then they go with it. */
function settleClaims(store: Store, set: KubeObject): void {
  const { namespace, name, uid } = set.metadata;
  const { whenDeleted = 'Retain', whenScaled = 'Retain' } = (set.spec?.persistentVolumeClaimRetentionPolicy ??
    {}) as Retention;
  const owner = { apiVersion: 'apps/v1', kind: 'StatefulSet', name, uid: uid!, controller: true };
  for (const template of set.spec?.volumeClaimTemplates ?? []) {
    const stem = `${template.metadata.name}-${name}-`;
    for (const claim of store.list('persistentvolumeclaims', namespace)) {
      const ordinal = claim.metadata.name.slice(stem.length);
      if (!claim.metadata.name.startsWith(stem) || !/^\d+$/.test(ordinal)) continue;
      const pod = store.find('pods', namespace, `${name}-${ordinal}`);
      const goes = Number(ordinal) >= replicasOf(set);
      const others = (claim.metadata.ownerReferences ?? []).filter((r) => r.uid !== uid && r.uid !== pod?.metadata.uid);
      const references = [
        ...others,
        ...(whenDeleted === 'Delete' && !(goes && whenScaled === 'Delete') ? [owner] : []),
        ...(goes && whenScaled === 'Delete' && pod
          ? [{ apiVersion: 'v1', kind: 'Pod', name: pod.metadata.name, uid: pod.metadata.uid! }]
          : []),
      ];
      if (JSON.stringify(references) === JSON.stringify(claim.metadata.ownerReferences ?? [])) continue;
      store.amend('persistentvolumeclaims', claim, (copy) => {
        copy.metadata.ownerReferences = references;
      });
    }
  }
}

/** What a set says of itself. */
function tell(store: Store, set: KubeObject): void {
  const own = store
    .list('pods', set.metadata.namespace)
    .filter((p) => p.metadata.ownerReferences?.some((r) => r.uid === set.metadata.uid));
  const ready = own.filter(isUp).length;
  const updateRevision = revisionOf(set);
  const updated = own.filter((p) => p.metadata.labels?.[revisionLabel] === updateRevision).length;
  const isWhole = updated === own.length && own.length === replicasOf(set);
  const before = set.status ?? {};
  const status = {
    ...before,
    ...{
      replicas: own.length,
      readyReplicas: ready,
      availableReplicas: ready,
      updatedReplicas: updated,
      updateRevision,
    },
    currentRevision: isWhole ? updateRevision : (before.currentRevision ?? updateRevision),
    observedGeneration: set.metadata.generation,
  };
  if (JSON.stringify(status) !== JSON.stringify(before))
    store.amend('statefulsets', set, (copy) => {
      copy.status = status;
    });
}
