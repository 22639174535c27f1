import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Journal } from '../journal';
import { Clients, type NewClient } from './clients';
import { RedfishError } from './errors';

const seed = [
  { address: '10.40.8.0', mask: '255.255.255.192' },
  { address: '10.40.9.0', mask: '255.255.255.192' },
];
const entry = (address: unknown, mask: unknown = '255.255.255.255', part: object = {}): NewClient => ({
  EndpointProtocol: 'NFSv4',
  ConnectedEntities: [{ EntityRole: 'Initiator' }],
  IPTransportDetails: [{ IPv4Address: { Address: address, SubnetMask: mask } }],
  ...part,
});
const refusal = (act: () => unknown): string => {
  try {
    act();
  } catch (error) {
    if (error instanceof RedfishError) return `${error.status} ${error.messageId} ${error.message}`;
    throw error;
  }
  return 'done';
};

test('entries are added and taken away, and a restart finds both', () => {
  const file = join(mkdtempSync(join(tmpdir(), 'clients-')), 'journal');
  const clients = new Clients(seed, new Journal(file));
  const added = clients.add(entry('10.40.10.33'));
  clients.remove('clients-1');
  expect(refusal(() => clients.remove('clients-1'))).toMatch(/^404 ResourceNotFound/);

  const again = new Clients(seed, new Journal(file));
  for (const [key, value] of new Journal(file).load())
    again.recall(key.slice('client/'.length), value as (typeof seed)[0] | null);
  expect([...again.ranges]).toEqual([
    ['clients-2', seed[1]],
    [added, { address: '10.40.10.33', mask: '255.255.255.255' }],
  ]);
  // an id that was in use is not given again while its entry stands
  expect(again.add(entry('10.40.10.34'))).not.toBe(added);
});

test('an entry twice, one that is no address, and one without its members are refused', () => {
  const clients = new Clients(seed, new Journal());
  expect(refusal(() => clients.add(entry('10.40.8.0', '255.255.255.192')))).toMatch(/^409 ResourceAlreadyExists/);
  for (const [sent, member] of [
    [entry('10.40.8.256'), /IPv4Address\/Address/],
    [entry(7), /IPv4Address\/Address/],
    [entry('10.40.8.9', '/32'), /SubnetMask/],
    [entry('10.40.8.9', undefined, { EndpointProtocol: undefined }), /EndpointProtocol/],
    [entry('10.40.8.9', undefined, { ConnectedEntities: [{ EntityRole: 'Target' }] }), /ConnectedEntities/],
    [{}, /EndpointProtocol/],
  ] as const)
    expect(refusal(() => clients.add(sent))).toMatch(member);
  expect(clients.ranges.size).toBe(2);
});
