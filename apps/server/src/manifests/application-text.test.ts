import type { ApplicationSeen, ApplicationTextPlan } from '@moorage/contract/applications';
import type { Problem } from '@moorage/contract/problem';
import { Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let maren: Caller;
let url: string;
beforeAll(async () => {
  world = await makeWorld();
  const server = await world.start();
  url = server.url;
  maren = await world.operator(server);
  await moorClass(maren, 'kept', ['kelp-nvme'], { copies: 2 });
});
afterAll(() => world.end());

const set = (name: string, part = '', namespace = 'tide-gauges') => `apiVersion: apps/v1
kind: StatefulSet
metadata: { name: ${name}, namespace: ${namespace} }
spec:
  serviceName: ${name}
  replicas: 2
  podManagementPolicy: Parallel
  selector: { matchLabels: { app: ${name} } }
  template:
    metadata: { labels: { app: ${name}, team: sound } }
    spec:
      terminationGracePeriodSeconds: 7
${part}      containers:
        - { name: main, image: example/store, resources: { requests: { cpu: 1, memory: 1Gi } } }
  volumeClaimTemplates:
    - metadata: { name: data }
      spec: { accessModes: [ReadWriteOnce], storageClassName: kept, resources: { requests: { storage: 4Gi } } }
`;
const service = (name: string, namespace = 'tide-gauges') => `apiVersion: v1
kind: Service
metadata: { name: ${name}, namespace: ${namespace} }
spec: { clusterIP: None, selector: { app: ${name} }, ports: [{ port: 80 }] }
---
`;
const plan = (text: string) =>
  maren.call<ApplicationTextPlan & Problem>('POST', '/api/applications/manifest/plan', { text });
const start = (text: string, caller = maren) => caller.call<Problem>('POST', '/api/applications/manifest', { text });

test('what is written is planned, started as it is written, and runs', async () => {
  const text = service('store', 'charts') + set('store', '', 'charts');
  const seen = (await plan(text)).data;
  expect(seen).toMatchObject({ namespace: 'charts', name: 'store', replicas: 2, isNewNamespace: true, notRead: [] });
  expect(seen.plan).toMatchObject({ fits: true, claims: [{ pool: 'kelp-nvme' }, { pool: 'kelp-nvme' }] });
  expect(world.platform.store.find('namespaces', undefined, 'charts')).toBeUndefined();
  expect((await start(text)).status).toBe(201);
  await eventually(
    'it runs',
    async () => (await maren.ok<ApplicationSeen>('GET', '/api/applications/charts/store')).application.ready === 2,
  );
  // also what no form of ours knows
  const pod = world.platform.store.get('pods', 'charts', 'store-0');
  expect(pod.spec).toMatchObject({ terminationGracePeriodSeconds: 7 });
  expect(pod.metadata.labels).toMatchObject({ team: 'sound' });
  expect((await start(text)).data.code).toBe('platform-exists');
});

test.each([
  ['kind: Deployment\nmetadata: { name: a }', /Line 1: A Deployment is not started here/],
  [set('a') + '---\n' + set('b'), /Line 19: One stateful set is started at a time/],
  [set('a').replace('replicas: 2', 'replicas: many'), /Line 1, spec.replicas: /],
  [set('a').replace('replicas: 2', 'replicas: 9000'), /Line 1, spec.replicas: /],
  [set('a').replace(/ {2}volumeClaimTemplates[^]*/, ''), /spec.volumeClaimTemplates: /],
  [set('a').replace(', namespace: tide-gauges', ''), /Say the namespace/],
  [service('a', 'wave-model') + set('a'), /Line 1: It is not of the namespace tide-gauges/],
  ['kind: [', /^Line \d+/],
  ['', /nothing in it/],
  ['apiVersion: v1\nkind: Service\nmetadata: { name: a, namespace: tide-gauges }', /no stateful set/],
])('%#: what cannot be started is refused with its line, and nothing is made', async (text, detail) => {
  const refused = await start(text);
  expect([refused.status, refused.data.detail]).toEqual([422, expect.stringMatching(detail)]);
  expect(world.platform.store.list('statefulsets', 'tide-gauges')).toEqual([]);
  expect(world.platform.store.list('services', 'tide-gauges')).toEqual([]);
});

test('what the plan does not rest on is named', async () => {
  expect((await plan(set('a', '      affinity: { podAntiAffinity: {} }\n'))).data.notRead).toEqual(['affinity']);
});

test('what does not fit, or names no class of ours, is refused and leaves nothing', async () => {
  const big = await start(service('a') + set('a').replace('4Gi', '900Ti'));
  expect([big.status, big.data.code]).toEqual([409, 'does-not-fit']);
  const none = await start(service('a') + set('a').replace('storageClassName: kept', 'storageClassName: deep'));
  expect(none.data.detail).toMatch(/There is no class deep of ours/);
  expect(world.platform.store.list('services', 'tide-gauges')).toEqual([]);
});

test('what the platform refuses is taken back', async () => {
  // pods that the selector does not find
  const { status } = await start(
    service('odd') +
      set('odd').replace('selector: { matchLabels: { app: odd } }', 'selector: { matchLabels: { app: even } }'),
  );
  expect(status).toBeGreaterThanOrEqual(400);
  expect(world.platform.store.find('services', 'tide-gauges', 'odd')).toBeUndefined();
  expect(world.platform.store.find('statefulsets', 'tide-gauges', 'odd')).toBeUndefined();
});

test('only who may do anything on the platform anyway starts pods that are written whole', async () => {
  for (const person of ['ivo', 'guest', 'tom']) {
    const caller = await new Caller(url).signIn(person);
    expect((await start(set('a', '', 'ferry-desk'), caller)).status).toBe(403);
  }
  expect(world.platform.store.list('statefulsets', 'ferry-desk')).toEqual([]);
});
