import type { ServiceClass } from './resources';
import type { PoolSeed } from './seed';

export interface PoolBody {
  readonly Name?: string;
  readonly PoolType?: readonly string[];
  readonly SupportedRAIDTypes?: readonly string[];
  readonly Encrypted?: boolean;
  readonly Links?: { readonly DefaultClassOfService?: unknown };
}

const GiB = 2 ** 30;

/** A pool as asked for: its copies from the RAID types, its domains and protocols from its class of service. */
export function poolFrom(body: PoolBody, offered: ServiceClass | undefined): PoolSeed {
  const raidTypes = body.SupportedRAIDTypes ?? ['None', 'RAID1'];
  const copies = raidTypes.some((t) => t.startsWith('RAID1'));
  return {
    id: body.Name!,
    kind: copies ? 'copies' : 'shards',
    raidTypes,
    ...(!copies && { dataShards: 4, parityShards: 2 }),
    scope: offered?.scope ?? 'Server',
    protocols: offered?.protocols ?? ['NVMeOverFabrics'],
    encrypts: body.Encrypted ?? false,
    snapshots: true,
    clones: true,
    minimum: GiB,
    maximum: 16 * 1024 * GiB,
    granule: GiB,
    internal: body.PoolType?.length === 1 && body.PoolType[0] === 'Pool',
  };
}

/** Data and parity of pools, as a changed Redundancy array of the storage says. */
export function redundancyFrom(body: unknown): [string, { dataShards: number; parityShards: number }][] {
  const list = (body as { Redundancy?: { MemberId?: string; MinNumNeeded?: number; MaxNumSupported?: number }[] })
    .Redundancy;
  return (list ?? []).flatMap(({ MemberId, MinNumNeeded, MaxNumSupported }) =>
    MemberId !== undefined && MinNumNeeded !== undefined && MaxNumSupported !== undefined
      ? [
          [MemberId, { dataShards: MinNumNeeded, parityShards: MaxNumSupported - MinNumNeeded }] as [
            string,
            { dataShards: number; parityShards: number },
          ],
        ]
      : [],
  );
}
