import { GiB, TiB } from '@moorage/core/sizes/bytes';
import type { BackendSeed, DriveSeed } from './backend/model';
import type { KubeObject } from './platform/store';

/** The demo's made-up harbour: `quayside` with its nodes, the array `basalt` and the software-defined cluster `kelp`. */
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
    },
    spec: {},
    status: {
      addresses: [
        { type: 'InternalIP', address: n.address },
        { type: 'Hostname', address: n.name },
      ],
      conditions: [{ type: 'Ready', status: 'True' }],
      capacity: { cpu: '32', memory: '256Gi', pods: '110' },
    },
  },
];

const namespaces = ['tide-gauges', 'ferry-desk', 'wave-model', 'chart-tiles'];

/** Objects the platform begins with. */
export const platformSeed = (): [string, KubeObject][] => [
  ...namespaces.map((name): [string, KubeObject] => [
    'namespaces',
    { metadata: { name, labels: { 'kubernetes.io/metadata.name': name } }, status: { phase: 'Active' } },
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

const volumeSizes = { minimum: GiB, granule: GiB };

export const basaltSeed = (): BackendSeed => ({
  id: 'basalt',
  title: 'Basalt, all flash',
  nodes: ['basalt-a'],
  user: 'moorage',
  password: 'harbour-wall',
  createMs: 120,
  resyncRate: 2 * GiB,
  pools: [
    {
      id: 'basalt-swift',
      kind: 'array',
      usable: 42 * TiB,
      raidTypes: ['RAID6'],
      protocols: ['iSCSI', 'NVMeOverFabrics'],
      encrypts: true,
      iops: 240_000,
      bytesPerSecond: 12e9,
      maximum: 64 * TiB,
      ...volumeSizes,
    },
    {
      id: 'basalt-broad',
      kind: 'array',
      usable: 130 * TiB,
      raidTypes: ['RAID6'],
      protocols: ['iSCSI'],
      encrypts: true,
      iops: 70_000,
      bytesPerSecond: 6e9,
      maximum: 64 * TiB,
      ...volumeSizes,
    },
  ],
  drives: [],
});

/** GiB of flash in each node of kelp: they were bought in three years, and are uneven. */
const kelpFlash = [7200, 7200, 1800, 900, 900, 900, 900, 900];

export const kelpSeed = (): BackendSeed => {
  const members = quaysideNodes.slice(2, 10);
  const drives = members.flatMap((n, i): DriveSeed[] => {
    const place = { node: n.name, zone: n.zone, rack: n.rack };
    const flash = kelpFlash[i]!;
    const count = flash / 900;
    const hex = (k: number) => `eui.0025385b${(0x410000 + i * 256 + k).toString(16)}`;
    return [
      ...Array.from({ length: count }, (_, k): DriveSeed => ({
        ...place,
        id: hex(k),
        capacity: 900 * GiB,
        media: 'SSD',
        pool: 'kelp-nvme',
      })),
      ...Array.from({ length: 2 }, (_, k): DriveSeed => ({
        ...place,
        id: hex(128 + k),
        capacity: 8000 * GiB,
        media: 'HDD',
        pool: 'kelp-deep',
      })),
    ];
  });
  return {
    id: 'kelp',
    title: 'Kelp storage cluster',
    nodes: members.map((n) => n.name),
    user: 'moorage',
    password: 'holdfast',
    createMs: 150,
    resyncRate: GiB,
    drives,
    pools: [
      {
        id: 'kelp-nvme',
        kind: 'copies',
        raidTypes: ['None', 'RAID1', 'RAID1Triple'],
        protocols: ['NVMeOverFabrics'],
        encrypts: true,
        iops: 180_000,
        bytesPerSecond: 9e9,
        maximum: 16 * TiB,
        ...volumeSizes,
      },
      {
        id: 'kelp-deep',
        kind: 'shards',
        raidTypes: ['RAID6'],
        dataShards: 4,
        parityShards: 2,
        protocols: ['iSCSI', 'NFSv4'],
        encrypts: false,
        iops: 9_000,
        bytesPerSecond: 3e9,
        maximum: 64 * TiB,
        ...volumeSizes,
      },
    ],
  };
};
