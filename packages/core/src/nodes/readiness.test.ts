import fc from 'fast-check';
import { inRange, isReady, nodeReadiness, type BackendWays, type NodeFacts } from './readiness';

const driver = 'vast-moorage.example';
const iqn = 'iqn.2031-04.example:quay-01';
const nqn = 'nqn.2031-04.example:quay-01';
const node = (part: Partial<NodeFacts> = {}): NodeFacts => ({
  name: 'quay-01',
  addresses: ['10.40.8.11'],
  labels: { 'topology.kubernetes.io/zone': 'north' },
  ready: true,
  drivers: [{ name: driver, labels: ['topology.kubernetes.io/zone'], attachLimit: 128 }],
  initiators: [iqn, nqn],
  attached: 3,
  ...part,
});
const array = (up: boolean[] = [true, true]): BackendWays => ({
  protocols: ['iSCSI', 'NVMeOverFabrics'],
  paths: [
    ...up.map((u) => ({ initiator: iqn, protocol: 'iSCSI', up: u })),
    ...[1, 2].map(() => ({ initiator: nqn, protocol: 'NVMeOverFabrics', up: true })),
    ...[1, 2].map(() => ({ initiator: 'iqn.2031-04.example:quay-02', protocol: 'iSCSI', up: true })),
  ],
});
const files: BackendWays = {
  protocols: ['NFSv4'],
  paths: [],
  clients: [{ address: '10.40.8.0', mask: '255.255.255.192' }],
};
const failing = (n: NodeFacts, b: BackendWays) =>
  nodeReadiness(n, driver, b)
    .filter((c) => c.state !== 'passed')
    .map((c) => [c.check, c.state, c.have]);

test('a node with everything is ready', () => {
  expect(failing(node(), array())).toEqual([]);
  expect(isReady(nodeReadiness(node(), driver, array()))).toBe('ready');
  expect(failing(node(), files)).toEqual([]);
});

test.each<[string, Partial<NodeFacts>, BackendWays, unknown[], string]>([
  [
    'no driver',
    { drivers: [{ name: 'other.example', labels: [] }] },
    array(),
    [['driver', 'failed', 'other.example']],
    'unready',
  ],
  ['not ready', { ready: false }, array(), [['node', 'failed', 'not ready']], 'unready'],
  ['no zone', { labels: {} }, array(), [['label', 'failed', 'missing']], 'unready'],
  ['one path of two', {}, array([true, false]), [['paths', 'weak', 1]], 'weak'],
  ['one protocol gone', {}, array([false, false]), [['paths', 'failed', 0]], 'weak'],
  ['one initiator missing', { initiators: [iqn] }, array(), [['initiator', 'failed', 'none']], 'weak'],
  [
    'no initiator',
    { initiators: [] },
    array(),
    [
      ['initiator', 'failed', 'none'],
      ['initiator', 'failed', 'none'],
    ],
    'unready',
  ],
  ['outside the export', { addresses: ['10.40.8.65'] }, files, [['export', 'failed', 'not in any range']], 'unready'],
  ['few attachments left', { attached: 120 }, array(), [['attach', 'weak', 120]], 'weak'],
  ['none left', { attached: 128 }, array(), [['attach', 'failed', 128]], 'unready'],
])('%s', (_name, part, backend, expected, state) => {
  expect(failing(node(part), backend)).toEqual(expected);
  expect(isReady(nodeReadiness(node(part), driver, backend))).toBe(state);
});

test('a range holds what shares its masked bits, and nothing else', () =>
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 0xffffffff }),
      fc.integer({ min: 0, max: 0xffffffff }),
      fc.integer({ min: 0, max: 32 }),
      (a, b, length) => {
        const text = (n: number) => [24, 16, 8, 0].map((s) => (n >>> s) & 255).join('.');
        const mask = length === 0 ? 0 : (0xffffffff << (32 - length)) >>> 0;
        const block = 2 ** (32 - length);
        expect(inRange(text(a), { address: text(b), mask: text(mask) })).toBe(
          Math.floor(a / block) === Math.floor(b / block),
        );
      },
    ),
  ));
test('what is no address is in no range', () => {
  expect(inRange('quay-01', { address: '10.40.8.0', mask: '255.255.255.0' })).toBe(false);
  expect(inRange('10.40.8.1', { address: '10.40.8.0', mask: 'ff' })).toBe(false);
});
