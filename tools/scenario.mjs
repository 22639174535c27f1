/**
 * Loads the demo: classes, moorings and limits through the product's own API, applications through the platform's. Every claim
 * is bound by the product itself. All names are made up: the Orrin Sound Hydrographic Office.
 */
import { backends } from './lib/stand.mjs';

const GiB = 2 ** 30;

const classes = [
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

const moorings = [
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
const apps = [
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
const onOneNode = ['ferry-desk', 'seat-cache', 2, 'general', '20Gi', 'any'];
const theOneNode = 'quay-08';

const appOf = ([namespace, name, replicas, className, size, spread]) => ({
  ...{ namespace, name, replicas, spread, image: `orrin-sound.example/${name}:4`, port: 8080, ordered: false },
  ...{ whenScaled: 'Retain', whenDeleted: 'Retain' },
  templates: [{ name: 'data', className, size, modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' }],
});
const claim = (namespace, name, className, size, modes) => [
  `/api/v1/namespaces/${namespace}/persistentvolumeclaims`,
  { metadata: { name }, spec: claimSpec(className, size, modes) },
];

const objects = [
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
const shares = [
  claim('chart-tiles', 'tile-share', 'charts-shared', '2Ti', manyWriters),
  claim('chart-tiles', 'plates', 'charts-shared', '900Gi', manyWriters),
  claim('tide-gauges', 'sounding-scans', 'charts-shared', '700Gi', manyWriters),
  claim('tide-gauges', 'tide-tables', 'charts-shared', '300Gi', manyWriters),
  claim('wave-model', 'harbour-plans', 'charts-shared', '120Gi', manyWriters),
  claim('wave-model', 'wave-atlas', 'charts-shared', '130Gi', manyWriters),
];
/** Done with: what it held is room in its instance. */
const doneWith = 'tide-gauges/sounding-scans';

/** Deleted by mistake: their class keeps the volumes for a while. */
const mistaken = ['tide-gauges/levels-2019', 'chart-tiles/proofs'];

const cannotBind = [
  claim('chart-tiles', 'poster-share', 'general', '60Gi', manyWriters),
  claim('ferry-desk', 'booking-archive', 'ledger', '300Gi'),
  claim('wave-model', 'spare-grid', 'scratch', '500Gi'),
];

const bucketClasses = [
  { name: 'chart-objects', pools: ['kelp-deep'], deletion: 'Retain', limit: '50Gi' },
  { name: 'passing', pools: ['kelp-deep'], deletion: 'Delete', limit: '10Gi' },
];
/** Buckets, who holds a key to each, and how many objects of how many bytes lie in it. */
const buckets = [
  ['chart-tiles', 'tile-objects', 'chart-objects', '200Gi', ['tile-press', 'tile-readers'], 1240, 9_000],
  ['tide-gauges', 'gauge-exports', 'chart-objects', undefined, ['exporter'], 310, 4_000],
  ['ferry-desk', 'ticket-scans', 'passing', undefined, ['scanner'], 85, 12_000],
  ['wave-model', 'all-years', 'chart-objects', '120Ti', [], 0, 0],
];

/** How full each volume is, by its claim's name; the rest is a quarter full. */
const written = {
  'gauge-store': 0.62,
  'booking-ledger': 0.41,
  'seat-cache': 0.18,
  'swell-grid': 0.71,
  'gauge-archive': 0.8,
  'tile-source': 0.55,
  'echo-vault': 0.66,
  'beacon-queue': 0.35,
};

const dayMs = 24 * 3_600_000;
/** How long ago the story begins, and when the surveys of the sonar came over from where they were kept before, days. */
const storyDays = 60;
const surveysCameDays = 33;
/** Bytes that are written more each day, as a part of what is provisioned, and the share by which what is written grows. */
const courses = {
  'gauge-store': { perDay: 0.0035 },
  'booking-ledger': { perDay: 0.0021 },
  'gauge-archive': { perDay: 0.0048 },
  'echo-vault': { perDay: 0.0052 },
  'beacon-queue': { perDay: 0.0012 },
  'swell-grid': { perDay: 0 },
  // it runs away
  'tries-': { share: 0.05 },
};
/** For half a day one backend told nothing. */
const silence = { backend: 'basalt', fromDays: 20, hours: 14 };

export async function loadScenario({ url, standins, say }) {
  let cookie = '';
  const api = async (method, path, body, headers = {}) => {
    const response = await fetch(url + path, {
      method,
      headers: { 'Content-Type': 'application/json', Cookie: cookie, ...headers },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
    cookie = response.headers.getSetCookie()[0]?.split(';')[0] ?? cookie;
    const text = await response.text();
    const data = text ? JSON.parse(text) : undefined;
    if (!response.ok && data?.code !== 'platform-exists')
      throw new Error(`${method} ${path}: ${data?.detail ?? response.status}`);
    return data;
  };
  const platform = async (path, body) => {
    const response = await fetch(standins.platform.url + path, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify(body),
    });
    if (!response.ok && response.status !== 409) throw new Error(`${path}: ${await response.text()}`);
  };
  const change = async (path, body) => {
    const response = await fetch(standins.platform.url + path, {
      method: 'PATCH',
      headers: { 'Content-Type': 'application/merge-patch+json' },
      body: JSON.stringify(body),
    });
    if (!response.ok) throw new Error(`${path}: ${await response.text()}`);
  };
  const until = async (what, done) => {
    for (let i = 0; i < 400; i++) {
      if (await done()) return;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    throw new Error(`waited 40 s for ${what}`);
  };

  const control = async (name, path, body) => {
    const response = await fetch(standins[name].control + path, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify(body),
    });
    if (!response.ok) throw new Error(`${name}${path}: ${response.status}`);
  };
  const began = Date.now();
  const daysAgo = (days) => new Date(began - days * dayMs).toISOString();
  /** Sets the clocks of all that stands outside, and waits until the site is known to be at that time. */
  const setClocks = async (days) => {
    const at = days === 0 ? null : daysAgo(days);
    for (const name of Object.keys(standins).filter((n) => standins[n]?.control)) await control(name, '/clock', { at });
    await until('the clock of the site', async () => {
      const told = Date.parse((await api('GET', '/api/use')).at);
      return Math.abs(told - (Date.now() - days * dayMs)) < 5 * 60_000;
    });
  };

  await api('POST', '/api/session', { name: 'maren', password: 'lighthouse' });
  await setClocks(storyDays);
  if (standins.gneiss)
    await api('POST', '/api/backends', {
      id: 'gneiss',
      title: backends.gneiss.title,
      sites: backends.gneiss.sites,
      address: standins.gneiss.url,
      username: 'moorage',
      password: backends.gneiss.password,
    });
  await until('the pools of the backends', async () => {
    const known = (await api('GET', '/api/backends')).flatMap((b) => b.pools.map((p) => p.name));
    return ['kelp-nvme', 'kelp-deep', 'basalt-swift', 'basalt-broad'].every((p) => known.includes(p));
  });
  await until('the namespaces', async () => (await api('GET', '/api/namespaces')).length >= 4);
  for (const cls of classes) await api('POST', '/api/classes', cls);
  for (const [className, pools] of moorings)
    for (const pool of pools) await api('PUT', `/api/moorings/${className}/${pool}`, { enabled: true });
  await api('PATCH', '/api/pools/kelp-nvme', { overcommit: 1.5, price: 0.21 });
  await api('PATCH', '/api/pools/kelp-deep', { price: 0.03 });
  await api('PATCH', '/api/pools/basalt-swift', { price: 0.34, allotmentIops: 160_000 });
  await api('PATCH', '/api/pools/basalt-broad', { overcommit: 2, allotment: 100 * 1024 * GiB, price: 0.12 });
  await api('PUT', '/api/namespaces/ferry-desk/enforcement', { byPlatform: false });
  await api('PUT', '/api/namespaces/ferry-desk/limit', { bytes: 600 * GiB });
  await api('PUT', '/api/namespaces/tide-gauges/limit', { bytes: 12 * 1024 * GiB });
  for (const [path, body] of objects) await platform(path, body);
  const [later, first] = [
    apps.filter(([namespace]) => namespace === 'sonar-archive'),
    apps.filter(([namespace]) => namespace !== 'sonar-archive'),
  ];
  for (const app of first) await api('POST', '/api/applications', appOf(app));
  await startOnOneNode();
  const early = [...first, onOneNode].reduce((sum, [, , replicas]) => sum + replicas, objects.length);
  await until('the first claims', async () => (await api('GET', '/api/claims?limit=1')).counts.bound >= early);
  await setClocks(surveysCameDays);
  for (const app of later) await api('POST', '/api/applications', appOf(app));
  const expected = [...apps, onOneNode].reduce((sum, [, , replicas]) => sum + replicas, objects.length);
  let bound = 0;
  await until(`${expected} bound claims`, async () => {
    bound = (await api('GET', '/api/claims?limit=1')).counts.bound;
    return bound >= expected;
  });
  if (standins.gneiss) await carveShares();
  // prices since the beginning, and one that begins tomorrow
  for (const [tier, perGiB, perIops, days] of [
    ['fast', 0.24, 0.008, storyDays + 1],
    ['standard', 0.11, 0.004, storyDays + 1],
    ['deep', 0.03, 0.002, storyDays + 1],
    ['fast', 0.22, 0.008, -1],
  ])
    await api('PUT', '/api/rates', { tier, from: daysAgo(days).slice(0, 10), perGiB, perIops });
  await setClocks(0);
  say(`${bound} claims are bound`);
  for (const [path, body] of cannotBind) await platform(path, body);
  const { claims } = await api('GET', '/api/claims?limit=500');
  for (const { name, backend, volumeId, provisioned } of claims.filter((c) => c.volumeId)) {
    const share = Object.entries(written).find(([prefix]) => name.includes(prefix))?.[1] ?? 0.25;
    const consumed = Math.round(provisioned * share);
    await control(backend, `/volumes/${volumeId}`, { consumed });
    const course = Object.entries(courses).find(([prefix]) => name.includes(prefix))?.[1];
    await control(backend, `/volumes/${volumeId}/course`, {
      ...{ at: daysAgo(0), consumed, share: course?.share ?? 0 },
      perDay: Math.round(provisioned * (course?.perDay ?? 0.001)),
    });
  }
  const from = began - silence.fromDays * dayMs;
  await control(silence.backend, '/silences', {
    from: new Date(from).toISOString(),
    to: new Date(from + silence.hours * 3_600_000).toISOString(),
  });
  await until('what was written is known', async () =>
    (await api('GET', '/api/claims?q=levels-2019')).claims.every((c) => (c.consumed ?? 0) > 0),
  );
  for (const name of mistaken) await api('DELETE', `/api/claims/${name}?confirm=${name.split('/')[1]}`);
  await makeBuckets();
  await pressTiles();
  await failOneDisk();

  async function startOnOneNode() {
    const nodes = Array.from({ length: 12 }, (_, i) => `quay-${String(i + 1).padStart(2, '0')}`);
    const cordon = (unschedulable) =>
      Promise.all(
        nodes.filter((n) => n !== theOneNode).map((n) => change(`/api/v1/nodes/${n}`, { spec: { unschedulable } })),
      );
    const [, name, replicas] = onOneNode;
    // those that are to keep apart have their nodes by now
    await until('every pod has its node', async () => (await ready()) >= first.length);
    await cordon(true);
    await api('POST', '/api/applications', appOf(onOneNode));
    await until(
      `${name} runs`,
      async () => (await api('GET', `/api/applications?q=${name}`)).applications[0]?.ready === replicas,
    );
    await cordon(false);
  }
  async function ready() {
    const { applications } = await api('GET', '/api/applications?limit=500');
    return applications.filter((a) => a.ready === a.wanted).length;
  }

  /** One after the other, so that the instances come out the same each time. */
  async function carveShares() {
    await until('the pool of the file backend', async () =>
      (await api('GET', '/api/backends')).some((b) => b.pools.some((p) => p.name === 'gneiss-shared')),
    );
    await api('PUT', '/api/moorings/charts-shared/gneiss-shared', { enabled: true });
    await api('PATCH', '/api/pools/gneiss-shared', { price: 0.06 });
    for (const [path, body] of shares) {
      await platform(path, body);
      bound += 1;
      await until(
        `share ${body.metadata.name}`,
        async () => (await api('GET', '/api/claims?limit=1')).counts.bound >= bound,
      );
    }
    await api('DELETE', `/api/claims/${doneWith}?confirm=${doneWith.split('/')[1]}`);
    bound -= 1;
  }

  /** Four pods write the share of the tiles, and twenty read it. */
  async function pressTiles() {
    for (const [owner, count, readOnly] of [
      ['tile-press', 4, false],
      ['tile-readers', 20, true],
    ]) {
      const uid = crypto.randomUUID();
      for (let i = 0; i < count; i++)
        await platform('/api/v1/namespaces/chart-tiles/pods', {
          metadata: {
            name: `${owner}-${String(i + 1).padStart(2, '0')}`,
            labels: { app: owner },
            ownerReferences: [{ apiVersion: 'apps/v1', kind: 'ReplicaSet', name: owner, uid, controller: true }],
          },
          spec: {
            containers: [
              {
                name: owner,
                image: `orrin-sound.example/${owner}:2`,
                volumeMounts: [{ name: 'tiles', mountPath: '/tiles', readOnly }],
              },
            ],
            volumes: [{ name: 'tiles', persistentVolumeClaim: { claimName: 'tile-share' } }],
          },
          status: { phase: 'Pending' },
        });
    }
  }

  async function makeBuckets() {
    for (const cls of bucketClasses) await api('POST', '/api/bucket-classes', cls);
    for (const [namespace, name, className, limit, users, count, bytes] of buckets) {
      await api('POST', '/api/buckets', { namespace, name, className, limit });
      if (count === 0) continue;
      const at = `/api/buckets/${namespace}/${name}`;
      await until(`bucket ${name}`, async () => (await api('GET', at)).bucket.state === 'ready');
      for (const user of users) await api('POST', `${at}/keys`, { name: user, secretName: `${user}-secret` });
      const { bucket } = await api('GET', at);
      await control('kelp', `/buckets/${bucket.bucket}`, { count, bytes });
    }
  }

  /** A disk fails that holds copies of volumes with more than one: the cluster makes them anew elsewhere. */
  async function failOneDisk() {
    let copied = [];
    let alone = new Set();
    await until('the copies on kelp', async () => {
      const { volumes } = await api('GET', '/api/backends/kelp/volumes?limit=500');
      copied = volumes.filter((v) => v.copies.length > 1).flatMap((v) => v.copies);
      alone = new Set(volumes.filter((v) => v.copies.length === 1).map((v) => v.copies[0].disk));
      return copied.length > 0;
    });
    const unlucky = copied.find((c) => !alone.has(c.disk));
    if (!unlucky) return;
    await control('kelp', `/drives/${unlucky.disk}`, { works: false });
  }
}
