import type { Manifest } from '../acts/platform-step';
import { prefix } from '../classes/manifest';
import type { AccessMode, VolumeMode } from '../classes/storage-class';

/** A claim as a person asks for it; the size is a quantity of the platform. */
export interface AskedClaim {
  readonly namespace: string;
  readonly name: string;
  /** Left out: the default class. */
  readonly className?: string;
  readonly size: string;
  readonly modes: readonly AccessMode[];
  readonly volumeMode: VolumeMode;
  readonly tuned?: Readonly<Record<string, number>>;
  /** In the team's own words, also shown on the backend. */
  readonly description?: string;
}

export const descriptionAnnotation = `${prefix}description`;

/** The claim as the platform takes it. */
export function claimManifest({ namespace, name, className, size, modes, volumeMode, tuned, description }: AskedClaim) {
  const annotations = {
    ...Object.fromEntries(Object.entries(tuned ?? {}).map(([k, v]) => [prefix + k, String(v)])),
    ...(description && { [descriptionAnnotation]: description }),
  };
  return {
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata: { name, namespace, ...(Object.keys(annotations).length > 0 && { annotations }) },
    spec: {
      accessModes: [...modes],
      volumeMode,
      ...(className !== undefined && { storageClassName: className }),
      resources: { requests: { storage: size.trim() } },
    },
  } satisfies Manifest & { spec: unknown };
}

/** The claims of a set's replicas, named as the platform names those of a template: the template and the set, and the ordinal. */
export const ofReplicas = (claim: AskedClaim, replicas: number): AskedClaim[] =>
  Array.from({ length: replicas }, (_, ordinal) => ({ ...claim, name: `${claim.name}-${ordinal}` }));
