import { bindingModes, reclaimPolicies, strategies, type StorageClass } from './storage-class';
import type { RateTerm } from '../performance/term';
import { defaultWriteShare } from '../performance/term';

/** The name our classes carry as provisioner, and the one prefix all our parameters live under. */
export const provisioner = 'vast-moorage.example';
const prefix = `${provisioner}/`;
export const defaultClassAnnotation = 'storageclass.kubernetes.io/is-default-class';

/** A storage class as `storage.k8s.io/v1` has it, as far as we read or write it. */
export interface ClassManifest {
  readonly apiVersion: 'storage.k8s.io/v1';
  readonly kind: 'StorageClass';
  readonly metadata: { readonly name: string; readonly annotations?: Readonly<Record<string, string>> };
  readonly provisioner: string;
  readonly parameters?: Readonly<Record<string, string>>;
  readonly reclaimPolicy?: string;
  readonly volumeBindingMode?: string;
  readonly allowVolumeExpansion?: boolean;
  readonly allowedTopologies?: readonly {
    readonly matchLabelExpressions?: readonly { readonly key: string; readonly values: readonly string[] }[];
  }[];
}

export interface ManifestProblem {
  /** Path of the member, dotted. */
  readonly field: string;
  readonly problem: 'unknown-parameter' | 'bad-value';
  readonly value: string;
}

export const zoneLabel = 'topology.kubernetes.io/zone';

function writeRate(term: RateTerm): string {
  if (term.kind === 'fixed') return String(term.value);
  const bounds = [
    term.minimum !== undefined && `min ${term.minimum}`,
    term.maximum !== undefined && `max ${term.maximum}`,
  ];
  return [`${term.perGiB} per GiB`, ...bounds.filter(Boolean)].join(', ');
}

/** Reads `600` or `12 per GiB, min 600, max 15000`; undefined when it is neither. */
export function readRate(text: string): RateTerm | undefined {
  if (/^\d+$/.test(text)) return { kind: 'fixed', value: Number(text) };
  const match = /^(\d+(?:\.\d+)?) per GiB(?:, min (\d+))?(?:, max (\d+))?$/.exec(text);
  if (!match) return undefined;
  const [, perGiB, minimum, maximum] = match;
  return {
    kind: 'per-gib',
    perGiB: Number(perGiB),
    ...(minimum !== undefined && { minimum: Number(minimum) }),
    ...(maximum !== undefined && { maximum: Number(maximum) }),
  };
}

/** The manifest the platform's API accepts for a class. */
export function toManifest(cls: StorageClass, isDefault: boolean): ClassManifest {
  const parameters: Record<string, string> = { [`${prefix}copies`]: String(cls.copies) };
  if (cls.encrypted) parameters[`${prefix}encrypted`] = 'true';
  if (cls.iopsFloor) parameters[`${prefix}iops-floor`] = writeRate(cls.iopsFloor);
  if (cls.iopsCeiling) parameters[`${prefix}iops-ceiling`] = writeRate(cls.iopsCeiling);
  if (cls.writeShare !== defaultWriteShare) parameters[`${prefix}write-share`] = String(cls.writeShare);
  if (cls.strategy !== 'in-order') parameters[`${prefix}strategy`] = cls.strategy;
  if (cls.locality) parameters[`${prefix}locality`] = 'true';
  return {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name: cls.name, ...(isDefault && { annotations: { [defaultClassAnnotation]: 'true' } }) },
    provisioner,
    parameters,
    reclaimPolicy: cls.reclaim,
    volumeBindingMode: cls.binding,
    allowVolumeExpansion: cls.expansion,
    ...(cls.zones.length > 0 && {
      allowedTopologies: [{ matchLabelExpressions: [{ key: zoneLabel, values: cls.zones }] }],
    }),
  };
}

/** Reads a class back. What is wrong is listed and its default used, so that one typo never hides a whole class. */
export function fromManifest(manifest: ClassManifest): { storageClass: StorageClass; problems: ManifestProblem[] } {
  const problems: ManifestProblem[] = [];
  const left = new Map(Object.entries(manifest.parameters ?? {}).filter(([key]) => key.startsWith(prefix)));
  const take = <T>(name: string, otherwise: T, read: (text: string) => T | undefined): T => {
    const text = left.get(prefix + name);
    left.delete(prefix + name);
    if (text === undefined) return otherwise;
    const value = read(text);
    if (value === undefined) problems.push({ field: `parameters.${prefix}${name}`, problem: 'bad-value', value: text });
    return value ?? otherwise;
  };
  const oneOf = <T extends string>(values: readonly T[], field: string, text: string | undefined, otherwise: T): T => {
    if (text === undefined) return otherwise;
    if ((values as readonly string[]).includes(text)) return text as T;
    problems.push({ field, problem: 'bad-value', value: text });
    return otherwise;
  };
  const flag = (text: string) => (text === 'true' ? true : text === 'false' ? false : undefined);
  const storageClass: StorageClass = {
    name: manifest.metadata.name,
    copies: take('copies', 1, (t) => (/^[1-5]$/.test(t) ? Number(t) : undefined)),
    encrypted: take('encrypted', false, flag),
    iopsFloor: take<RateTerm | undefined>('iops-floor', undefined, readRate),
    iopsCeiling: take<RateTerm | undefined>('iops-ceiling', undefined, readRate),
    writeShare: take('write-share', defaultWriteShare, (t) =>
      Number(t) >= 0 && Number(t) <= 1 ? Number(t) : undefined,
    ),
    strategy: take('strategy', 'in-order', (t) => strategies.find((s) => s === t)),
    locality: take('locality', false, flag),
    reclaim: oneOf(reclaimPolicies, 'reclaimPolicy', manifest.reclaimPolicy, 'Delete'),
    binding: oneOf(bindingModes, 'volumeBindingMode', manifest.volumeBindingMode, 'Immediate'),
    expansion: manifest.allowVolumeExpansion ?? false,
    zones: (manifest.allowedTopologies ?? []).flatMap((t) =>
      (t.matchLabelExpressions ?? []).filter((e) => e.key === zoneLabel).flatMap((e) => e.values),
    ),
  };
  for (const [key, value] of left) problems.push({ field: `parameters.${key}`, problem: 'unknown-parameter', value });
  return { storageClass, problems };
}
