import type { OperationPage, OperationRow } from '@moorage/contract/operations';
import type { ForeignClass } from '@moorage/contract/classes';
import type { ManifestPlan, ManifestResult } from '@moorage/contract/manifests';
import type { Problem } from '@moorage/contract/problem';
import type { RunningServer } from '../server';
import { Caller, eventually, makeWorld, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
});
afterAll(() => world.end());

const post = (text: string, caller = maren) =>
  caller.call<Problem & { made: { name: string }[] }>('POST', '/api/manifests', { text });
const claim = (name: string, storage = '5Gi', namespace = 'ferry-desk') => `apiVersion: v1
kind: PersistentVolumeClaim
metadata:
  name: ${name}
  namespace: ${namespace}
spec:
  accessModes: [ReadWriteOnce]
  storageClassName: from-text
  resources:
    requests:
      storage: ${storage}
`;
const cls = (parameters = '  vast-moorage.example/copies: "2"') => `apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata:
  name: from-text
provisioner: vast-moorage.example
parameters:
${parameters}
`;

test('a class and a claim in one text are made, and the claim binds once it is moored', async () => {
  const { status, data } = await post(`${cls()}---\n${claim('from-text')}`);
  expect(status).toBe(201);
  expect(data.made.map((m) => m.name)).toEqual(['from-text', 'from-text']);
  await maren.inState('from-text', 'nothing-fits', 'ferry-desk');
  await maren.ok('PUT', '/api/moorings/from-text/basalt-broad', { enabled: true });
  await maren.inState('from-text', 'bound', 'ferry-desk');
});

test.each([
  [
    'a size',
    claim('x', '5 parsecs'),
    'spec.resources.requests.storage',
    /^line 11, spec.resources.requests.storage: Not a size/,
  ],
  ['a name', claim('Not_A_Name'), 'metadata.name', /^line 4, metadata.name: /],
  ['an access mode', claim('x').replace('ReadWriteOnce', 'ReadTwice'), 'spec.accessModes.0', /^line 7/],
  ['a missing part', claim('x').replace(/ {2}resources[^]*$/, ''), 'spec.resources', /^line \d+, spec.resources/],
  ['no kind', 'apiVersion: v1\nmetadata: {name: x}', 'text', /^line 1: This is no object/],
  [
    'a misspelt setting',
    cls('  vast-moorage.example/copys: "2"'),
    'parameters.vast-moorage.example/copys',
    /^line 7.*Was "copies" meant/,
  ],
  [
    'a setting out of range',
    cls('  vast-moorage.example/copies: "9"'),
    'parameters.vast-moorage.example/copies',
    /"9" is not a value/,
  ],
  [
    'a parameter that is no text',
    cls('  vast-moorage.example/copies: 2'),
    'parameters.vast-moorage.example/copies',
    /quotes/,
  ],
  ['broken YAML', 'kind: [PersistentVolumeClaim', 'text', /^line \d/],
  ['nothing', '# only a comment', 'text', /no document/],
])('%s that is wrong is refused with field and line, and nothing is made', async (_what, text, field, detail) => {
  const before = world.platform.store.resourceVersion;
  const { status, data } = await post(text);
  expect([status, data.code, data.field]).toEqual([422, 'invalid', field]);
  expect(data.detail).toMatch(detail);
  expect(world.platform.store.resourceVersion).toBe(before);
});

test('one wrong document keeps all others from being made, and is told by its number', async () => {
  const before = world.platform.store.resourceVersion;
  const { data } = await post(`${claim('good')}---\n${claim('bad', '-1Gi')}`);
  expect(data.field).toBe('1.spec.resources.requests.storage');
  expect(world.platform.store.resourceVersion).toBe(before);
});

test('classes of other provisioners are written as they are, kept when they stand already, and what is not ours is left alone', async () => {
  const driftwood = {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name: 'driftwood', annotations: { 'plank.example/owner': 'crew' } },
    provisioner: 'plank.example',
    parameters: { 'plank.example/grain': 'along', knots: '7' },
    reclaimPolicy: 'Delete',
    volumeBindingMode: 'Immediate',
  };
  const pod = { apiVersion: 'v1', kind: 'Pod', metadata: { name: 'x', namespace: 'ferry-desk' } };
  const text = JSON.stringify({ apiVersion: 'v1', kind: 'List', items: [driftwood, pod] });
  const first = await maren.ok<ManifestResult>('POST', '/api/manifests', { text });
  expect([first.made.map((m) => m.name), first.kept.map((m) => m.name)]).toEqual([['driftwood'], ['x']]);
  const again = await maren.ok<ManifestResult>('POST', '/api/manifests', { text });
  expect([again.made.length, again.kept.map((m) => m.name)]).toEqual([0, ['driftwood', 'x']]);
  const [foreign] = await maren.ok<ForeignClass[]>('GET', '/api/foreign-classes');
  expect(foreign).toMatchObject({ name: 'driftwood', provisioner: 'plank.example', manifest: driftwood });
  expect((await post(text.replace('along', 'across'))).status).toBe(409);
});

test('a namespace owner makes claims of the own namespaces, and no class', async () => {
  const ivo = await new Caller(server.url).signIn('ivo');
  expect((await post(claim('ours'), ivo)).status).toBe(201);
  expect((await post(claim('theirs', '5Gi', 'tide-gauges'), ivo)).status).toBe(403);
  expect((await post(cls(), ivo)).status).toBe(403);
});

const stopped = async (about: string) => {
  const page = await maren.ok<OperationPage>('GET', '/api/operations?show=stopped&kind=manifests');
  return page.rows.find((r) => r.about.includes(about));
};
const steer = (id: string, act: string) => maren.ok<OperationRow>('POST', `/api/operations/${id}/${act}`);
const onPlatform = (name: string) => world.platform.store.find('persistentvolumeclaims', 'ferry-desk', name);
const toldOf = async (name: string) =>
  (
    await world.rows<{ action: string }>(`SELECT action FROM logbook WHERE subject = $1 ORDER BY id`, [
      `ferry-desk/${name}`,
    ])
  ).map((e) => e.action);

describe('what the platform refuses half way', () => {
  const refuseSecond = () =>
    world.platform.faults.add({
      kind: 'refuse',
      method: 'POST',
      path: 'persistentvolumeclaims$',
      skip: 1,
      status: 422,
      times: 1,
    });

  test('says what was made before, stops, and is gone on with when a person says so', async () => {
    refuseSecond();
    const { status, data } = await post(`${claim('half-a')}---\n${claim('half-b')}`);
    expect([status, data.detail]).toEqual([422, expect.stringMatching(/Made before it: half-a/)]);
    const operation = await stopped('half-a');
    expect(operation).toMatchObject({
      status: 'refused',
      state: 'asking',
      progress: { total: 2, remaining: 1, unit: 'steps' },
    });
    expect([...operation!.can].sort()).toEqual(['cancel', 'retry']);
    world.platform.faults.heal();
    await steer(operation!.id, 'retry');
    await eventually('it has ended', async () => (await toldOf('half-b')).length > 0);
    expect(onPlatform('half-b')).toBeDefined();
    expect(await stopped('half-a')).toBeUndefined();
    expect([await toldOf('half-a'), await toldOf('half-b')]).toEqual([['create'], ['create']]);
  });

  test('is taken back when a person says so, and the logbook tells of both', async () => {
    refuseSecond();
    await post(`${claim('back-a')}---\n${claim('back-b')}`);
    const operation = await stopped('back-a');
    expect(onPlatform('back-a')).toBeDefined();
    await steer(operation!.id, 'cancel');
    await eventually('it is taken back', async () => onPlatform('back-a') === undefined);
    await eventually('it is told', async () => (await toldOf('back-a')).join() === 'create,delete');
    expect(await toldOf('back-b')).toEqual([]);
  });

  test('is met by the next manifest of the same claims, which says what stands in its way', async () => {
    world.platform.faults.add({
      kind: 'refuse',
      method: 'POST',
      path: 'persistentvolumeclaims$',
      skip: 1,
      status: 422,
    });
    await post(`${claim('way-a')}---\n${claim('way-b')}`);
    const { status, data } = await post(claim('way-b'));
    expect([status, data.code]).toEqual([409, 'act-under-way']);
    world.platform.faults.heal();
    // once nothing is in the way of the first, the next carries that to its end, and finds its claim as it is wanted
    await steer((await stopped('way-a'))!.id, 'retry');
    const { made, kept } = (await post(claim('way-b'))).data as unknown as ManifestResult;
    expect([made, kept.map((k) => k.name)]).toEqual([[], ['way-b']]);
  });

  test('is seen and taken back by the namespace owner who began it, and by no other owner', async () => {
    const ivo = await new Caller(server.url).signIn('ivo');
    refuseSecond();
    await post(`${claim('own-a')}---\n${claim('own-b')}`, ivo);
    const list = (caller: Caller) => caller.ok<OperationPage>('GET', '/api/operations?show=stopped');
    const [own] = (await list(ivo)).rows;
    expect([own!.about, own!.can]).toEqual(['claim ferry-desk/own-a, claim ferry-desk/own-b', ['retry', 'cancel']]);
    // what an operator began elsewhere is not theirs to see, nor to steer
    world.platform.faults.add({
      kind: 'refuse',
      method: 'POST',
      path: 'persistentvolumeclaims$',
      skip: 1,
      status: 422,
      times: 1,
    });
    await post(`${claim('far-a', '1Gi', 'tide-gauges')}---\n${claim('far-b', '1Gi', 'wave-model')}`);
    const far = (await list(maren)).rows.find((r) => r.about.includes('far-a'))!;
    expect((await list(ivo)).rows.map((r) => r.id)).toEqual([own!.id]);
    expect((await ivo.call('POST', `/api/operations/${far.id}/cancel`)).status).toBe(404);
    await ivo.ok('POST', `/api/operations/${own!.id}/cancel`);
    await eventually('it is taken back', async () => onPlatform('own-a') === undefined);
    await steer(far.id, 'cancel');
    await eventually('so is the other', async () => (await list(maren)).rows.every((r) => r.id !== far.id));
  });
});

describe('a plan', () => {
  const plan = (text: string, caller = maren) => caller.ok<ManifestPlan>('POST', '/api/manifests/plan', { text });
  const fates = (of: ManifestPlan) => of.objects.map((o) => [o.name, o.fate]);

  test('says of each object what becomes of it, and does nothing', async () => {
    await maren.ok('PUT', '/api/moorings/from-text/basalt-broad', { enabled: true });
    await post(claim('plan-a'));
    await maren.inState('plan-a', 'bound', 'ferry-desk');
    const text = [claim('plan-a'), claim('plan-b'), claim('plan-a', '1Gi'), claim('plan-c', '5 parsecs')].join('---\n');
    const before = world.platform.store.resourceVersion;
    const planned = await plan(text);
    expect(fates(planned)).toEqual([
      ['plan-a', 'untouched'],
      ['plan-b', 'new'],
      ['plan-a', 'refused'],
      ['plan-c', 'refused'],
    ]);
    expect(planned.objects.map((o) => o.objections.map((r) => r.reason))).toEqual([[], [], ['twice'], ['fault']]);
    expect(world.platform.store.resourceVersion).toBe(before);
    const left = await maren.ok<ManifestResult>('POST', '/api/manifests', { text, leaveOut: true, ...planned });
    expect([left.made.map((m) => m.name), left.refused.map((m) => m.name)]).toEqual([['plan-b'], ['plan-a', 'plan-c']]);
    expect(onPlatform('plan-c')).toBeUndefined();
  });

  test('says what each new claim asks for, and nothing of those that look for a volume made beforehand', async () => {
    const with_ = (name: string, member: string) => claim(name).replace('  resources:', `  ${member}\n  resources:`);
    const text = [
      claim('asks-a').replace('spec:', '  annotations: { vast-moorage.example/iops-floor: "300" }\nspec:'),
      claim('asks-b').replace('  storageClassName: from-text\n', ''),
      with_('asks-c', 'volumeName: pv-of-before'),
      with_('asks-d', 'selector: { matchLabels: { tier: gold } }'),
      claim('asks-e').replace('storageClassName: from-text', 'storageClassName: ""'),
      claim('plan-a', '6Gi'),
    ].join('---\n');
    const { objects } = await plan(text);
    const asked = { className: 'from-text', size: 5 * 2 ** 30, mode: 'ReadWriteOnce', volumeMode: 'Filesystem' };
    expect(objects.map((o) => [o.name, o.asked])).toEqual([
      ['asks-a', { ...asked, tuned: { 'iops-floor': 300 } }],
      ['asks-b', { ...asked, className: null, tuned: null }],
      ...['asks-c', 'asks-d', 'asks-e', 'plan-a'].map((name) => [name, null]),
    ]);
  });

  test('that is not what was shown any more is refused, and nothing is made', async () => {
    const text = `${claim('stale-a')}---\n${claim('stale-b')}`;
    const { planned } = await plan(text);
    await post(claim('stale-a'));
    const { status, data } = await maren.call<Problem>('POST', '/api/manifests', { text, planned });
    expect([status, data.code]).toEqual([409, 'plan-changed']);
    expect(onPlatform('stale-b')).toBeUndefined();
  });

  test('of a larger size grows the claim, and the logbook has what it was', async () => {
    await maren.ok('PUT', '/api/moorings/from-text/basalt-broad', { enabled: true });
    const cls = world.platform.store.find('storageclasses', undefined, 'from-text')!;
    world.platform.store.update('storageclasses', { ...cls, allowVolumeExpansion: true });
    await post(claim('plan-grow'));
    await maren.inState('plan-grow', 'bound', 'ferry-desk');
    await eventually('the class is mirrored', async () =>
      fates(await plan(claim('plan-grow', '8Gi'))).every(([, fate]) => fate === 'changed'),
    );
    const { changed } = await maren.ok<ManifestResult>('POST', '/api/manifests', { text: claim('plan-grow', '8Gi') });
    expect(changed.map((c) => c.name)).toEqual(['plan-grow']);
    await eventually(
      'it has grown',
      async () => (await maren.claim('plan-grow', 'ferry-desk')).claim.provisioned === 8 * 2 ** 30,
    );
    expect(await toldOf('plan-grow')).toEqual(['create', 'change']);
  });

  test('says of claims that ask for more whether their volumes fit, each after those before it', async () => {
    await maren.ok('PUT', '/api/moorings/from-text/basalt-broad', { enabled: true });
    const cls = world.platform.store.find('storageclasses', undefined, 'from-text')!;
    world.platform.store.update('storageclasses', { ...cls, allowVolumeExpansion: true });
    const names = ['more-a', 'more-b'];
    for (const name of names) {
      await post(claim(name));
      await maren.inState(name, 'bound', 'ferry-desk');
    }
    // room for one of them to be three times as large
    const used = await world.rows<{ bytes: string }>(
      `SELECT sum(bytes)::text AS bytes FROM reservations WHERE namespace = 'ferry-desk'`,
    );
    const limit = Number(used[0]!.bytes) + 12 * 2 ** 30;
    await maren.ok('PUT', '/api/namespaces/ferry-desk/enforcement', { byPlatform: false });
    await maren.ok('PUT', '/api/namespaces/ferry-desk/limit', { bytes: limit });
    const text = names.map((name) => claim(name, '15Gi')).join('---\n');
    const shown = await eventually('the class lets them grow', async () => {
      const so = await plan(text);
      return so.objects.every((o) => o.fate === 'changed') && so;
    });
    expect(shown.objects.map((o) => o.growth)).toMatchObject([
      { addedRaw: 10 * 2 ** 30, failed: null },
      { failed: { pool: 'basalt-broad', check: { rule: 'namespace-quota', need: 10 * 2 ** 30, have: 2 * 2 ** 30 } } },
    ]);
    // more room meanwhile is no other plan
    await maren.ok('PUT', '/api/namespaces/ferry-desk/limit', { bytes: null });
    const { status } = await maren.call('POST', '/api/manifests', { text, planned: shown.planned });
    expect(status).toBe(201);
  });

  test('offers a volume of a backend to claims, once, and never to be destroyed', async () => {
    const { volumeId } = (await maren.claim('plan-a', 'ferry-desk')).claim;
    const old = world.basalt.backend.create({
      ...{ name: 'old-gauges', pool: 'basalt-broad', capacity: 6 * 2 ** 30, drives: [] },
    }).volume;
    const volume = (name: string, id: string, reclaim = 'Retain') => `apiVersion: v1
kind: PersistentVolume
metadata: { name: ${name} }
spec:
  capacity: { storage: 6Gi }
  accessModes: [ReadWriteOnce]
  storageClassName: beforehand
  persistentVolumeReclaimPolicy: ${reclaim}
  csi: { driver: vast-moorage.example, volumeHandle: basalt/${id} }
`;
    await eventually('it is listed', async () => fates(await plan(volume('old', old.id)))[0]![1] === 'new');
    const reasons = async (text: string) =>
      (await plan(text)).objects.flatMap((o) => o.objections.map((r) => r.reason));
    expect(await reasons(volume('old', volumeId!))).toEqual(['volume-held', 'volume-smaller']);
    expect(await reasons(volume('old', 'nowhere', 'Delete'))).toEqual(['no-such-volume']);
    expect(await reasons(volume('old', old.id, 'Delete'))).toEqual(['not-kept']);
    await post(volume('old', old.id));
    expect(await reasons(volume('again', old.id))).toEqual(['volume-held']);
    await post(claim('finds-old').replace('from-text', 'beforehand'));
    await eventually('the platform binds them', () =>
      Promise.resolve(onPlatform('finds-old')?.spec?.volumeName === 'old'),
    );
  });
});
