import { eddySeed, gneissSeed } from '@moorage/standins/backend-seeds';
import type { KeptFilter } from '@moorage/contract/filters';
import type { Carving } from '@moorage/contract/instances';
import type { BackendRow } from '@moorage/contract/backends';
import type { BucketClassRow, BucketDetail, BucketPage } from '@moorage/contract/buckets';
import type { ApplicationPage } from '@moorage/contract/applications';
import type { ClassRow } from '@moorage/contract/classes';
import { endpoints, type EndpointName } from '@moorage/contract/endpoints';
import type { Endpoint } from '@moorage/contract/endpoints/endpoint';
import type { FindingRow } from '@moorage/contract/findings';
import { disksOf, type Inventory } from '@moorage/contract/inventory';
import type { KeptPlan } from '@moorage/contract/moorings';
import type { OperationPage } from '@moorage/contract/operations';
import type { Readiness } from '@moorage/contract/readiness';
import type { SalvagePage } from '@moorage/contract/salvage';
import type { Reshape } from '@moorage/contract/reshapes';
import { applicationManifests } from '@moorage/core/applications/set-manifest';
import { suggestDesign } from '@moorage/core/clusters/suggest';
import type { RunningServer } from '../server';
import { aClaim, aClass, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

/** Every route answers as the contract says, once at least: each answer here is held to the OpenAPI document by the caller. */
let world: World;
let server: RunningServer;
let ada: Caller;
const answered = new Set<EndpointName>();
beforeAll(async () => {
  world = await makeWorld({ more: [eddySeed, gneissSeed] });
  server = await world.start();
  ada = await world.operator(server);
});
afterAll(() => world.end());

interface Given {
  readonly params?: Readonly<Record<string, string>>;
  readonly query?: Readonly<Record<string, string>>;
  readonly body?: unknown;
  readonly headers?: Record<string, string>;
}
/** Calls a route by its name; what it answers is of the status that it declares. */
async function ask<T = unknown>(
  name: EndpointName,
  { params = {}, query, body, headers }: Given = {},
  caller = ada,
): Promise<T> {
  const endpoint: Endpoint = endpoints[name];
  const path = endpoint.path.replace(/:(\w+)/g, (_, param: string) => encodeURIComponent(params[param]!));
  const search = query ? `?${new URLSearchParams(query).toString()}` : '';
  const { status, data } = await caller.call<T>(endpoint.method.toUpperCase(), path + search, body, headers);
  expect([name, status, status < 300 ? '' : data]).toEqual([name, endpoint.status ?? 200, '']);
  answered.add(name);
  return data;
}

test('signing in, looking who one is, and out again', async () => {
  const guest = new Caller(server.url);
  await ask('signIn', { body: { name: 'guest', password: 'lighthouse' } }, guest);
  await ask('whoAmI', {}, guest);
  await ask('demoPeople', {}, guest);
  const params = { name: 'stuck ledgers' };
  const filter = { q: 'ledger', state: 'unbound' };
  expect(await ask('keepFilter', { params, body: filter }, guest)).toEqual([{ ...params, filter }]);
  await ask('keepFilter', { params: { name: 'all of one' }, body: { namespace: 'ferry-desk' } }, guest);
  expect(await ask<KeptFilter[]>('listFilters', {}, guest)).toHaveLength(2);
  // what others keep is theirs
  expect(await ask('listFilters')).toEqual([]);
  expect(await ask<KeptFilter[]>('dropFilter', { params }, guest)).toHaveLength(1);
  await ask('signOut', {}, guest);
  expect((await guest.call('GET', '/api/claims')).status).toBe(401);
});

test('classes: made, changed, granted, succeeded, deleted', async () => {
  await ask('createClass', { body: aClass('route') });
  const [row] = (await ask<ClassRow[]>('listClasses')).filter((c) => c.storageClass.name === 'route');
  const settings = { ...row!.storageClass, isDefault: false };
  await ask('changeClass', { params: { name: 'route' }, body: { ...settings, copies: 2 } });
  await ask('makeDefault', { params: { name: 'route' } });
  await ask('listForeignClasses');
  await ask('changeGrants', {
    params: { name: 'route' },
    body: { set: [{ namespace: 'tide-gauges', quota: 2 ** 42 }] },
  });
  await ask('getGrants', { params: { name: 'route' } });
  await ask('makeSuccessor', {
    params: { name: 'route' },
    body: { storageClass: { ...settings, name: 'route-2', copies: 1 }, takesDefault: true },
  });
  await ask('listSuccessions', { params: { name: 'route' } });
  await ask('deleteClass', { params: { name: 'route-2' } });
});

test('moorings: set, ordered, drafted, planned', async () => {
  const at = (pool: string) => ({ params: { className: 'route', pool }, body: { enabled: true } });
  await ask('setMooring', at('basalt-swift'));
  await ask('setMooring', at('kelp-nvme'));
  await ask('orderMoorings', { params: { className: 'route' }, body: { pools: ['kelp-nvme', 'basalt-swift'] } });
  await ask('listMoorings');
  await ask('placementState');
  const drafted = { kind: 'mooring', className: 'route', pool: 'basalt-broad', enabled: true, weight: 1, seen: null };
  await ask('applyDraft', { body: { changes: [drafted] } });
  await ask('planPlaces', { body: { places: [{ namespace: 'ferry-desk', claim: 'later', pool: 'kelp-nvme' }] } });
  const [plan] = await ask<KeptPlan[]>('listPlans');
  await ask('dropPlan', { params: { plan: plan!.plan } });
});

test('claims: made, found, followed, deleted; limits and namespaces', async () => {
  await ask('createClaim', { body: aClaim('one', 'route', { size: '5Gi' }) });
  const at = { params: { namespace: 'tide-gauges', name: 'one' } };
  const { claim } = await ada.inState('one', 'bound');
  await ask('getClaim', at);
  await ask('listClaims', { query: { q: 'one', sort: 'size' } });
  await ask('exportClaims', { query: { q: 'one' } });
  await ask('getLine', { query: { claim: claim.volumeName! } });
  await ask('planCopies', { ...at, body: { kind: 'raise' } });
  const allowances = [{ setting: 'copies', minimum: 2, maximum: 3, namespaces: [] }];
  await moorClass(ada, 'copied', ['kelp-nvme'], { copies: 2, allowances });
  await ada.ok('POST', '/api/claims', aClaim('copied', 'copied', { size: '5Gi' }));
  await ada.inState('copied', 'bound');
  await ask('changeCopies', { params: { ...at.params, name: 'copied' }, body: { kind: 'raise' } });
  await ask('planTuning', { ...at, body: { tuned: {} } });
  await ask('tuneClaim', { ...at, body: { tuned: {} } });
  await ask('getGrowth', { ...at, query: { size: '9Gi' } });
  await ask('growClaim', { ...at, body: { size: '6Gi' } });
  const many = { claims: [at.params, { ...at.params, name: 'nobody' }], change: { kind: 'grow-by', by: '1Gi' } };
  await ask('planRound', { body: many });
  const { id } = await ask<{ id: string }>('beginRound', { body: many });
  await ask('getRound', { params: { id } });
  const text = `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: two, namespace: tide-gauges}\nspec: {accessModes: [ReadWriteOnce], storageClassName: route, resources: {requests: {storage: 1Gi}}}\n`;
  await ask('listCandidates', at);
  await ask('listDrifts', { query: { claim: claim.uid } });
  await ask('mendDrifts', { body: { drifts: [{ claimUid: claim.uid, kind: 'larger' }] } });
  await moorClass(ada, 'later', ['basalt-broad'], { copies: 1, binding: 'WaitForFirstConsumer' });
  world.platform.store.create('persistentvolumes', {
    metadata: { name: 'made-before' },
    spec: {
      ...{ capacity: { storage: '900Gi' }, accessModes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
      ...{ storageClassName: 'later', persistentVolumeReclaimPolicy: 'Retain' },
      csi: { driver: 'vast-moorage.example', volumeHandle: 'basalt/elsewhere' },
    },
    status: { phase: 'Available' },
  });
  await ada.ok('POST', '/api/claims', aClaim('by-hand', 'later'));
  await ada.inState('by-hand', 'waiting-pod');
  await ask('nameVolume', { params: { ...at.params, name: 'by-hand' }, body: { volume: 'made-before' } });
  await ask('planManifest', { body: { text } });
  await ask('createFromManifest', { body: { text } });
  await ask('setNamespaceLimit', { params: { namespace: 'tide-gauges' }, body: { bytes: 2 ** 40 } });
  await ask('setLimits', { body: [{ namespace: 'wave-model', was: null, bytes: 2 ** 40 }] });
  await ask('setClassLimit', { params: { namespace: 'tide-gauges', className: 'route' }, body: { bytes: null } });
  const wave = { namespace: 'wave-model' };
  await ask('setEnforcement', { params: wave, body: { byPlatform: false } });
  const request = async (asked: number) =>
    (await ask('askForLimit', { params: wave, body: { measure: 'bytes', asked, reason: 'a longer run' } })) as {
      id: string;
    };
  const [kept, dropped] = [await request(2 ** 41), await request(2 ** 42)];
  await ask('answerLimitRequest', { params: { id: kept.id }, body: { granted: null, answer: 'not this year' } });
  await ask('withdrawLimitRequest', { params: { id: dropped.id } });
  await ask('listLimitRequests', { query: { state: 'open' } });
  await ask('getLimits', { params: wave });
  await ask('getLimitEffect', { params: wave, query: { measure: 'bytes', amount: String(2 ** 40) } });
  const token = (await ask('makeToken', {
    body: { name: 'a panel', namespaces: ['tide-gauges'], days: 30 },
  })) as { id: string };
  await ask('listTokens');
  await ask('revokeToken', { params: { id: token.id } });
  await ask('getUsageMetrics', { query: { top: '2' } });
  await ask('exportUse', { query: { columns: 'pool' } });
  await ask('exportRunways');
  await ask('listWaste', { query: { kind: 'unmounted' } });
  await world.rows(
    `INSERT INTO waste (kind, subject, name, class_name, since, bytes, raw_bytes, cost_micros, saved_micros, reckoned_at)
     VALUES ('class-unused', 'route', 'route', 'route', now(), 0, 0, 0, 0, now() + interval '1 hour') ON CONFLICT DO NOTHING`,
  );
  const which = [{ kind: 'class-unused' as const, subject: 'route' }];
  await ask('setWasteAside', { body: { which, reason: 'kept for spring', until: '2099-01-01' } });
  await ask('takeWasteUp', { body: { which } });
  await ask('listRunways', { query: { kind: 'pool' } });
  await ask('getForecast', { query: { kind: 'pool', name: 'kelp-nvme', against: 'hard' } });
  const wish = { days: 180, pricePerTiB: { fast: 90, standard: null, deep: 12.5 } };
  const changes = [
    { kind: 'capacity' as const, pool: 'kelp-nvme', raw: 2 ** 44, from: '2099-01-01' },
    { kind: 'growth' as const, of: 'site' as const, name: '', times: 2 },
  ];
  await ask('playScenario', { body: { changes, wish } });
  await ask('keepScenario', { params: { name: 'a shelf' }, body: { changes, wish } });
  await ask('listScenarios');
  await ask('dropScenario', { params: { name: 'a shelf' } });
  await ask('listNamespaces');
  await ask('setRate', { body: { tier: 'fast', from: '2026-09-01', perGiB: 0.2, perIops: 0.001 } });
  await ask('setRate', { body: { tier: 'fast', from: '2099-01-01', perGiB: 0.3, perIops: 0 } });
  await ask('dropRate', { params: { tier: 'fast', from: '2099-01-01' } });
  await ask('listRates');
  const month = new Date().toISOString().slice(0, 7);
  await ask('getStatement', { query: { month } });
  await ask('exportStatement', { query: { month } });
  await ask('getUse', { query: { columns: 'tier' } });
  const [from, to] = [60, 0].map((minutes) => new Date(Date.now() - minutes * 60_000).toISOString());
  await ask('exportHistory', { query: { from: from!, to: to! } });
  await ask('getHistory', { query: { of: 'site', from: from!, to: to! } });
  await ask('getFlows', { query: { measure: 'price' } });
  await ask('getPast', { query: { at: from! } });
  await ask('listPastClaims', { query: { at: from!, namespace: 'tide-gauges' } });
  await ask('lookUp', { query: { q: 'route' } });
  await ask('getProof', at);
  await ask('getClaimSayings', at);
  await ask('planDeletion', at);
  await ask('keepVolume', at);
  await ask('deleteClaim', { ...at, query: { confirm: 'one' } });
});

test('volumes that no claim holds: listed, kept longer, destroyed, given back', async () => {
  await moorClass(ada, 'graced', ['basalt-broad'], { copies: 1, reclaim: 'Delete', graceDays: 7 });
  const ids: string[] = [];
  for (const name of ['lost-1', 'lost-2']) {
    await ada.ok('POST', '/api/claims', aClaim(name, 'graced', { size: '1Gi' }));
    ids.push((await ada.inState(name, 'bound')).claim.uid);
    await ada.ok('DELETE', `/api/claims/tide-gauges/${name}`);
  }
  await eventually('both are adrift', async () => {
    const { rows } = await ask<SalvagePage>('listSalvage', { query: { q: 'lost-' } });
    return rows.length === 2;
  });
  await ask('lengthenGrace', { body: { id: ids[0], days: 1 } });
  await ask('giveBack', { body: { volumes: [{ id: ids[0], namespace: 'tide-gauges', name: 'lost-1' }] } });
  await ask('destroyVolume', { body: { id: ids[1], confirm: 'lost-2' } });
});

test('backends: probed, registered, looked at, changed, forgotten', async () => {
  const [eddy] = world.more;
  const access = { address: eddy!.url, username: 'moorage', password: 'turning-tide' };
  await ask('probeBackend', { body: access });
  await ask('registerBackend', { body: { ...access, id: 'eddy', title: 'Eddy', sites: ['quayside'] } });
  const at = { params: { id: 'eddy' } };
  const rows = await ask<BackendRow[]>('listBackends');
  await ask('changeBackend', { ...at, body: { cap: 2 ** 50 } });
  await ask('changeCredentials', { ...at, body: { username: access.username, password: access.password } });
  const pool = rows.flatMap((b) => b.pools).find((p) => p.id === 'kelp-nvme')!;
  await ask('changePool', {
    params: { pool: pool.id },
    body: { overcommit: 2 },
    headers: { 'If-Match': `"${pool.version}"` },
  });
  await ask('getLoad', { params: { id: 'kelp' } });
  await ask('listBackendEvents', { params: { id: 'kelp' } });
  await ask('listBackendVolumes', { params: { id: 'kelp' } });
  await ask('getPoolShape', { params: { id: 'kelp', pool: 'kelp-nvme' } });
  const disks = await eventually('the disks', async () => {
    const all = disksOf(await ask<Inventory>('getInventory', at));
    return all.length === 27 && all;
  });
  const design = suggestDesign(disks, { pool: 'eddy-main', level: 'node', scheme: { kind: 'copies', copies: 3 } });
  const reshape = await ask<Reshape>('beginReshape', {
    ...at,
    body: { kind: 'commission', design, protocols: ['NVMeOverFabrics'], encrypted: true },
  });
  await ask('undoReshape', { params: { id: reshape.id } });
  await eventually('it has ended', async () => (await ask<Reshape[]>('listReshapes', at)).every((r) => r.endedAt));
  await ask('removeBackend', at);
});

test('what a node may mount is looked at, and an address let in and taken away', async () => {
  const { url: address } = world.more[1]!;
  const access = { address, username: 'moorage', password: 'slow-stone' };
  await ask('registerBackend', { body: { ...access, id: 'gneiss', title: 'Gneiss', sites: ['quayside'] } });
  await eventually('the node is missed', async () =>
    (await ask<Readiness>('readiness')).cells.some((c) =>
      c.checks.some((k) => k.check === 'export' && k.state === 'failed'),
    ),
  );
  const params = { id: 'gneiss', address: '10.40.10.33' };
  await eventually('its pools are known', async () =>
    (await ask<BackendRow[]>('listBackends')).some((b) => b.pools.some((p) => p.id === 'gneiss-shared')),
  );
  await moorClass(ada, 'files', ['gneiss-shared'], { copies: 1 });
  await ada.ok('POST', '/api/claims', aClaim('tiles', 'files', { size: '10Gi', modes: ['ReadWriteMany'] }));
  await ada.inState('tiles', 'bound');
  await ask('getShare', { params: { namespace: 'tide-gauges', name: 'tiles' } });
  const pool = { pool: 'gneiss-shared' };
  expect((await ask<Carving>('getCarving', { params: pool })).shares).toBe(1);
  await world.rows(`INSERT INTO instances (pool_id, id, bytes) VALUES ('gneiss-shared', 'spare', 1099511627776)`);
  await ask('freeInstance', { params: { ...pool, instance: 'spare' }, body: { moves: [] } });
  await ask('allowClient', { params });
  await ask('disallowClient', { params });
});

test('buckets: their classes, claims, keys, and the end of each', async () => {
  const cls = { name: 'route-logs', pools: ['kelp-deep'], deletion: 'Retain', limit: '1Gi' };
  await ask('createBucketClass', { body: cls });
  const params = { namespace: 'ferry-desk', name: 'route-bucket', access: 'route-key' };
  await ask('createBucket', { body: { ...params, access: undefined, className: 'route-logs' } });
  const { bucket } = await eventually('it is ready', async () => {
    const found = await ask<BucketDetail>('getBucket', { params });
    return found.bucket.state === 'ready' && found;
  });
  await ask('createBucketKey', { params, body: { name: 'route-key', secretName: 'route-secret' } });
  await ask('deleteBucketKey', { params });
  await ask('setBucketLimit', { params, body: { limit: '2Gi' } });
  await ask('deleteBucket', { params });
  await eventually('it is kept', async () =>
    (await ask<BucketPage>('listBuckets')).rows.some((r) => r.uid === bucket.uid && r.state === 'kept'),
  );
  await ask('destroyBucket', { params: { bucket: bucket.bucket! }, query: { confirm: 'route-bucket' } });
  await eventually('nothing names the class', async () =>
    (await ask<BucketClassRow[]>('listBucketClasses')).every((c) => c.buckets === 0),
  );
  await ask('deleteBucketClass', { params: { name: 'route-logs' } });
});

test('findings, operations, the logbook, and what the server says of itself', async () => {
  world.kelp.faults.add({ kind: 'hang' });
  const finding = await eventually('a finding', async () => (await ask<FindingRow[]>('listFindings'))[0]);
  world.kelp.faults.heal();
  const at = { params: { id: finding.id } };
  await ask('setAside', { ...at, body: { reason: 'looked at it', until: '2099-01-01' } });
  await ask('takeUp', at);
  const refuse = {
    kind: 'refuse',
    method: 'POST',
    path: 'persistentvolumeclaims$',
    status: 422,
    skip: 1,
    times: 1,
  } as const;
  world.platform.faults.add(refuse);
  const claim = (name: string) =>
    `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: ${name}, namespace: ferry-desk}\nspec: {accessModes: [ReadWriteOnce], storageClassName: route, resources: {requests: {storage: 1Gi}}}\n`;
  await ada.call('POST', '/api/manifests', { text: `${claim('half-a')}---\n${claim('half-b')}` });
  const { rows } = await ask<OperationPage>('listOperations', { query: { show: 'stopped' } });
  await ask('retryRefused');
  // to its end: what is still to be made would meet the next refusal
  await eventually('it goes on', () =>
    Promise.resolve(world.platform.store.find('persistentvolumeclaims', 'ferry-desk', 'half-b')),
  );
  world.platform.faults.add(refuse);
  await ada.call('POST', '/api/manifests', { text: `${claim('half-c')}---\n${claim('half-d')}` });
  const [stopped] = (await ask<OperationPage>('listOperations', { query: { show: 'stopped' } })).rows;
  expect(stopped!.id).not.toBe(rows[0]!.id);
  await ask('steerOperation', { params: { id: stopped!.id, act: 'cancel' } });
  await ask('listLogbook', { query: { limit: '5' } });
  await ask('health');
  await ask('openapi');
  const abort = new AbortController();
  const events = await fetch(`${server.url}/api/events`, { headers: { Cookie: ada.cookieText }, signal: abort.signal });
  expect(events.status).toBe(200);
  abort.abort();
  answered.add('events');
});

test('applications: planned, started, spread, scaled, a pod of one deleted', async () => {
  const body = {
    ...{ namespace: 'tide-gauges', name: 'routed', replicas: 2, image: 'example/routed', port: 8080, ordered: false },
    ...{ spread: 'any', whenScaled: 'Delete', whenDeleted: 'Delete' },
    templates: [{ name: 'data', className: 'route', size: '1Gi', modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' }],
  };
  const at = { params: { namespace: 'tide-gauges', name: 'routed' } };
  await ask('planApplication', { body });
  const text = applicationManifests({ ...body, name: 'written' } as never, false)
    .map((o) => JSON.stringify(o))
    .join('\n---\n');
  await ask('planApplicationText', { body: { text } });
  await ask('startApplicationText', { body: { text } });
  await ask('startApplication', { body });
  await eventually('it runs', async () =>
    (await ask<ApplicationPage>('listApplications', { query: { q: 'routed' } })).applications.some(
      (a) => a.ready === 2,
    ),
  );
  await ask('planSpread', { ...at, body: { by: 'nodes' } });
  await ask('spreadApplication', { ...at, body: { by: 'nodes' } });
  await ask('planScale', { ...at, body: { replicas: 3 } });
  await ask('scaleApplication', { ...at, body: { replicas: 3 } });
  await ask('listNodes');
  const node = { params: { node: 'quay-12' } };
  await ask('declareOff', { ...node, body: { off: false } });
  await ask('planDrain', node);
  await ask('drainNode', node);
  await ask('cordonNode', { ...node, body: { cordoned: false } });
  await ask('deletePod', { params: { ...at.params, pod: 'routed-0' } });
  await ask('getApplication', at);
});

test('no route is left out', () => {
  expect((Object.keys(endpoints) as EndpointName[]).filter((name) => !answered.has(name))).toEqual([]);
});
