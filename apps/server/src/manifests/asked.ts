import type { PlannedManifest } from '@moorage/contract/manifests';
import type { PlannedObject } from '@moorage/core/acts/manifest-plan';
import type { Manifest } from '@moorage/core/acts/platform-step';
import { readTuned } from '@moorage/core/classes/manifest';
import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { parseQuantity } from '@moorage/core/sizes/quantity';

/** A claim that was read without a fault. */
type ClaimManifest = Manifest & {
  readonly metadata: { readonly annotations?: Record<string, string> };
  readonly spec: {
    readonly accessModes: readonly AccessMode[];
    readonly volumeMode?: VolumeMode;
    readonly storageClassName?: string;
    readonly volumeName?: string;
    readonly selector?: object;
    readonly resources: { readonly requests: { readonly storage: string } };
  };
};

/** What a new claim asks for; null of one that looks for a volume made beforehand, and of everything else. */
export function askedBy({ fate, manifest }: PlannedObject): PlannedManifest['asked'] {
  if (fate !== 'new' || manifest.kind !== 'PersistentVolumeClaim') return null;
  const { metadata, spec } = manifest as ClaimManifest;
  const { accessModes, volumeMode = 'Filesystem', storageClassName, volumeName, selector, resources } = spec;
  const size = parseQuantity(resources.requests.storage);
  // an empty name is the platform's word for a claim without a class
  if (volumeName || selector || storageClassName === '' || !size.ok) return null;
  return {
    ...{ className: storageClassName ?? null, size: size.bytes, mode: accessModes[0]!, volumeMode },
    tuned: readTuned(metadata.annotations) ?? null,
  };
}
