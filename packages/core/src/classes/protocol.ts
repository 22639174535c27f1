/** How volumes are reached, in the trade's words. */
export const protocols = ['iSCSI', 'Fibre Channel', 'NVMe/TCP', 'NFS'] as const;
export type VolumeProtocol = (typeof protocols)[number];
/** The same, and how objects are: what is spoken over HTTP there. */
export type Protocol = VolumeProtocol | 'S3';

const byName: readonly (readonly [RegExp, Protocol])[] = [
  [/^iSCSI$/i, 'iSCSI'],
  [/^(FC|FCP|FibreChannel)$/i, 'Fibre Channel'],
  [/^NVMe(OverFabrics|overTCP|\/TCP)?$/i, 'NVMe/TCP'],
  [/^NFS(v[34](\.\d)?)?$/i, 'NFS'],
  [/^HTTPS?$/i, 'S3'],
];

/** A protocol by the name that a backend's standard gives it; undefined for one that no class can ask for. */
export const protocolOf = (name: string): Protocol | undefined => byName.find(([pattern]) => pattern.test(name))?.[1];
