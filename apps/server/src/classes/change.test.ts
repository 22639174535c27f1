import type { ClassRow } from '@moorage/contract/classes';
import type { Grants } from '@moorage/contract/classes';
import type { Applied, DraftedChange, MooringRow } from '@moorage/contract/moorings';
import type { RunningServer } from '../server';
import { Caller, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
});
afterAll(() => world.end());

const find = async (name: string): Promise<ClassRow> =>
  (await maren.ok<ClassRow[]>('GET', '/api/classes')).find((c) => c.storageClass.name === name)!;
const asked = ({ storageClass, isDefault }: ClassRow, part: object = {}) => ({ ...storageClass, isDefault, ...part });
const put = (name: string, body: object, version?: string) =>
  maren.call<ClassRow & { field: string; detail: string; code: string }>(
    'PUT',
    `/api/classes/${name}`,
    body,
    version === undefined ? {} : { 'If-Match': `"${version}"` },
  );
const onPlatform = (name: string) => world.platform.store.find('storageclasses', undefined, name);
const claim = (name: string, className: string) =>
  maren.ok('POST', '/api/claims', {
    namespace: 'ferry-desk',
    name,
    className,
    size: '10Gi',
    modes: ['ReadWriteOnce'],
    volumeMode: 'Filesystem',
  });
const moorings = async (name: string) =>
  (await maren.ok<MooringRow[]>('GET', '/api/moorings')).filter((m) => m.className === name).map((m) => m.pool);
const apply = (changes: DraftedChange[]) => maren.ok<Applied>('POST', '/api/drafts', { changes });

describe('a class that no claim uses', () => {
  test('is made anew under its name: moorings, grants, its default and what others wrote on it stay', async () => {
    await moorClass(maren, 'young', ['basalt-swift', 'kelp-nvme'], { copies: 2, isDefault: true });
    await maren.ok('PATCH', '/api/classes/young/grants', {
      open: false,
      set: [{ namespace: 'tide-gauges', granted: true }],
    });
    const path = '/apis/storage.k8s.io/v1/storageclasses/young';
    await fetch(world.platform.url + path, {
      method: 'PATCH',
      headers: { 'Content-Type': 'application/merge-patch+json' },
      body: JSON.stringify({ metadata: { labels: { owner: 'quay' }, annotations: { 'other.example/note': 'kept' } } }),
    });
    await eventuallyHolds('the mirror', async () =>
      expect((await find('young')).manifest).toMatchObject({ metadata: { labels: { owner: 'quay' } } }),
    );
    const before = await find('young');
    const changed = await put('young', asked(before, { copies: 3, encrypted: true, strategy: 'pack' }), before.version);
    expect(changed.status).toBe(200);
    expect(changed.data).toMatchObject({
      isDefault: true,
      storageClass: { copies: 3, encrypted: true, strategy: 'pack' },
    });
    expect(onPlatform('young')).toMatchObject({
      metadata: { labels: { owner: 'quay' }, annotations: { 'other.example/note': 'kept' } },
      parameters: { 'vast-moorage.example/copies': '3', 'vast-moorage.example/strategy': 'pack' },
    });
    expect(await moorings('young')).toEqual(['basalt-swift', 'kelp-nvme']);
    const grants = await maren.ok<Grants>('GET', '/api/classes/young/grants');
    expect([grants.open, grants.namespaces.filter((n) => n.granted).map((n) => n.namespace)]).toEqual([
      false,
      ['tide-gauges'],
    ]);
    await eventuallyHolds('one class of the name in the mirror', async () =>
      expect(
        await world.rows(`SELECT 1 FROM platform_objects WHERE plural = 'storageclasses' AND name = 'young'`),
      ).toHaveLength(1),
    );
  });

  test('a change against an older version is refused, as is another name, a contradiction and a stranger', async () => {
    const before = await find('young');
    expect((await put('young', asked(before, { copies: 1 }), '1')).status).toBe(412);
    expect(await put('young', asked(before, { name: 'older' }))).toMatchObject({
      status: 422,
      data: { field: 'name' },
    });
    expect(await put('young', asked(before, { witness: true }))).toMatchObject({
      status: 422,
      data: { field: 'witness' },
    });
    expect(await put('young', asked(before, { isDefault: false }))).toMatchObject({
      status: 422,
      data: { field: 'isDefault' },
    });
    expect((await put('ghost', asked(before, { name: 'ghost' }))).status).toBe(404);
    const guest = await new Caller(server.url).signIn('guest');
    expect((await guest.call('PUT', '/api/classes/young', asked(before, { copies: 1 }))).status).toBe(403);
    expect(await find('young')).toEqual(before);
  });

  test('comes back as it was when the platform refuses the new one', async () => {
    const before = await find('young');
    world.platform.faults.add({ kind: 'refuse', method: 'POST', path: '/storageclasses$', times: 1 });
    const refused = await put('young', asked(before, { copies: 1 }));
    expect(refused.status).toBeGreaterThanOrEqual(400);
    expect(onPlatform('young')).toMatchObject({
      metadata: { labels: { owner: 'quay' } },
      parameters: { 'vast-moorage.example/copies': '3' },
    });
    expect(asked(await find('young'))).toEqual(asked(before));
    expect(await moorings('young')).toEqual(['basalt-swift', 'kelp-nvme']);
  });
});

describe('a class with claims', () => {
  test('keeps what it promises, and takes another strategy and growing: the next claim is placed by it', async () => {
    await moorClass(maren, 'busy', ['basalt-broad', 'basalt-swift'], { copies: 1, expansion: false });
    await claim('first', 'busy');
    await maren.inState('first', 'bound', 'ferry-desk');
    const before = await find('busy');
    const refused = await put('busy', asked(before, { encrypted: true }));
    expect([refused.status, refused.data.code, refused.data.field]).toEqual([409, 'fixed', 'encrypted']);
    expect(refused.data.detail).toContain('1 claims use busy');
    const changed = await put('busy', asked(before, { strategy: 'pack', expansion: true }), before.version);
    expect([changed.status, changed.data.storageClass.strategy, changed.data.storageClass.expansion]).toEqual([
      200,
      'pack',
      true,
    ]);
    // the platform fixes parameters: the strategy stands beside them
    expect(onPlatform('busy')).toMatchObject({
      metadata: { annotations: { 'vast-moorage.example/strategy': 'pack' } },
      parameters: (before.manifest as { parameters: object }).parameters,
      allowVolumeExpansion: true,
    });
    await claim('second', 'busy');
    const { claim: second } = await maren.inState('second', 'bound', 'ferry-desk');
    expect(second.pool).toBe('basalt-swift');
  });

  test('two people who make different classes the default leave one', async () => {
    await Promise.all(['young', 'busy'].map((name) => maren.ok('PUT', `/api/classes/${name}/default`)));
    const rows = await maren.ok<ClassRow[]>('GET', '/api/classes');
    expect(rows.filter((c) => c.isDefault)).toHaveLength(1);
  });
});

describe('in a draft', () => {
  const change = (row: ClassRow, part: object): DraftedChange => ({
    kind: 'class-change',
    storageClass: asked(row, part),
    was: asked(row),
    seen: row.version,
  });

  test('a changed class is applied with the rest, what others changed in other settings stays', async () => {
    const busy = await find('busy');
    await put('busy', asked(busy, { expansion: false }));
    const applied = await apply([
      change(busy, { strategy: 'spread' }),
      { kind: 'mooring', className: 'busy', pool: 'kelp-nvme', enabled: true, weight: 1, seen: null },
    ]);
    expect(applied).toEqual({ applied: 2, conflicts: [] });
    expect((await find('busy')).storageClass).toMatchObject({ strategy: 'spread', expansion: false });
    expect(await moorings('busy')).toContain('kelp-nvme');
  });

  test('the same setting made another thing by somebody else refuses the draft and tells who; the very same is no quarrel', async () => {
    const busy = await find('busy');
    await put('busy', asked(busy, { strategy: 'in-order' }));
    expect(await apply([change(busy, { strategy: 'pack' })])).toMatchObject({
      applied: 0,
      conflicts: [{ index: 0, person: 'maren', now: { storageClass: { strategy: 'in-order' } } }],
    });
    expect((await find('busy')).storageClass.strategy).toBe('in-order');
    expect(await apply([change(busy, { strategy: 'in-order' })])).toEqual({ applied: 1, conflicts: [] });
  });

  test('a class that somebody deleted meanwhile is told beside the change, and nothing is applied', async () => {
    await moorClass(maren, 'fleeting', ['basalt-swift'], { copies: 1 });
    const draft = [change(await find('fleeting'), { copies: 2 }), change(await find('busy'), { strategy: 'pack' })];
    await maren.ok('DELETE', '/api/classes/fleeting');
    expect(await apply(draft)).toMatchObject({ applied: 0, conflicts: [{ index: 0, now: null, person: 'maren' }] });
    expect((await find('busy')).storageClass.strategy).toBe('in-order');
  });

  test('that cannot be applied whole changes nothing: classes go back to what they were', async () => {
    const [busy, young] = [await find('busy'), await find('young')];
    const fixed = await maren.call<{ code: string }>('POST', '/api/drafts', {
      changes: [change(young, { copies: 2 }), change(busy, { copies: 2 })],
    });
    expect([fixed.status, fixed.data.code]).toEqual([409, 'fixed']);
    world.platform.faults.add({ kind: 'refuse', method: 'PATCH', path: '/storageclasses/young$', times: 1 });
    const broken = await maren.call('POST', '/api/drafts', {
      changes: [
        { kind: 'mooring', className: 'busy', pool: 'basalt-swift', enabled: false, weight: 1, seen: 1 },
        change(busy, { strategy: 'pack' }),
        change(young, { strategy: 'spread' }),
      ],
    });
    expect(broken.status).toBeGreaterThanOrEqual(400);
    expect((await find('busy')).storageClass).toEqual(busy.storageClass);
    expect((await find('young')).storageClass).toEqual(young.storageClass);
    const rows = await maren.ok<MooringRow[]>('GET', '/api/moorings');
    expect(rows.find((m) => m.className === 'busy' && m.pool === 'basalt-swift')!.enabled).toBe(true);
  });
});
