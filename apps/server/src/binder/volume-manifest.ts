import { fromManifest, provisioner, zoneLabel, type ClassManifest } from '@moorage/core/classes/manifest';
import { protocolOf } from '@moorage/core/classes/protocol';
import { formatQuantity } from '@moorage/core/sizes/quantity';
import type { Bytes } from '@moorage/core/sizes/bytes';
import type { PlatformObject } from '../platform/connector';

/** By which protocol a volume is reached: the first of its pool that its class asks for, or the first there is. */
export function protocolFor(offered: readonly string[], cls: ClassManifest | null): string {
  const asked = cls ? fromManifest(cls).storageClass.protocols : [];
  const isAsked = (name: string) => asked.length === 0 || asked.some((p) => p === protocolOf(name));
  return offered.find(isAsked) ?? offered[0] ?? '';
}

export interface VolumeParts {
  readonly volumeName: string;
  readonly volumeId: string;
  readonly bytes: number;
  readonly pool: string;
  readonly backend: string;
  readonly protocol: string;
  readonly className: string;
  readonly reclaim: string;
  readonly modes: readonly string[];
  readonly volumeMode: string;
  readonly zones: readonly string[];
  /** Where its files are mounted: the server, by its name where it has one, and the path there. */
  readonly share: { readonly server: string; readonly path: string } | null;
  /** One without a uid is meant by its name. */
  readonly claim: { readonly namespace: string; readonly name: string; readonly uid?: string };
}

/** The persistent volume that names its claim, so that the platform binds the two and nothing else. */
export function persistentVolume(parts: VolumeParts): PlatformObject {
  const { volumeName, volumeId, bytes, pool, backend, protocol, className, reclaim, modes, volumeMode, zones } = parts;
  const { claim, share } = parts;
  return {
    apiVersion: 'v1',
    kind: 'PersistentVolume',
    metadata: { name: volumeName, annotations: { 'pv.kubernetes.io/provisioned-by': provisioner } },
    spec: {
      capacity: { storage: formatQuantity(bytes as Bytes) },
      accessModes: modes,
      volumeMode,
      storageClassName: className,
      persistentVolumeReclaimPolicy: reclaim,
      claimRef: { apiVersion: 'v1', kind: 'PersistentVolumeClaim', ...claim },
      csi: {
        driver: provisioner,
        volumeHandle: `${backend}/${volumeId}`,
        volumeAttributes: { pool, protocol, ...share },
      },
      ...(zones.length > 0 && {
        nodeAffinity: {
          required: { nodeSelectorTerms: [{ matchExpressions: [{ key: zoneLabel, operator: 'In', values: zones }] }] },
        },
      }),
    },
  };
}
