/** The resources of the platform's API that are served here. */
export interface Resource {
  readonly group: string;
  readonly version: string;
  readonly plural: string;
  readonly singular: string;
  readonly kind: string;
  readonly namespaced: boolean;
  readonly shortNames?: readonly string[];
  /** The custom resources of others have no status of their own there unless they say so; all of these do. */
  readonly scalable?: boolean;
}

const core = (kind: string, plural: string, namespaced: boolean, ...shortNames: string[]): Resource => ({
  ...(shortNames.length > 0 && { shortNames }),
  group: '',
  version: 'v1',
  plural,
  singular: kind.toLowerCase(),
  kind,
  namespaced,
});
const grouped = (
  group: string,
  kind: string,
  plural: string,
  namespaced: boolean,
  ...shortNames: string[]
): Resource => ({ ...core(kind, plural, namespaced, ...shortNames), group });

const objectStorage = (kind: string, namespaced: boolean): Resource => ({
  ...grouped('objectstorage.k8s.io', kind, `${kind.toLowerCase()}${kind.endsWith('s') ? 'es' : 's'}`, namespaced),
  version: 'v1alpha1',
});

export const resources: readonly Resource[] = [
  core('Namespace', 'namespaces', false, 'ns'),
  core('Node', 'nodes', false, 'no'),
  core('Pod', 'pods', true, 'po'),
  core('Event', 'events', true, 'ev'),
  core('Secret', 'secrets', true),
  core('ResourceQuota', 'resourcequotas', true, 'quota'),
  core('PersistentVolumeClaim', 'persistentvolumeclaims', true, 'pvc'),
  core('PersistentVolume', 'persistentvolumes', false, 'pv'),
  { ...grouped('apps', 'StatefulSet', 'statefulsets', true, 'sts'), scalable: true },
  grouped('policy', 'PodDisruptionBudget', 'poddisruptionbudgets', true, 'pdb'),
  core('Service', 'services', true, 'svc'),
  grouped('storage.k8s.io', 'StorageClass', 'storageclasses', false, 'sc'),
  grouped('storage.k8s.io', 'VolumeAttachment', 'volumeattachments', false),
  grouped('storage.k8s.io', 'CSINode', 'csinodes', false),
  grouped('storage.k8s.io', 'CSIDriver', 'csidrivers', false),
  ...['BucketClass', 'BucketAccessClass', 'Bucket'].map((kind) => objectStorage(kind, false)),
  ...['BucketClaim', 'BucketAccess'].map((kind) => objectStorage(kind, true)),
  grouped('snapshot.storage.k8s.io', 'VolumeSnapshot', 'volumesnapshots', true, 'vs'),
  grouped('snapshot.storage.k8s.io', 'VolumeSnapshotContent', 'volumesnapshotcontents', false, 'vsc'),
  grouped('snapshot.storage.k8s.io', 'VolumeSnapshotClass', 'volumesnapshotclasses', false, 'vsclass'),
];

export const apiVersion = (r: Resource): string => (r.group ? `${r.group}/${r.version}` : r.version);
export const basePath = (r: Resource): string => (r.group ? `/apis/${r.group}/${r.version}` : `/api/${r.version}`);

const byPlural = new Map(resources.map((r) => [r.plural, r]));
export const resourceOf = (plural: string): Resource => {
  const found = byPlural.get(plural);
  if (!found) throw new Error(`no resource ${plural}`);
  return found;
};
