/** The resources of the platform's API that are served here. */
export interface Resource {
  readonly group: string;
  readonly version: string;
  readonly plural: string;
  readonly singular: string;
  readonly kind: string;
  readonly namespaced: boolean;
}

const core = (kind: string, plural: string, namespaced: boolean): Resource => ({
  group: '',
  version: 'v1',
  plural,
  singular: kind.toLowerCase(),
  kind,
  namespaced,
});
const grouped = (group: string, kind: string, plural: string, namespaced: boolean): Resource => ({
  ...core(kind, plural, namespaced),
  group,
});

export const resources: readonly Resource[] = [
  core('Namespace', 'namespaces', false),
  core('Node', 'nodes', false),
  core('Pod', 'pods', true),
  core('Event', 'events', true),
  core('Secret', 'secrets', true),
  core('ResourceQuota', 'resourcequotas', true),
  core('PersistentVolumeClaim', 'persistentvolumeclaims', true),
  core('PersistentVolume', 'persistentvolumes', false),
  grouped('apps', 'StatefulSet', 'statefulsets', true),
  grouped('storage.k8s.io', 'StorageClass', 'storageclasses', false),
  grouped('storage.k8s.io', 'VolumeAttachment', 'volumeattachments', false),
  grouped('storage.k8s.io', 'CSINode', 'csinodes', false),
  grouped('storage.k8s.io', 'CSIDriver', 'csidrivers', false),
];

export const apiVersion = (r: Resource): string => (r.group ? `${r.group}/${r.version}` : r.version);
export const basePath = (r: Resource): string => (r.group ? `/apis/${r.group}/${r.version}` : `/api/${r.version}`);

const byPlural = new Map(resources.map((r) => [r.plural, r]));
export const resourceOf = (plural: string): Resource => {
  const found = byPlural.get(plural);
  if (!found) throw new Error(`no resource ${plural}`);
  return found;
};
