/** How volumes are reached, in the trade's words. */
export const protocols = ['iSCSI', 'Fibre Channel', 'NVMe/TCP', 'NFS'] as const;
export type Protocol = (typeof protocols)[number];

const byName: readonly (readonly [RegExp, Protocol])[] = [
  [/^iSCSI$/i, 'iSCSI'],
  [/^(FC|FCP|FibreChannel)$/i, 'Fibre Channel'],
  [/^NVMe(OverFabrics|overTCP|\/TCP)?$/i, 'NVMe/TCP'],
  [/^NFS(v[34](\.\d)?)?$/i, 'NFS'],
];

/** A protocol by the name that a backend's standard gives it; undefined for one that no class can ask for. */
export const protocolOf = (name: string): Protocol | undefined => byName.find(([pattern]) => pattern.test(name))?.[1];
