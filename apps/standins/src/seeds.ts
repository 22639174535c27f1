import type { KubeObject } from './platform/store';

/** The demo's made-up harbour: `quayside` with its nodes. */
const zones = ['north', 'middle', 'south'] as const;

export const quaysideNodes = Array.from({ length: 12 }, (_, i) => {
  const zone = zones[Math.floor(i / 4)]!;
  return {
    name: `quay-${String(i + 1).padStart(2, '0')}`,
    zone,
    rack: `${zone}-${i % 4 < 2 ? 1 : 2}`,
    // the address plan has holes: nodes came at different times
    address: `10.40.${8 + Math.floor(i / 4)}.${[11, 12, 17, 33][i % 4]}`,
  };
});

/** Names by which a node's initiators are known to backends. One node was set up without the one for NVMe. */
export const initiatorsOf = (name: string): string[] => [
  `iqn.2031-04.example.orrin:${name}`,
  ...(name === 'quay-11' ? [] : [`nqn.2031-04.example.orrin:${name}`]),
];

const node = (n: (typeof quaysideNodes)[number]): [string, KubeObject] => [
  'nodes',
  {
    metadata: {
      name: n.name,
      labels: {
        'kubernetes.io/hostname': n.name,
        'topology.kubernetes.io/zone': n.zone,
        'topology.example/rack': n.rack,
      },
      annotations: { 'vast-moorage.example/initiators': initiatorsOf(n.name).join(',') },
    },
    spec: {},
    status: {
      addresses: [
        { type: 'InternalIP', address: n.address },
        { type: 'Hostname', address: n.name },
      ],
      conditions: [{ type: 'Ready', status: 'True' }],
      capacity: { cpu: '32', memory: '256Gi', pods: '110' },
      allocatable: { cpu: '31', memory: '248Gi', pods: '110' },
    },
  },
];

const namespaces: readonly (readonly [name: string, team: string])[] = [
  ['tide-gauges', 'hydrography'],
  ['ferry-desk', 'public'],
  ['wave-model', 'hydrography'],
  ['chart-tiles', 'charts'],
];

/** Objects the platform begins with. */
export const platformSeed = (): [string, KubeObject][] => [
  ...namespaces.map(([name, team]): [string, KubeObject] => [
    'namespaces',
    {
      metadata: { name, labels: { 'kubernetes.io/metadata.name': name, 'orrin-sound.example/team': team } },
      status: { phase: 'Active' },
    },
  ]),
  ...quaysideNodes.map(node),
  ['csidrivers', { metadata: { name: 'vast-moorage.example' }, spec: { attachRequired: true, podInfoOnMount: false } }],
  ...quaysideNodes.map((n): [string, KubeObject] => [
    'csinodes',
    {
      metadata: { name: n.name },
      spec: {
        drivers: [
          {
            name: 'vast-moorage.example',
            nodeID: n.name,
            topologyKeys: ['topology.kubernetes.io/zone'],
            allocatable: { count: 128 },
          },
        ],
      },
    },
  ]),
];
