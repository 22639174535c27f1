import { GiB, TiB } from '@moorage/core/sizes/bytes';
import type { BackendSeed, DriveSeed, PathSeed } from './backend/seed';
import { initiatorsOf, quaysideNodes } from './seeds';

const volumeSizes = { minimum: GiB, granule: GiB };

/** Two ways from each node for each protocol its initiators speak; one node may have lost one of them. */
const paths = (protocols: readonly string[], oneDown?: string): PathSeed[] =>
  quaysideNodes.flatMap(({ name }) =>
    protocols.flatMap((protocol) => {
      const initiator = initiatorsOf(name).find((i) => i.startsWith(protocol === 'iSCSI' ? 'iqn' : 'nqn'));
      if (!initiator) return [];
      return [1, 2].map((way) => ({
        node: name,
        initiator,
        protocol,
        up: !(name === oneDown && way === 2 && protocol === 'iSCSI'),
      }));
    }),
  );

export const basaltSeed = (): BackendSeed => ({
  id: 'basalt',
  title: 'Basalt, all flash',
  nodes: ['basalt-a'],
  user: 'moorage',
  password: 'harbour-wall',
  createMs: 120,
  resyncRate: 2 * GiB,
  paths: paths(['iSCSI', 'NVMeOverFabrics'], 'quay-07'),
  pools: [
    {
      id: 'basalt-swift',
      kind: 'array',
      usable: 42 * TiB,
      raidTypes: ['RAID6'],
      protocols: ['iSCSI', 'NVMeOverFabrics'],
      encrypts: true,
      snapshots: true,
      clones: true,
      offsite: true,
      compresses: true,
      deduplicates: true,
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
      snapshots: true,
      clones: true,
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
        lifeLeft: n.name === 'quay-08' && k === 1 ? 7 : 64,
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
    healAfterMs: 2000,
    objectPool: 'kelp-deep',
    paths: paths(['NVMeOverFabrics', 'iSCSI']),
    drives,
    pools: [
      {
        id: 'kelp-nvme',
        kind: 'copies',
        raidTypes: ['None', 'RAID1', 'RAID1Triple'],
        protocols: ['NVMeOverFabrics'],
        encrypts: true,
        snapshots: true,
        clones: true,
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
        protocols: ['iSCSI', 'NFSv4', 'HTTP'],
        encrypts: false,
        snapshots: true,
        iops: 9_000,
        bytesPerSecond: 3e9,
        maximum: 64 * TiB,
        ...volumeSizes,
      },
    ],
  };
};

/** Files for many writers. Whoever wrote its ranges forgot the last node of the south. */
export const gneissSeed = (): BackendSeed => ({
  id: 'gneiss',
  title: 'Gneiss, shared files',
  nodes: ['gneiss-a', 'gneiss-b'],
  user: 'moorage',
  password: 'slow-stone',
  filesAt: { name: 'files.gneiss.orrin-sound.example', address: '10.40.11.20' },
  createMs: 200,
  resyncRate: 2 * GiB,
  clients: [
    { address: '10.40.8.0', mask: '255.255.255.192' },
    { address: '10.40.9.0', mask: '255.255.255.192' },
    { address: '10.40.10.0', mask: '255.255.255.224' },
  ],
  pools: [
    {
      id: 'gneiss-shared',
      kind: 'array',
      usable: 210 * TiB,
      raidTypes: ['RAID6'],
      protocols: ['NFSv4'],
      encrypts: true,
      snapshots: true,
      iops: 45_000,
      bytesPerSecond: 5e9,
      minimum: 10 * GiB,
      maximum: 100 * TiB,
      granule: GiB,
      sold: { minimum: TiB, step: TiB / 4, maximum: 4 * TiB },
    },
  ],
  drives: [],
});

/** The outpost's cluster: two nodes with data, a third that only votes. */
export const limpetSeed = (): BackendSeed => ({
  id: 'limpet',
  title: 'Limpet, the outpost',
  nodes: ['gull-1', 'gull-2', 'gull-3'],
  user: 'moorage',
  password: 'low-water',
  createMs: 150,
  resyncRate: GiB / 4,
  healAfterMs: 2000,
  pools: [
    {
      id: 'limpet-main',
      kind: 'copies',
      raidTypes: ['None', 'RAID1'],
      protocols: ['iSCSI'],
      encrypts: false,
      snapshots: true,
      iops: 40_000,
      bytesPerSecond: 2e9,
      maximum: 4 * TiB,
      ...volumeSizes,
    },
  ],
  drives: ['gull-1', 'gull-2'].flatMap((name, i) =>
    [0, 1].map((k): DriveSeed => ({
      id: `eui.0025386c${(0x520000 + i * 256 + k).toString(16)}`,
      node: name,
      zone: 'rock',
      rack: 'rock-1',
      capacity: 1800 * GiB,
      media: 'SSD',
      pool: 'limpet-main',
    })),
  ),
});

const flash = 3_840_755_982_336;
const bigFlash = 7_681_501_126_656;
const smallFlash = 1_600_321_314_816;
const bootDisk = 480_103_981_056;

type Bare = Partial<DriveSeed> & { readonly capacity: number };
const boot: Bare = { capacity: bootDisk, protocol: 'SATA', use: 'system' };

const alike = (count: number): Bare[] => Array.from({ length: count }, () => ({ capacity: flash }));

/** Disks of the six nodes that wait to become a cluster: bought at different times, not all of them free or well. */
const eddyDisks: Readonly<Record<string, readonly Bare[]>> = {
  'quay-01': [boot, { capacity: smallFlash }, ...alike(4)],
  'quay-02': [{ capacity: smallFlash }, ...alike(3), { capacity: flash, use: 'mounted' }],
  'quay-09': [{ capacity: smallFlash }, { capacity: flash }, { capacity: flash }, { capacity: bigFlash }],
  'quay-10': [...alike(3), { capacity: flash, lifeLeft: 4 }],
  'quay-11': [...alike(3), { capacity: flash, failing: true }],
  'quay-12': [
    { capacity: bigFlash },
    { capacity: flash, use: 'partitioned' },
    { capacity: flash, nameless: true },
    { capacity: 8000 * GiB, media: 'HDD' },
  ],
};

/** Six nodes with cluster software and bare disks: to be commissioned. */
export const eddySeed = (): BackendSeed => ({
  id: 'eddy',
  title: 'Eddy, six spare nodes',
  nodes: Object.keys(eddyDisks),
  user: 'moorage',
  password: 'turning-tide',
  createMs: 150,
  resyncRate: GiB,
  healAfterMs: 2000,
  paths: paths(['NVMeOverFabrics']),
  pools: [],
  drives: Object.entries(eddyDisks).flatMap(([name, disks], i) => {
    const { zone, rack } = quaysideNodes.find((n) => n.name === name)!;
    return disks.map((disk, k): DriveSeed => ({
      media: 'SSD',
      ...disk,
      id: disk.nameless ? `sd${'abcdefgh'[k]}` : `eui.0025387d${(0x630000 + i * 256 + k).toString(16)}`,
      node: name,
      zone,
      rack,
    }));
  }),
});

/** A cluster far larger than the demo's, for figures: bare disks, a tenth of them of another size. */
export const vastSeed = (nodes = 1000, disksEach = 24): BackendSeed => {
  const names = Array.from({ length: nodes }, (_, i) => `berth-${String(i + 1).padStart(4, '0')}`);
  return {
    id: 'shoal',
    title: 'Shoal, very large',
    nodes: names,
    user: 'moorage',
    password: 'deep-water',
    createMs: 10,
    resyncRate: GiB,
    pools: [],
    drives: names.flatMap((name, i) =>
      Array.from({ length: disksEach }, (_, k): DriveSeed => ({
        id: `eui.0025388e${(i * 256 + k).toString(16).padStart(8, '0')}`,
        node: name,
        zone: `row-${Math.floor(i / 100)}`,
        rack: `row-${Math.floor(i / 100)}-${Math.floor((i % 100) / 20)}`,
        capacity: k === 0 ? bootDisk : (i * 7 + k) % 10 === 0 ? bigFlash : flash,
        media: 'SSD',
        use: k === 0 ? 'system' : undefined,
      })),
    ),
  };
};

/** What can be run by name. */
export const backendSeeds = {
  basalt: basaltSeed,
  kelp: kelpSeed,
  gneiss: gneissSeed,
  limpet: limpetSeed,
  eddy: eddySeed,
  shoal: vastSeed,
} as const;
