import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import type { StaticVolume } from '@moorage/core/claims/static';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import type { PlatformObject } from '../platform/connector';

interface VolumeSpec {
  readonly storageClassName?: string;
  readonly accessModes?: AccessMode[];
  readonly volumeMode?: VolumeMode;
  readonly capacity?: { readonly storage?: string };
  readonly claimRef?: { readonly namespace: string; readonly name: string; readonly uid?: string };
}

/** A persistent volume as far as matching goes. */
export function staticVolumeOf({ metadata, spec = {}, status }: PlatformObject): StaticVolume {
  const { storageClassName = '', accessModes = [], volumeMode = 'Filesystem', capacity, claimRef } = spec as VolumeSpec;
  const size = parseQuantity(capacity?.storage ?? '');
  return {
    ...{ name: metadata.name, className: storageClassName, modes: accessModes, volumeMode },
    capacity: size.ok ? size.bytes : 0,
    labels: metadata.labels ?? {},
    createdAt: metadata.creationTimestamp ?? '',
    phase: (status?.phase as StaticVolume['phase'] | undefined) ?? 'Pending',
    ...(claimRef && { reservedFor: claimRef }),
  };
}
