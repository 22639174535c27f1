import type { SalvageRow } from '@moorage/contract/salvage';
import { provisioner } from '@moorage/core/classes/manifest';
import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { bytes } from '@moorage/core/sizes/bytes';
import { formatQuantity } from '@moorage/core/sizes/quantity';
import { stringify } from 'yaml';

/** How volumes of a backend are offered to claims. */
export interface Offered {
  /** Empty: of no class. */
  readonly className: string;
  readonly mode: AccessMode;
  readonly volumeMode: VolumeMode;
  /** For one claim alone, where it is one volume. */
  readonly reservedFor?: { readonly namespace: string; readonly name: string };
}

/** A backend's own identifier in the form of a name: a persistent volume's name is a label. */
export const volumeNameOf = ({ volumeName, volumeId }: Pick<SalvageRow, 'volumeName' | 'volumeId'>): string => {
  const readable = volumeName.toLowerCase().replace(/[^a-z0-9]+/g, '-');
  const short = volumeId.toLowerCase().replace(/[^a-z0-9]+/g, '');
  return `${readable}-${short.slice(0, 8)}`.replace(/^-+|-+$/g, '').slice(0, 63);
};

/** Persistent volumes for what a backend has already, each kept whatever becomes of its claim. */
export const volumesText = (
  rows: readonly Pick<SalvageRow, 'id' | 'volumeName' | 'volumeId' | 'bytes'>[],
  { className, mode, volumeMode, reservedFor }: Offered,
): string =>
  rows
    .map((row) =>
      stringify({
        apiVersion: 'v1',
        kind: 'PersistentVolume',
        metadata: { name: volumeNameOf(row) },
        spec: {
          capacity: { storage: formatQuantity(bytes(row.bytes)) },
          accessModes: [mode],
          volumeMode,
          storageClassName: className,
          persistentVolumeReclaimPolicy: 'Retain',
          ...(reservedFor && {
            claimRef: { apiVersion: 'v1', kind: 'PersistentVolumeClaim', ...reservedFor },
          }),
          csi: { driver: provisioner, volumeHandle: row.id },
        },
      }),
    )
    .join('---\n');
