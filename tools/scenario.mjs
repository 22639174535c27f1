/**
 * Loads the demo: classes, moorings and limits through the product's own API, applications through the platform's. Every claim
 * is bound by the product itself. All names are made up: the Orrin Sound Hydrographic Office.
 */
import { backends } from './lib/stand.mjs';
import {
  GiB,
  appOf,
  apps,
  bucketClasses,
  buckets,
  cannotBind,
  classes,
  courses,
  dayMs,
  doneWith,
  mistaken,
  moorings,
  objects,
  ofOthers,
  onOneNode,
  shares,
  silence,
  storyDays,
  surveysCameDays,
  theOneNode,
  written,
} from './scenario-data.mjs';

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
  await makeOfOthers();
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

  /** By the backend's own interface, as whoever keeps it there did. */
  async function makeOfOthers() {
    const { url: address } = standins[ofOthers.backend];
    const call = async (path, init = {}) => {
      const response = await fetch(address + path, {
        ...init,
        headers: {
          'Content-Type': 'application/json',
          Authorization: `Basic ${Buffer.from(`moorage:${backends[ofOthers.backend].password}`).toString('base64')}`,
        },
      });
      if (!response.ok) throw new Error(`${path}: ${response.status} ${await response.text()}`);
      return response.json();
    };
    const linkOf = async (path, name) => (await call(path))[name]['@odata.id'];
    const [member] = (await call(await linkOf('/redfish/v1', 'Storage'))).Members;
    const volumes = await linkOf(member['@odata.id'], 'Volumes');
    const pools = await linkOf(member['@odata.id'], 'StoragePools');
    const pool = (await call(pools)).Members.find((m) => m['@odata.id'].endsWith(ofOthers.pool));
    await call(volumes, {
      method: 'POST',
      body: JSON.stringify({
        Name: ofOthers.name,
        CapacityBytes: ofOthers.tib * 1024 * GiB,
        CapacitySources: [{ ProvidingPools: [pool] }],
      }),
    });
    await until('a volume of others', async () => {
      for (const { '@odata.id': path } of (await call(volumes)).Members) {
        const volume = await call(path);
        if (volume.Name === ofOthers.name) ofOthers.id = volume.Id;
      }
      return ofOthers.id !== undefined;
    });
    // from the first day on: what was looked at meanwhile must be what its backend tells of it later
    const TiB = 1024 * GiB;
    await control(ofOthers.backend, `/volumes/${ofOthers.id}/course`, {
      ...{ at: daysAgo(0), consumed: Math.round(ofOthers.writtenTib * TiB), share: 0 },
      perDay: Math.round(ofOthers.perDayTib * TiB),
    });
  }

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
