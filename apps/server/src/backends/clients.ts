import type { ClientAt } from '@moorage/contract/registration';
import { inRange, singleAddressMask } from '@moorage/core/nodes/readiness';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { record } from '../logbook/logbook';
import { Refusal } from '../refusals/refusal';
import type { BackendConnector } from '../swordfish/connector';
import { registered } from './backend-model';
import type { Backends } from './backends';
import { nodesAt, usersThere } from './clients.sql';

async function assertRegistered(database: Database, id: string): Promise<void> {
  if ((await registered.in(database).count({ where: { id } })) === 0) throw Refusal.notFound('backend', id);
}

/** Name of the platform's node that has an address. */
const nodeAt = async (database: Database, address: string): Promise<string | undefined> =>
  (await first(nodesAt(database, address)))?.name;

/** The ranges as the backend tells them now: what was read a moment ago may not hold any more. */
async function rangesOf(connector: BackendConnector, id: string) {
  const ranges = await connector.fetchClients();
  if (!ranges)
    throw new Refusal(
      'conflict',
      'no-ranges',
      'It keeps no list',
      `${id} says nothing of addresses that may mount its exports, so none was added: the first entry could shut out all others.`,
    );
  return ranges;
}

/** Lets the address of a node mount what a backend exports. One that may already is left as it is. */
export async function allowClient(database: Database, backends: Backends, at: ClientAt, person: string): Promise<void> {
  const { id, address } = at;
  await assertRegistered(database, id);
  const node = await nodeAt(database, address);
  if (node === undefined)
    throw Refusal.invalid('address', `No node of the platform has the address ${address}. Only nodes are let in here.`);
  const connector = await backends.connector(id);
  const ranges = await rangesOf(connector, id);
  if (!ranges.some((r) => inRange(address, r))) {
    await connector.ensureClient(address);
    const after = { client: `${address}/32`, node };
    await record(database, { person, action: 'change', kind: 'backend', subject: id, after });
  }
  await backends.sync(id);
}

/** Takes one address away again, unless a pod on its node uses what is there. */
export async function disallowClient(
  database: Database,
  backends: Backends,
  at: ClientAt,
  person: string,
): Promise<void> {
  const { id, address } = at;
  await assertRegistered(database, id);
  const connector = await backends.connector(id);
  const ranges = await rangesOf(connector, id);
  const others = ranges.filter((r) => !(r.address === address && r.mask === singleAddressMask));
  if (others.length < ranges.length) {
    if (others.length === 0)
      throw new Refusal(
        'conflict',
        'only-range',
        'It is the only entry',
        `${address} is the only address that may mount what ${id} exports. Without any entry the backend may let everybody in, or nobody; add another one first.`,
      );
    if (!others.some((r) => inRange(address, r))) await assertUnused(database, id, address);
    await connector.ensureClientGone(address);
    const before = { client: `${address}/32` };
    await record(database, { person, action: 'change', kind: 'backend', subject: id, before });
  }
  await backends.sync(id);
}

async function assertUnused(database: Database, id: string, address: string): Promise<void> {
  const node = await nodeAt(database, address);
  if (node === undefined) return;
  const user = await first(usersThere(database, node, id));
  if (user)
    throw new Refusal(
      'conflict',
      'in-use',
      'A pod uses it',
      `The pod ${user.pod} on ${node} uses its claim ${user.claim} on ${id}, and would lose its data's way. Move it to another node first.`,
    );
}
