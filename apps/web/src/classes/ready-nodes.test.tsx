import type { Readiness } from '@moorage/contract/readiness';
import { FakeServer, screen, show } from '../testing/render';
import { nodesReadyFor, ReadyNodes } from './ReadyNodes';

type Checks = Readiness['cells'][number]['checks'];
const way = (of: string, state: 'passed' | 'failed' = 'passed'): Checks[number] => ({
  ...{ check: 'initiator', state, need: of, have: 'iqn.x', of },
});
const data: Readiness = {
  nodes: ['quay-01', 'quay-02', 'quay-03'].map((name) => ({ name, zone: '', addresses: [] })),
  backends: [],
  cells: [
    { node: 'quay-01', backend: 'kelp', state: 'ready', checks: [way('NVMeOverFabrics'), way('iSCSI')] },
    { node: 'quay-02', backend: 'kelp', state: 'weak', checks: [way('NVMeOverFabrics', 'failed'), way('iSCSI')] },
    {
      ...{ node: 'quay-03', backend: 'kelp', state: 'unready' },
      checks: [way('iSCSI'), { check: 'paths', state: 'failed', need: 2, have: 0, of: 'iSCSI' }],
    },
    {
      ...{ node: 'quay-03', backend: 'gneiss', state: 'ready' },
      checks: [{ check: 'export', state: 'passed', need: '10.0.0.3', have: '10.0.0.3' }],
    },
  ],
};

test.each([
  [['NVMe/TCP'] as const, ['quay-02', 'quay-03']],
  [['iSCSI'] as const, ['quay-03']],
  [['NFS'] as const, ['quay-01', 'quay-02']],
  [['NVMe/TCP', 'NFS'] as const, ['quay-02']],
  [['Fibre Channel'] as const, ['quay-01', 'quay-02', 'quay-03']],
])('for %j these are not ready: %j', (asked, missing) => expect(nodesReadyFor(data, asked).missing).toEqual(missing));

test('the form of a class that asks for a protocol says how many nodes are ready for it', async () => {
  new FakeServer({ readiness: () => data });
  show(<ReadyNodes asked={['NVMe/TCP']} />);
  expect(await screen.findByText('1 of 3 nodes are ready for NVMe/TCP; not quay-02, quay-03.')).toBeTruthy();
});
