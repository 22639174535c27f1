/** What the demo is made of. All names are made up: the Orrin Sound Hydrographic Office. */

export const GiB = 2 ** 30;

export const classes = [
  {
    name: 'ledger',
    copies: 3,
    encrypted: true,
    reclaim: 'Retain',
    iopsFloor: { kind: 'per-gib', perGiB: 12, minimum: 600, maximum: 15000 },
    iopsCeiling: { kind: 'per-gib', perGiB: 48, minimum: 2400, maximum: 60000 },
    writeShare: 0.4,
    purpose: 'databases',
    graceDays: 7,
    allowances: [
      { setting: 'iops-floor', minimum: 600, maximum: 20000, namespaces: [] },
      { setting: 'copies', minimum: 2, maximum: 4, namespaces: [] },
    ],
  },
  { name: 'general', copies: 2, isDefault: true, strategy: 'spread' },
  { name: 'charts-shared', copies: 2, purpose: 'shared-files' },
  {
    name: 'echo-deep',
    shards: { data: 4, parity: 2 },
    strategy: 'pack',
    throughputFloor: { kind: 'per-gib', perGiB: 0.01, minimum: 10 },
  },
  { name: 'scratch', purpose: 'scratch', binding: 'WaitForFirstConsumer' },
];

export const moorings = [
  ['ledger', ['kelp-nvme', 'basalt-swift']],
  ['general', ['basalt-broad', 'basalt-swift']],
  ['echo-deep', ['kelp-deep', 'basalt-broad']],
  ['scratch', ['kelp-nvme', 'basalt-broad']],
];

const claimSpec = (className, size, modes = ['ReadWriteOnce']) => ({
  accessModes: modes,
  storageClassName: className,
  resources: { requests: { storage: size } },
});

/** Started through the product: replicas, class and size of each claim. */
export const apps = [
  ['tide-gauges', 'gauge-store', 3, 'ledger', '400Gi', 'zones'],
  ['ferry-desk', 'booking-ledger', 3, 'ledger', '120Gi', 'zones'],
  ['wave-model', 'swell-grid', 12, 'scratch', '500Gi', 'any'],
  ['sonar-archive', 'echo-vault', 6, 'echo-deep', '8Ti', 'zones'],
  ['buoy-telemetry', 'beacon-queue', 5, 'ledger', '80Gi', 'zones'],
  ['crew-roster', 'roster', 3, 'general', '8Gi', 'any'],
  ['crew-roster', 'leave-book', 2, 'general', '4Gi', 'any'],
  ['lamp-watch', 'lamp-log', 5, 'general', '12Gi', 'nodes'],
  ['lamp-watch', 'lamp-faults', 3, 'general', '3Gi', 'any'],
  ['print-works', 'plate-queue', 4, 'general', '16Gi', 'any'],
  ['print-works', 'ink-stock', 2, 'general', '2Gi', 'any'],
  ['sandbox-ana', 'tries', 6, 'general', '5Gi', 'any'],
  ['sandbox-ana', 'notebook', 2, 'general', '10Gi', 'any'],
  ['sandbox-ivo', 'tries', 8, 'general', '2Gi', 'any'],
];
/** Started while all nodes but one took no pods: both of its replicas are on that one. */
export const onOneNode = ['ferry-desk', 'seat-cache', 2, 'general', '20Gi', 'any'];
export const theOneNode = 'quay-08';

export const appOf = ([namespace, name, replicas, className, size, spread]) => ({
  ...{ namespace, name, replicas, spread, image: `orrin-sound.example/${name}:4`, port: 8080, ordered: false },
  ...{ whenScaled: 'Retain', whenDeleted: 'Retain' },
  templates: [{ name: 'data', className, size, modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' }],
});
const claim = (namespace, name, className, size, modes) => [
  `/api/v1/namespaces/${namespace}/persistentvolumeclaims`,
  { metadata: { name }, spec: claimSpec(className, size, modes) },
];

export const objects = [
  claim('tide-gauges', 'gauge-archive', 'echo-deep', '6Ti'),
  claim('tide-gauges', 'calibration', 'general', '300Mi'),
  claim('tide-gauges', 'station-photos', 'echo-deep', '900Gi'),
  claim('ferry-desk', 'timetable', 'general', '10.2Gi'),
  claim('ferry-desk', 'receipts', 'general', '64Gi'),
  claim('chart-tiles', 'tile-source', 'echo-deep', '2Ti'),
  claim('chart-tiles', 'tile-index', 'ledger', '80Gi'),
  claim('chart-tiles', 'print-queue', 'general', '40Gi'),
  claim('chart-tiles', 'glyphs', 'general', '5Gi'),
  claim('wave-model', 'forecast-out', 'general', '250Gi'),
  claim('wave-model', 'boundary-data', 'echo-deep', '1500Gi'),
  claim('tide-gauges', 'levels-2019', 'ledger', '150Gi'),
  claim('chart-tiles', 'proofs', 'ledger', '30Gi'),
];
const manyWriters = ['ReadWriteMany'];
/** Shares of the file backend, in the order in which they are carved out; the last finds the first instance full. */
export const shares = [
  claim('chart-tiles', 'tile-share', 'charts-shared', '2Ti', manyWriters),
  claim('chart-tiles', 'plates', 'charts-shared', '900Gi', manyWriters),
  claim('tide-gauges', 'sounding-scans', 'charts-shared', '700Gi', manyWriters),
  claim('tide-gauges', 'tide-tables', 'charts-shared', '300Gi', manyWriters),
  claim('wave-model', 'harbour-plans', 'charts-shared', '120Gi', manyWriters),
  claim('wave-model', 'wave-atlas', 'charts-shared', '130Gi', manyWriters),
];
/** Done with: what it held is room in its instance. */
export const doneWith = 'tide-gauges/sounding-scans';

/** Deleted by mistake: their class keeps the volumes for a while. */
export const mistaken = ['tide-gauges/levels-2019', 'chart-tiles/proofs'];

export const cannotBind = [
  claim('chart-tiles', 'poster-share', 'general', '60Gi', manyWriters),
  claim('ferry-desk', 'booking-archive', 'ledger', '300Gi'),
  claim('wave-model', 'spare-grid', 'scratch', '500Gi'),
];

export const bucketClasses = [
  { name: 'chart-objects', pools: ['kelp-deep'], deletion: 'Retain', limit: '50Gi' },
  { name: 'passing', pools: ['kelp-deep'], deletion: 'Delete', limit: '10Gi' },
];
/** Buckets, who holds a key to each, and how many objects of how many bytes lie in it. */
export const buckets = [
  ['chart-tiles', 'tile-objects', 'chart-objects', '200Gi', ['tile-press', 'tile-readers'], 1240, 9_000],
  ['tide-gauges', 'gauge-exports', 'chart-objects', undefined, ['exporter'], 310, 4_000],
  ['ferry-desk', 'ticket-scans', 'passing', undefined, ['scanner'], 85, 12_000],
  ['wave-model', 'all-years', 'chart-objects', '120Ti', [], 0, 0],
];

/** How full each volume is, by its claim's name; the rest is a quarter full. */
export const written = {
  'gauge-store': 0.62,
  'booking-ledger': 0.41,
  'seat-cache': 0.18,
  'swell-grid': 0.71,
  'gauge-archive': 0.8,
  'tile-source': 0.55,
  'echo-vault': 0.66,
  'beacon-queue': 0.35,
};

export const dayMs = 24 * 3_600_000;
/** How long ago the story begins, and when the surveys of the sonar came over from where they were kept before, days. */
export const storyDays = 60;
export const surveysCameDays = 33;
/** Bytes that are written more each day, as a part of what is provisioned, and the share by which what is written grows. */
export const courses = {
  'gauge-store': { perDay: 0.0035 },
  'booking-ledger': { perDay: 0.0021 },
  'gauge-archive': { perDay: 0.0048 },
  'echo-vault': { perDay: 0.0052 },
  'beacon-queue': { perDay: 0.0012 },
  'swell-grid': { perDay: 0 },
  // it runs away
  'tries-': { share: 0.05 },
};
/** Kept on a pool by others than the platform, and growing: it brings the pool to its hard mark in some three weeks. */
export const ofOthers = {
  backend: 'basalt',
  pool: 'basalt-swift',
  name: 'weir-survey',
  tib: 41,
  writtenTib: 34.5,
  perDayTib: 0.145,
};
/** For half a day one backend told nothing. */
export const silence = { backend: 'basalt', fromDays: 20, hours: 14 };
