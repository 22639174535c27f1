import type { Journal } from '../journal';
import { missing, notFound, RedfishError } from './errors';
import type { ClientRange } from './seed';

const isAddress = (text: unknown): text is string =>
  typeof text === 'string' && /^\d{1,3}(\.\d{1,3}){3}$/.test(text) && text.split('.').every((p) => Number(p) <= 255);

/** An entry of the list as one sends it. */
export interface NewClient {
  readonly EndpointProtocol?: string;
  readonly ConnectedEntities?: readonly { readonly EntityRole?: string }[];
  readonly IPTransportDetails?: readonly {
    readonly IPv4Address?: { readonly Address?: unknown; readonly SubnetMask?: unknown };
  }[];
}

/** Who may mount what the box exports, by id; journalled. */
export class Clients {
  readonly ranges = new Map<string, ClientRange>();

  constructor(
    seed: readonly ClientRange[],
    private readonly journal: Journal,
  ) {
    seed.forEach((range, i) => this.ranges.set(`clients-${i + 1}`, range));
  }

  /** As the journal tells: null for one that was taken away. */
  recall(id: string, range: ClientRange | null): void {
    if (range) this.ranges.set(id, range);
    else this.ranges.delete(id);
  }

  add(asked: NewClient): string {
    const { Address: address, SubnetMask: mask } = asked.IPTransportDetails?.[0]?.IPv4Address ?? {};
    if (!asked.EndpointProtocol) throw missing('EndpointProtocol');
    if (asked.ConnectedEntities?.[0]?.EntityRole !== 'Initiator') throw missing('ConnectedEntities');
    if (!isAddress(address)) throw missing('IPTransportDetails/0/IPv4Address/Address');
    if (!isAddress(mask)) throw missing('IPTransportDetails/0/IPv4Address/SubnetMask');
    if ([...this.ranges.values()].some((r) => r.address === address && r.mask === mask))
      throw new RedfishError(
        409,
        'ResourceAlreadyExists',
        `The requested resource of type Endpoint with the property IPv4Address with the value '${address}' already exists.`,
      );
    const numbers = [...this.ranges.keys()].map((id) => Number(id.slice('clients-'.length)));
    const id = `clients-${Math.max(0, ...numbers) + 1}`;
    this.ranges.set(id, { address, mask });
    this.journal.put(`client/${id}`, { address, mask });
    return id;
  }

  remove(id: string): void {
    if (!this.ranges.delete(id)) throw notFound('Endpoint', id);
    this.journal.put(`client/${id}`, null);
  }
}
