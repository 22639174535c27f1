import type { ClassRow } from '@moorage/contract/classes';
import { disksOf, type Inventory } from '@moorage/contract/inventory';
import type { Applied, DraftedChange, KeptPlan, MooringRow } from '@moorage/contract/moorings';
import type { RunningServer } from '../server';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
});
afterAll(() => world.end());

const moorings = async (className: string) =>
  (await maren.ok<MooringRow[]>('GET', '/api/moorings'))
    .filter((m) => m.className === className)
    .sort((a, b) => a.order - b.order);
const apply = (changes: DraftedChange[], caller = maren) => caller.ok<Applied>('POST', '/api/drafts', { changes });
const mooring = (className: string, pool: string, seen: number | null, part: object = {}): DraftedChange => ({
  kind: 'mooring',
  className,
  pool,
  enabled: true,
  weight: 1,
  seen,
  ...part,
});
const plainClass = async (name: string) => {
  const { storageClass } = (await maren.ok<ClassRow[]>('GET', '/api/classes')).find(
    (c) => c.storageClass.name === name,
  )!;
  return storageClass;
};

test('a class, its moorings, their order and the default are made as one', async () => {
  await moorClass(maren, 'general', ['basalt-broad'], { isDefault: true });
  const fresh = { ...(await plainClass('general')), name: 'fresh', isDefault: false };
  const applied = await apply([
    { kind: 'order', className: 'fresh', pools: ['basalt-swift', 'basalt-broad'], seen: [] },
    mooring('fresh', 'basalt-broad', null),
    mooring('fresh', 'basalt-swift', null, { weight: 3 }),
    { kind: 'default', className: 'fresh', seen: 'general' },
    { kind: 'class', storageClass: fresh },
  ]);
  expect(applied).toEqual({ applied: 5, conflicts: [] });
  expect((await moorings('fresh')).map((m) => [m.pool, m.weight])).toEqual([
    ['basalt-swift', 3],
    ['basalt-broad', 1],
  ]);
  const rows = await maren.ok<ClassRow[]>('GET', '/api/classes');
  expect(rows.filter((c) => c.isDefault).map((c) => c.storageClass.name)).toEqual(['fresh']);
});

test('what others changed elsewhere stays as they made it; what stands against the draft refuses all of it', async () => {
  await moorClass(maren, 'ledger', ['kelp-nvme', 'basalt-swift'], { copies: 2 });
  const [nvme, swift] = await moorings('ledger');
  const draft = [
    mooring('ledger', 'basalt-swift', swift!.version, { enabled: false }),
    mooring('ledger', 'kelp-deep', null),
  ];
  // beside the draft: merged
  await maren.ok('PUT', '/api/moorings/ledger/kelp-nvme', { weight: 4 });
  // against it: refused as a whole, with who did it
  await maren.ok('PUT', '/api/moorings/ledger/basalt-swift', { weight: 7 });
  const { applied, conflicts } = await apply(draft);
  expect([applied, conflicts]).toEqual([
    0,
    [
      {
        index: 0,
        now: { enabled: true, weight: 7, version: swift!.version + 1 },
        person: 'maren',
        at: expect.any(String) as string,
      },
    ],
  ]);
  expect((await moorings('ledger')).map((m) => m.pool)).toEqual(['kelp-nvme', 'basalt-swift']);
  expect(
    (await apply([mooring('ledger', 'basalt-swift', swift!.version + 1, { enabled: false }), draft[1]!])).applied,
  ).toBe(2);
  expect((await moorings('ledger')).map((m) => [m.pool, m.enabled, m.weight])).toEqual([
    [nvme!.pool, true, 4],
    ['basalt-swift', false, 1],
    ['kelp-deep', true, 1],
  ]);
  const same = await apply([mooring('ledger', 'kelp-deep', null)]);
  expect(same.conflicts).toEqual([]);
});

test('an order that others changed, and a class that others made, are told', async () => {
  const order = (pools: string[], seen: string[]): DraftedChange => ({
    kind: 'order',
    className: 'fresh',
    pools,
    seen,
  });
  await maren.ok('PUT', '/api/moorings/fresh', { pools: ['basalt-broad', 'basalt-swift'] });
  const { conflicts } = await apply([
    order(['kelp-nvme', 'basalt-swift', 'basalt-broad'], ['basalt-swift', 'basalt-broad']),
    { kind: 'class', storageClass: { ...(await plainClass('ledger')), isDefault: false } },
    { kind: 'default', className: 'ledger', seen: 'general' },
  ]);
  expect(conflicts.map((c) => [c.index, c.now])).toEqual([
    [0, ['basalt-broad', 'basalt-swift']],
    [1, 'ledger'],
    [2, 'fresh'],
  ]);
});

const onPlatform = (name: string) => world.platform.store.find('storageclasses', undefined, name);
const classNames = async () => (await maren.ok<ClassRow[]>('GET', '/api/classes')).map((c) => c.storageClass.name);
const entriesOf = async (subject: string) =>
  (
    await world.rows<{ action: string }>(
      `SELECT action FROM logbook WHERE kind = 'class' AND subject = $1 ORDER BY id`,
      [subject],
    )
  ).map((e) => e.action);

test('an order that does not name its pools refuses the draft before anything is asked of the platform', async () => {
  const halfway = { ...(await plainClass('ledger')), name: 'halfway', isDefault: false };
  const posts = world.platform.faults.calls.filter((c) => c.method === 'POST' && /storageclasses/.test(c.path)).length;
  const refused = await maren.call('POST', '/api/drafts', {
    changes: [
      { kind: 'class', storageClass: halfway },
      mooring('halfway', 'kelp-nvme', null),
      { kind: 'order', className: 'halfway', pools: ['kelp-nvme', 'kelp-deep'], seen: [] },
    ],
  });
  expect(refused.status).toBe(422);
  expect(world.platform.faults.calls.filter((c) => c.method === 'POST' && /storageclasses/.test(c.path))).toHaveLength(
    posts,
  );
  expect(await moorings('halfway')).toEqual([]);
  expect((await maren.call('POST', '/api/drafts', { changes: [mooring('ledger', 'nowhere', null)] })).status).toBe(404);
  const guest = await new Caller(server.url).signIn('guest');
  expect((await guest.call('POST', '/api/drafts', { changes: [mooring('ledger', 'kelp-nvme', null)] })).status).toBe(
    403,
  );
});

describe('when the platform fails at the second of two classes', () => {
  const drafted = async (name: string) => ({ ...(await plainClass('ledger')), name, isDefault: false });
  const two = async (a: string, b: string): Promise<DraftedChange[]> => [
    { kind: 'class', storageClass: await drafted(a) },
    { kind: 'class', storageClass: await drafted(b) },
    mooring(a, 'kelp-nvme', null),
  ];

  test('the first, which was made, is gone again, and the logbook tells of neither', async () => {
    await maren.ok('POST', '/api/classes', { name: 'taken', copies: 2 });
    // the mirror does not know it yet, so the draft cannot: the platform refuses the second
    await world.rows(`DELETE FROM platform_objects WHERE plural = 'storageclasses' AND name = 'taken'`);
    const answer = await maren.call<{ code: string }>('POST', '/api/drafts', { changes: await two('first', 'taken') });
    expect([answer.status, answer.data.code]).toEqual([409, 'platform-exists']);
    expect(world.platform.store.find('storageclasses', undefined, 'first')).toBeUndefined();
    // made by somebody else: not ours to take away
    expect(world.platform.store.find('storageclasses', undefined, 'taken')).toBeDefined();
    expect(await classNames()).not.toContain('first');
    expect(await moorings('first')).toEqual([]);
    expect(await entriesOf('first')).toEqual([]);
  });

  test('an answer that was lost after the work was done is taken back too', async () => {
    world.platform.faults.add({ kind: 'lose-answer', method: 'POST', path: 'storageclasses', times: 1 });
    const answer = await maren.call<{ code: string; detail: string }>('POST', '/api/drafts', {
      changes: await two('lost-a', 'lost-b'),
    });
    expect([answer.status, answer.data.code]).toEqual([502, 'platform-unreachable']);
    expect(answer.data.detail).not.toMatch(/nothing was changed/i);
    for (const name of ['lost-a', 'lost-b'])
      expect(world.platform.store.find('storageclasses', undefined, name)).toBeUndefined();
    expect(await entriesOf('lost-a')).toEqual([]);
  });

  test('what cannot be taken back is named', async () => {
    world.platform.faults.add({ kind: 'lose-answer', method: 'POST', path: 'storageclasses', times: 1 });
    world.platform.faults.add({ kind: 'refuse', method: 'DELETE', path: 'storageclasses', times: 5 });
    const answer = await maren.call<{ code: string; detail: string }>('POST', '/api/drafts', {
      changes: await two('stands', 'never'),
    });
    world.platform.faults.heal();
    expect([answer.status, answer.data.code]).toEqual([502, 'half-applied']);
    expect(answer.data.detail).toContain('stands');
    expect(answer.data.detail).not.toContain('never');
    expect(await moorings('stands')).toEqual([]);
    // and it is tried again until it is so
    await eventually('what stood is taken back', async () => !onPlatform('stands'));
    // noted here once the platform has answered
    await eventually('and known to be', async () => !(await classNames()).includes('stands'));
  });
});

test('fifty drafts at once are all answered, and each is there as a whole', async () => {
  const base = await plainClass('ledger');
  const answers = await Promise.all(
    Array.from({ length: 50 }, (_, i) =>
      maren.call<Applied>('POST', '/api/drafts', {
        changes: [
          { kind: 'class', storageClass: { ...base, name: `crowd-${i}`, isDefault: false } },
          mooring(`crowd-${i}`, 'kelp-nvme', null),
        ],
      }),
    ),
  );
  expect(answers.map((a) => a.status).filter((s) => s !== 200)).toEqual([]);
  const all = await maren.ok<MooringRow[]>('GET', '/api/moorings');
  expect(all.filter((m) => m.className.startsWith('crowd-'))).toHaveLength(50);
  expect((await classNames()).filter((n) => n.startsWith('crowd-'))).toHaveLength(50);
});

test('two drafts of one class take turns: one stands, the other is told of it', async () => {
  const [nvme] = await moorings('ledger');
  const answers = await Promise.all(
    [2, 3].map((weight) => apply([mooring('ledger', 'kelp-nvme', nvme!.version, { weight })])),
  );
  expect(answers.map((a) => a.applied).sort()).toEqual([0, 1]);
  expect(answers.find((a) => a.applied === 0)!.conflicts[0]).toMatchObject({ index: 0, person: 'maren' });
});

test('copies lie on the disks that a kept plan names; where one is not to be had they are placed as without a plan', async () => {
  await moorClass(maren, 'on-disks', ['kelp-nvme'], { copies: 2 });
  const inventory = disksOf(await maren.ok<Inventory>('GET', '/api/backends/kelp/inventory'));
  const own = inventory.filter((d) => d.owner === 'kelp-nvme');
  const disksOn = async (name: string) => {
    await maren.ok('POST', '/api/claims', aClaim(name, 'on-disks', { size: '5Gi' }));
    const { claim } = await maren.inState(name, 'bound');
    const copies = await world.rows<{ disk: string }>(
      `SELECT disk FROM reservation_copies WHERE claim_uid = '${claim.uid}' ORDER BY disk`,
    );
    return copies.map((c) => c.disk);
  };
  const byItself = await disksOn('by-itself');
  // the last of each node that has another one: not what would be chosen
  const nodes = [...new Set(own.map((d) => d.node))];
  const kept = nodes
    .map((node) => own.filter((d) => d.node === node).at(-1)!.id)
    .filter((id) => !byItself.includes(id))
    .slice(-2);
  await maren.ok('POST', '/api/planned-places', {
    places: [
      { namespace: 'tide-gauges', claim: 'as-kept', pool: 'kelp-nvme', disks: kept },
      { namespace: 'tide-gauges', claim: 'disk-gone', pool: 'kelp-nvme', disks: [kept[0]!, 'eui.gone'] },
    ],
  });
  expect(await disksOn('as-kept')).toEqual(kept.toSorted());
  const [one, other] = await disksOn('disk-gone');
  expect(own.some((d) => d.id === one) && own.some((d) => d.id === other)).toBe(true);
});

test('a kept plan decides where a claim goes, as long as every rule passes there', async () => {
  await moorClass(maren, 'planned', ['basalt-swift', 'basalt-broad'], { copies: 1 });
  await maren.ok('POST', '/api/planned-places', {
    places: [
      { namespace: 'ferry-desk', claim: 'data-desk-0', pool: 'basalt-broad' },
      { namespace: 'ferry-desk', claim: 'data-desk-1', pool: 'kelp-deep' },
      { namespace: 'ferry-desk', claim: 'data-desk-2', pool: 'basalt-broad' },
    ],
  });
  const claim = (name: string) => ({
    namespace: 'ferry-desk',
    name,
    className: 'planned',
    size: '5Gi',
    modes: ['ReadWriteOnce'],
    volumeMode: 'Filesystem',
  });
  for (const name of ['data-desk-0', 'data-desk-1']) await maren.ok('POST', '/api/claims', claim(name));
  const planned = await maren.inState('data-desk-0', 'bound', 'ferry-desk');
  expect(planned.claim.pool).toBe('basalt-broad');
  expect(planned.decisions[0]!.trace.candidates.find((c) => c.pool === 'basalt-broad')!.score!.planned).toBe(true);
  // its class is not moored there: the plan gives way
  expect((await maren.inState('data-desk-1', 'bound', 'ferry-desk')).claim.pool).toBe('basalt-swift');
  // what came has taken its place; the rest is one plan, until somebody lets it go
  const [plan, ...more] = await maren.ok<KeptPlan[]>('GET', '/api/planned-places');
  expect(more).toEqual([]);
  expect(plan).toMatchObject({
    namespaces: ['ferry-desk'],
    first: 'data-desk-2',
    claims: 1,
    pools: [{ pool: 'basalt-broad', claims: 1 }],
    person: 'maren',
  });
  const guest = await new Caller(server.url).signIn('guest');
  expect((await guest.call('DELETE', `/api/planned-places/${plan!.plan}`)).status).toBe(403);
  await maren.ok('DELETE', `/api/planned-places/${plan!.plan}`);
  expect((await maren.call('DELETE', `/api/planned-places/${plan!.plan}`)).status).toBe(404);
  expect(await maren.ok<KeptPlan[]>('GET', '/api/planned-places')).toEqual([]);
  await maren.ok('POST', '/api/claims', claim('data-desk-2'));
  expect((await maren.inState('data-desk-2', 'bound', 'ferry-desk')).claim.pool).toBe('basalt-swift');

  const strange = await maren.call('POST', '/api/planned-places', {
    places: [{ namespace: 'ferry-desk', claim: 'x', pool: 'nowhere' }],
  });
  expect(strange.status).toBe(404);
});
