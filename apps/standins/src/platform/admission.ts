import { isDeepStrictEqual } from 'node:util';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { withTolerations } from './fit';
import { admitByQuota } from './quota';
import { resourceOf } from './resources';
import { forbidden as refused, invalid, type StatusCause } from './status';
import type { KubeObject, Store } from './store';

const namePattern = /^[a-z0-9]([-a-z0-9]*[a-z0-9])?(\.[a-z0-9]([-a-z0-9]*[a-z0-9])?)*$/;
const modes = ['ReadWriteOnce', 'ReadOnlyMany', 'ReadWriteMany', 'ReadWriteOncePod'];

export const defaultClassAnnotation = 'storageclass.kubernetes.io/is-default-class';
const wrong = (field: string, message: string, reason = 'FieldValueInvalid'): StatusCause => ({
  field,
  message,
  reason,
});
const forbidden = (field: string, message: string) => wrong(field, `Forbidden: ${message}`, 'FieldValueForbidden');

function claimCauses(claim: KubeObject): StatusCause[] {
  const causes: StatusCause[] = [];
  const accessModes = (claim.spec?.accessModes ?? []) as string[];
  if (accessModes.length === 0)
    causes.push(wrong('spec.accessModes', 'Required value: at least 1 access mode is required', 'FieldValueRequired'));
  for (const mode of accessModes)
    if (!modes.includes(mode))
      causes.push(wrong('spec.accessModes', `Unsupported value: "${mode}"`, 'FieldValueNotSupported'));
  const storage = claim.spec?.resources?.requests?.storage as string | undefined;
  const size = storage === undefined ? undefined : parseQuantity(String(storage));
  if (!size) causes.push(wrong('spec.resources[storage]', 'Required value', 'FieldValueRequired'));
  else if (!size.ok || size.bytes === 0)
    causes.push(wrong('spec.resources.requests.storage', `Invalid value: "${storage}": must be a positive quantity`));
  return causes;
}

/** Members that the object storage resources must have, with what they may be. */
const objectStorage: Record<string, readonly (readonly [path: string, choices?: readonly string[]])[]> = {
  bucketclasses: [['driverName'], ['deletionPolicy', ['Retain', 'Delete']]],
  bucketaccessclasses: [['driverName'], ['authenticationType', ['Key', 'IAM']]],
  bucketclaims: [['spec.protocols']],
  bucketaccesses: [['spec.bucketClaimName'], ['spec.bucketAccessClassName'], ['spec.credentialsSecretName']],
  buckets: [['spec.driverName'], ['spec.bucketClaim'], ['spec.deletionPolicy', ['Retain', 'Delete']]],
};

function objectStorageCauses(plural: string, body: KubeObject): StatusCause[] {
  const at = (path: string) =>
    path.split('.').reduce<unknown>((value, part) => (value as Record<string, unknown> | undefined)?.[part], body);
  return (objectStorage[plural] ?? []).flatMap(([path, choices]) => {
    const value = at(path);
    if (value === undefined || value === '') return [wrong(path, 'Required value', 'FieldValueRequired')];
    return choices && !choices.includes(String(value))
      ? [wrong(path, `Unsupported value: "${String(value)}"`, 'FieldValueNotSupported')]
      : [];
  });
}

/** What the platform checks and fills in when an object is made. */
export function admitCreate(store: Store, plural: string, body: KubeObject): void {
  const { name } = body.metadata;
  const causes: StatusCause[] = [];
  if (!namePattern.test(name) || name.length > 253)
    causes.push(wrong('metadata.name', `Invalid value: "${name}": a lowercase RFC 1123 subdomain is required`));
  if (plural === 'persistentvolumeclaims') {
    causes.push(...claimCauses(body));
    if (causes.length === 0) {
      if (body.spec?.storageClassName === undefined) {
        const preset = store
          .list('storageclasses')
          .filter((c) => c.metadata.annotations?.[defaultClassAnnotation] === 'true')
          .sort((a, b) => (b.metadata.creationTimestamp ?? '').localeCompare(a.metadata.creationTimestamp ?? ''))[0];
        if (preset) body.spec!.storageClassName = preset.metadata.name;
      }
      body.spec!.volumeMode ??= 'Filesystem';
      body.metadata.finalizers = [...new Set([...(body.metadata.finalizers ?? []), 'kubernetes.io/pvc-protection'])];
      body.status = { phase: 'Pending' };
    }
  }
  if (plural === 'persistentvolumes') {
    if (!body.spec?.capacity?.storage) causes.push(wrong('spec.capacity', 'Required value', 'FieldValueRequired'));
    if (!body.spec?.accessModes?.length) causes.push(wrong('spec.accessModes', 'Required value', 'FieldValueRequired'));
    if (causes.length === 0) {
      body.spec!.persistentVolumeReclaimPolicy ??= 'Retain';
      body.spec!.volumeMode ??= 'Filesystem';
      body.metadata.finalizers = [...new Set([...(body.metadata.finalizers ?? []), 'kubernetes.io/pv-protection'])];
      body.status = { phase: body.spec?.claimRef ? 'Pending' : 'Available' };
    }
  }
  if (plural === 'pods' && body.spec) body.spec.tolerations = withTolerations(store, body.spec.tolerations);
  if (plural === 'storageclasses') {
    if (!body.provisioner) causes.push(wrong('provisioner', 'Required value', 'FieldValueRequired'));
    body.reclaimPolicy ??= 'Delete';
    body.volumeBindingMode ??= 'Immediate';
  }
  if (plural === 'statefulsets') {
    const wanted = (body.spec?.selector as { matchLabels?: Record<string, string> } | undefined)?.matchLabels ?? {};
    const labels = (body.spec?.template?.metadata?.labels ?? {}) as Record<string, string>;
    if (Object.entries(wanted).some(([key, value]) => labels[key] !== value))
      causes.push(
        wrong(
          'spec.template.metadata.labels',
          `Invalid value: ${JSON.stringify(labels)}: \`selector\` does not match template \`labels\``,
        ),
      );
  }
  causes.push(...objectStorageCauses(plural, body));
  if (causes.length > 0) throw invalid(resourceOf(plural).kind, name, causes);
  if (plural === 'persistentvolumeclaims') admitByQuota(store, body);
}

const bytesOf = (claim: KubeObject): number => {
  const size = parseQuantity(String(claim.spec?.resources?.requests?.storage ?? ''));
  return size.ok ? size.bytes : 0;
};

/** A bound claim does not shrink, and grows only where its class lets it. */
function growthCauses(store: Store, before: KubeObject, after: KubeObject): StatusCause[] {
  const [was, asked] = [bytesOf(before), bytesOf(after)];
  if (asked < was) return [forbidden('spec.resources.requests.storage', 'field can not be less than previous value')];
  const cls = store.find('storageclasses', undefined, String(after.spec?.storageClassName ?? ''));
  if (asked > was && cls?.allowVolumeExpansion !== true)
    throw refused(
      resourceOf('persistentvolumeclaims'),
      after.metadata.name,
      'only dynamically provisioned pvc can be resized and the storageclass that provisions the pvc must support resize',
    );
  return [];
}

/** What may not change once an object is made. */
export function admitUpdate(store: Store, plural: string, before: KubeObject, after: KubeObject): void {
  // the order of members says nothing, nor does a member that is left undefined
  const plain = (v: unknown): unknown => JSON.parse(JSON.stringify(v ?? null));
  const same = (a: unknown, b: unknown) => isDeepStrictEqual(plain(a), plain(b));
  const causes: StatusCause[] = [];
  if (plural === 'storageclasses')
    for (const field of ['provisioner', 'parameters', 'reclaimPolicy', 'volumeBindingMode'])
      if (!same(before[field], after[field])) causes.push(forbidden(field, `updates to ${field} are forbidden.`));
  if (plural === 'persistentvolumeclaims') {
    causes.push(...claimCauses(after));
    const isBound = Boolean(before.spec?.volumeName);
    // who binds writes the volume's name once; a bound claim may grow
    const fixed = (o: KubeObject) => ({
      ...o.spec,
      ...(isBound ? { resources: { ...o.spec?.resources, requests: undefined } } : { volumeName: undefined }),
    });
    if (!same(fixed(before), fixed(after)))
      causes.push(forbidden('spec', 'spec is immutable after creation except resources.requests for bound claims'));
    else if (isBound && causes.length === 0) causes.push(...growthCauses(store, before, after));
    if (causes.length === 0) admitByQuota(store, after, before);
  }
  if (plural === 'persistentvolumes') {
    const source = ({ spec }: KubeObject) => {
      const { csi, hostPath, local, nfs, iscsi, fc } = spec as Record<string, unknown>;
      return { csi, hostPath, local, nfs, iscsi, fc };
    };
    if (!same(source(before), source(after)))
      causes.push(forbidden('spec.persistentvolumesource', 'spec.persistentvolumesource is immutable after creation'));
    if (!same(before.spec?.volumeMode, after.spec?.volumeMode))
      causes.push(wrong('spec.volumeMode', `Invalid value: "${after.spec?.volumeMode}": field is immutable`));
    if (before.spec?.nodeAffinity && !same(before.spec?.nodeAffinity, after.spec?.nodeAffinity))
      causes.push(
        wrong('spec.nodeAffinity', 'Invalid value: field is immutable, except for updating from beta label to GA'),
      );
  }
  if (plural === 'statefulsets') {
    const loose = new Set([
      ...['replicas', 'template', 'updateStrategy', 'persistentVolumeClaimRetentionPolicy'],
      ...['minReadySeconds', 'ordinals'],
    ]);
    const fixed = (o: KubeObject) =>
      Object.entries(o.spec as Record<string, unknown>).filter(([member]) => !loose.has(member));
    if (!same(fixed(before), fixed(after)))
      causes.push(
        forbidden(
          'spec',
          "updates to statefulset spec for fields other than 'replicas', 'ordinals', 'template', 'updateStrategy', 'persistentVolumeClaimRetentionPolicy' and 'minReadySeconds' are forbidden",
        ),
      );
  }
  if (causes.length > 0) throw invalid(resourceOf(plural).kind, before.metadata.name, causes);
}
