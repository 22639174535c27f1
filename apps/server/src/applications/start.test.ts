import type { ApplicationPlan, NewApplication, ScalePlan } from '@moorage/contract/applications';
import type { ClaimPage } from '@moorage/contract/claims';
import type { FindingRow } from '@moorage/contract/findings';
import type { KeptPlan } from '@moorage/contract/moorings';
import type { Problem } from '@moorage/contract/problem';
import type { RunningServer } from '../server';
import { Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'kept', ['kelp-nvme', 'basalt-broad'], { copies: 2 });
  await moorClass(maren, 'array', ['basalt-broad'], { copies: 1 });
  await moorClass(maren, 'late', ['kelp-nvme'], { copies: 2, binding: 'WaitForFirstConsumer' });
});
afterAll(() => world.end());
afterEach(() => world.platform.faults.heal());

const asked = (name: string, part: Partial<NewApplication> = {}): NewApplication => ({
  ...{ namespace: 'tide-gauges', name, replicas: 3, image: 'example/store', port: 8080, ordered: false },
  ...({ spread: 'nodes', whenScaled: 'Retain', whenDeleted: 'Retain' } as const),
  templates: [{ name: 'data', className: 'kept', size: '4Gi', modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' }],
  ...part,
});
const templates = (part: object) => [{ ...asked('x').templates[0]!, ...part }];
const plan = (of: NewApplication, caller = maren) => caller.ok<ApplicationPlan>('POST', '/api/applications/plan', of);
const start = (of: NewApplication, caller = maren) => caller.call<Problem>('POST', '/api/applications', of);
const podsOf = (name: string, namespace = 'tide-gauges') =>
  world.platform.store
    .list('pods', namespace)
    .filter((p) => p.metadata.ownerReferences?.[0]?.name === name && !p.metadata.deletionTimestamp);
const allUp = (name: string, count: number, namespace?: string) =>
  eventually(`${name} runs`, () =>
    Promise.resolve(podsOf(name, namespace).filter((p) => p.status?.phase === 'Running').length === count),
  );
const scale = (name: string, replicas: number) =>
  maren.call<Problem>('POST', `/api/applications/tide-gauges/${name}/scale`, { replicas });
const scalePlan = (name: string, replicas: number) =>
  maren.ok<ScalePlan>('POST', `/api/applications/tide-gauges/${name}/scale/plan`, { replicas });
const poolOf = async (claim: string) =>
  (await maren.ok<ClaimPage>('GET', `/api/claims?q=${claim}`)).claims.find((c) => c.name === claim)?.pool;
const nothingOf = (name: string) =>
  [...world.platform.store.list('statefulsets'), ...world.platform.store.list('services')].filter(
    (o) => o.metadata.name === name,
  );

test('an application starts as it was planned: each claim in its pool, each pod on a node that takes it', async () => {
  for (const className of ['kept', 'late']) {
    const name = `store-${className}`;
    const planned = await plan(asked(name, { templates: templates({ className }) }));
    expect(planned).toMatchObject({ fits: true, missing: [], bytes: 12 * GiB });
    expect(planned.claims.map((c) => [c.name, c.isThere])).toEqual([0, 1, 2].map((i) => [`data-${name}-${i}`, false]));
    expect(new Set(planned.pods.map((p) => p.node)).size).toBe(3);
    expect((await start(asked(name, { templates: templates({ className }) }))).status).toBe(201);
    await allUp(name, 3);
    for (const { name: claim, pool } of planned.claims) expect([claim, await poolOf(claim)]).toEqual([claim, pool]);
    // which of them is first depends on which claim is bound first
    const nodes = podsOf(name).map((p) => p.spec!.nodeName);
    expect([...nodes].sort()).toEqual(planned.pods.map((p) => p.node).sort());
    expect(
      nothingOf(name)
        .map((o) => o.kind)
        .sort(),
    ).toEqual(['Service', 'StatefulSet']);
  }
});

test('what is there already, has no class of ours, or does not fit is refused in words, and nothing is made', async () => {
  const refused = async (of: NewApplication) => {
    const { status, data } = await start(of);
    return `${status} ${data.detail}`;
  };
  expect(await refused(asked('store-kept'))).toBe('409 tide-gauges/store-kept runs already.');
  expect(await refused(asked('none', { templates: templates({ className: 'nowhere' }) }))).toBe(
    '409 There is no class nowhere of ours. Make it, or choose another for the template. Nothing was made.',
  );
  expect(await refused(asked('huge', { templates: templates({ size: '40Ti' }), replicas: 9 }))).toMatch(
    /^409 The claim data-huge-\d finds no place: on .* the rule ".*" needs \d+ and has [\d.]+\. \d more claims have no place either\. Nothing was made\.$/,
  );
  const crowded = asked('crowd', { replicas: 13 });
  // more than one on a node is let by the rule once every node has one
  expect((await plan(crowded)).fits).toBe(true);
  for (const node of world.platform.store.list('nodes').slice(1))
    world.platform.store.amend('nodes', node, (copy) => {
      copy.spec!.unschedulable = true;
    });
  await eventually('it is known', async () => (await plan(asked('crowd', { replicas: 2 }))).pods[1]!.node === null);
  expect(await refused(asked('crowd', { replicas: 2 }))).toBe(
    '409 No node takes the pod crowd-1: of all nodes 11 are cordoned, 1 are beside others of it. Nothing was made.',
  );
  for (const node of world.platform.store.list('nodes'))
    world.platform.store.amend('nodes', node, (copy) => {
      copy.spec!.unschedulable = false;
    });
  for (const name of ['none', 'huge', 'crowd']) expect(nothingOf(name)).toEqual([]);
  await eventually('nodes take pods again', async () => (await plan(asked('crowd', { replicas: 2 }))).fits);
});

test('an answer of the platform that is lost, or a refusal half way, leaves all of it or nothing', async () => {
  world.platform.faults.add({ kind: 'lose-answer', method: 'POST', path: '/services', times: 1 });
  const lost = await start(asked('half', { replicas: 1 }));
  if (lost.status === 201) await allUp('half', 1);
  else expect(nothingOf('half')).toEqual([]);
  world.platform.faults.heal();
  world.platform.faults.add({ kind: 'refuse', method: 'POST', path: '/statefulsets', status: 403, times: 1 });
  expect((await start(asked('whole', { replicas: 1 }))).status).toBeGreaterThanOrEqual(400);
  await eventually('its service is gone again', () => Promise.resolve(nothingOf('whole').length === 0));
  expect((await maren.ok<KeptPlan[]>('GET', '/api/planned-places')).map((p) => p.first)).not.toContain('data-whole-0');
  expect((await start(asked('whole', { replicas: 1 }))).status).toBe(201);
  await allUp('whole', 1);
});

test('two who start the same at once start it once', async () => {
  const answers = await Promise.all([start(asked('twice', { replicas: 1 })), start(asked('twice', { replicas: 1 }))]);
  expect(answers.map((a) => a.status).sort()).toEqual([201, 409]);
  await allUp('twice', 1);
});

test('a namespace that is not there is made by an operator, and by nobody else', async () => {
  const elsewhere = asked('beacon', { namespace: 'buoy-telemetry', replicas: 1 });
  const ivo = await new Caller(server.url).signIn('ivo');
  expect((await start(elsewhere, ivo)).status).toBe(403);
  expect((await ivo.call('POST', '/api/applications/plan', elsewhere)).status).toBe(403);
  expect((await start(elsewhere)).status).toBe(201);
  await allUp('beacon', 1, 'buoy-telemetry');
  expect((await start(asked('desk', { namespace: 'ferry-desk', replicas: 1 }), ivo)).status).toBe(201);
  await allUp('desk', 1, 'ferry-desk');
});

test('replicas are added and taken away, and it is said before what becomes of their claims', async () => {
  const up = await scalePlan('store-kept', 5);
  expect(up).toMatchObject({ from: 3, to: 5, claims: [], start: { fits: true, bytes: 8 * GiB } });
  expect(up.start!.pods.map((p) => p.pod)).toEqual(['store-kept-3', 'store-kept-4']);
  const taken = podsOf('store-kept').map((p) => p.spec!.nodeName);
  for (const { node } of up.start!.pods) expect(taken).not.toContain(node);
  expect((await scale('store-kept', 5)).status).toBe(200);
  await allUp('store-kept', 5);
  const down = await scalePlan('store-kept', 3);
  expect(down).toMatchObject({ from: 5, to: 3, start: null, whenScaled: 'Retain', destroyed: 0, confirm: false });
  expect(down.claims.map((c) => c.name)).toEqual(['data-store-kept-3', 'data-store-kept-4']);
  expect((await scale('store-kept', 3)).status).toBe(200);
  await eventually('two are gone', () => Promise.resolve(podsOf('store-kept').length === 3));
  // what stayed is taken up again
  expect((await scalePlan('store-kept', 4)).start).toMatchObject({ bytes: 0, claims: [{ isThere: true, pool: null }] });
  expect((await scale('store-kept', 13)).status).toBe(200);
  await allUp('store-kept', 13);
  expect((await scale('nobody', 3)).status).toBe(404);
});

test('data that would be destroyed with its replica needs the name, and a set that waits for deletion is not rolled', async () => {
  const of = asked('brief', { replicas: 2, whenScaled: 'Delete', templates: templates({ className: 'array' }) });
  expect((await start(of)).status).toBe(201);
  await allUp('brief', 2);
  const { claim } = await maren.inState('data-brief-1', 'bound');
  world.basalt.backend.write(claim.volumeId!, GiB);
  await eventually('what is written is known', async () => (await scalePlan('brief', 1)).destroyed === GiB);
  expect(await scalePlan('brief', 1)).toMatchObject({ whenScaled: 'Delete', confirm: true });
  const unnamed = await scale('brief', 1);
  expect([unnamed.status, unnamed.data.code]).toEqual([409, 'confirm-destruction']);
  expect(world.platform.store.get('statefulsets', 'tide-gauges', 'brief').spec!.replicas).toBe(2);
  const named = { replicas: 1, confirm: 'brief' };
  expect((await maren.call('POST', '/api/applications/tide-gauges/brief/scale', named)).status).toBe(200);
  await eventually('its claim is gone', () =>
    Promise.resolve(!world.platform.store.find('persistentvolumeclaims', 'tide-gauges', 'data-brief-1')),
  );
  const set = world.platform.store.get('statefulsets', 'tide-gauges', 'brief');
  world.platform.store.amend('statefulsets', set, (copy) => {
    copy.spec!.updateStrategy = { type: 'OnDelete' };
  });
  await eventually('it is refused', async () => {
    const { data } = await maren.call<Problem>('POST', '/api/applications/tide-gauges/brief/spread', { by: 'nodes' });
    return data.code === 'does-not-roll';
  });
});

test('replicas that stand on one node are found, and keep apart when they are told to', async () => {
  const nodes = world.platform.store.list('nodes');
  const cordon = (but: string | undefined) => {
    for (const { metadata } of nodes)
      world.platform.store.amend('nodes', world.platform.store.get('nodes', undefined, metadata.name), (copy) => {
        copy.spec!.unschedulable = but !== undefined && metadata.name !== but;
      });
  };
  cordon('quay-08');
  // an array tells nothing of nodes: where its pods are is all that counts
  const cache = asked('cache', {
    ...{ namespace: 'ferry-desk', replicas: 2, spread: 'any' },
    templates: templates({ className: 'array' }),
  });
  await eventually('it is known', async () => (await plan(cache)).pods.every((p) => p.node === 'quay-08'));
  expect((await start(cache)).status).toBe(201);
  await allUp('cache', 2, 'ferry-desk');
  cordon(undefined);
  const together = async (caller: Caller) =>
    (await caller.ok<FindingRow[]>('GET', '/api/findings')).find((f) => f.id === 'replicas-together:node:replicas');
  const ivo = await new Caller(server.url).signIn('ivo');
  // who sees one namespace is told of that alone
  const { facts } = await eventually('it is found', () => together(ivo));
  expect(facts).toMatchObject({ applications: 1, some: ['ferry-desk/cache'] });
  expect((await eventually('others see all', () => together(maren))).weight).toBeGreaterThanOrEqual(1);
  const at = '/api/applications/ferry-desk/cache/spread';
  const apart = await eventually('nodes take pods', async () => {
    const planned = await maren.ok<ApplicationPlan>('POST', `${at}/plan`, { by: 'zones' });
    return planned.fits && planned;
  });
  expect(new Set(apart.pods.map((p) => p.zone)).size).toBe(2);
  expect((await maren.call('POST', at, { by: 'zones' })).status).toBe(200);
  await eventually('they are apart', () =>
    Promise.resolve(new Set(podsOf('cache', 'ferry-desk').map((p) => p.spec!.nodeName)).size === 2),
  );
  await allUp('cache', 2, 'ferry-desk');
  await eventually('it is found no more', async () => !(await together(ivo)));
});

test('a set that somebody changed since it was looked at is not written over', async () => {
  world.platform.faults.add({
    kind: 'latency',
    method: 'PATCH',
    path: '/statefulsets/twice',
    latencyMs: 1500,
    times: 1,
  });
  const scaling = scale('twice', 2);
  await eventually('it is asked', () =>
    Promise.resolve(world.platform.faults.calls.some((c) => c.method === 'PATCH' && c.path.includes('/twice'))),
  );
  world.platform.store.amend(
    'statefulsets',
    world.platform.store.get('statefulsets', 'tide-gauges', 'twice'),
    (copy) => {
      copy.spec!.replicas = 3;
    },
  );
  expect((await scaling).status).toBe(409);
  await eventuallyHolds('theirs stands', () => {
    expect(world.platform.store.get('statefulsets', 'tide-gauges', 'twice').spec!.replicas).toBe(3);
    return Promise.resolve();
  });
});
