import { singleAddressMask, type BackendWays } from '@moorage/core/nodes/readiness';
import type { z } from 'zod';
import { BackendProblem } from './connector';
import type { BackendHttp } from './http';
import { collectionSchema, endpointSchema, linkSchema, rootSchema, storageServiceSchema } from './schemas';
import { expand, isUp } from './links';

type Endpoint = z.infer<typeof endpointSchema>;

const rangesOf = (endpoint: Endpoint): { address: string; mask: string }[] =>
  endpoint.IPTransportDetails.flatMap(({ IPv4Address }) =>
    IPv4Address?.Address && IPv4Address.SubnetMask
      ? [{ address: IPv4Address.Address, mask: IPv4Address.SubnetMask }]
      : [],
  );

/** The ways to a backend: paths from initiators, and the addresses that may mount what it exports. */
export class SwordfishWays {
  private endpoints?: string | 'none';

  constructor(private readonly http: BackendHttp) {}

  async fetch(): Promise<Pick<BackendWays, 'paths' | 'clients'>> {
    const initiators = await this.fetchInitiators();
    const paths = initiators.flatMap((e) =>
      e.ConnectedEntities.flatMap((c) => c.Identifiers).flatMap(({ DurableName }) =>
        DurableName ? [{ initiator: DurableName, protocol: e.EndpointProtocol, up: isUp(e.Status) }] : [],
      ),
    );
    const clients = initiators.flatMap(rangesOf);
    return { paths, ...(clients.length > 0 && { clients }) };
  }

  /** Where objects are asked for, as the service tells of it. */
  async fetchObjects(): Promise<string | undefined> {
    const target = (await this.fetchAll()).find(
      (e) =>
        /^HTTPS?$/.test(e.EndpointProtocol) &&
        e.ConnectedEntities.some((c) => c.EntityRole === 'Target') &&
        e.IPTransportDetails.some((d) => d.IPv4Address?.Address),
    );
    if (!target) return undefined;
    const { IPv4Address, Port } = target.IPTransportDetails.find((d) => d.IPv4Address?.Address)!;
    return `${target.EndpointProtocol.toLowerCase()}://${IPv4Address!.Address}${Port === undefined ? '' : `:${Port}`}`;
  }

  async ensureClient(address: string): Promise<void> {
    const initiators = await this.fetchInitiators();
    if (initiators.some((e) => isOnly(e, address))) return;
    const like = initiators.find((e) => rangesOf(e).length > 0);
    if (!like || this.endpoints === undefined)
      throw new BackendProblem('refused', 'it keeps no list of addresses that may mount its exports');
    try {
      await this.http.call('allow client', 'POST', this.endpoints, {
        Name: `Address that may mount, ${address}`,
        EndpointProtocol: like.EndpointProtocol,
        ConnectedEntities: [{ EntityType: 'NetworkController', EntityRole: 'Initiator' }],
        IPTransportDetails: [
          { TransportProtocol: 'TCP', IPv4Address: { Address: address, SubnetMask: singleAddressMask } },
        ],
      });
    } catch (error) {
      // somebody else was faster, or our own earlier answer was lost
      if (!(error instanceof BackendProblem && error.code === 'exists')) throw error;
    }
  }

  async ensureClientGone(address: string): Promise<void> {
    const listed = (await this.fetchInitiators()).filter((e) => isOnly(e, address));
    for (const { '@odata.id': path } of listed)
      try {
        await this.http.call('disallow client', 'DELETE', path);
      } catch (error) {
        if (!(error instanceof BackendProblem && error.code === 'not-found')) throw error;
      }
  }

  private async fetchAll(): Promise<Endpoint[]> {
    this.endpoints ??= await this.find();
    if (this.endpoints === 'none') return [];
    return (await this.http.get(this.endpoints + expand, collectionSchema(endpointSchema))).Members;
  }

  private async fetchInitiators(): Promise<Endpoint[]> {
    return (await this.fetchAll()).filter((e) => e.ConnectedEntities.some((c) => c.EntityRole === 'Initiator'));
  }

  private async find(): Promise<string> {
    const { StorageServices } = await this.http.get('/redfish/v1', rootSchema);
    if (!StorageServices) return 'none';
    const { Members } = await this.http.get(StorageServices['@odata.id'], collectionSchema(linkSchema));
    const first = Members[0]?.['@odata.id'];
    if (!first) return 'none';
    return (await this.http.get(first, storageServiceSchema)).Endpoints?.['@odata.id'] ?? 'none';
  }
}

/** Whether an endpoint stands for this one address and nothing else. */
function isOnly(endpoint: Endpoint, address: string): boolean {
  const ranges = rangesOf(endpoint);
  return ranges.length === 1 && ranges[0]!.address === address && ranges[0]!.mask === singleAddressMask;
}
