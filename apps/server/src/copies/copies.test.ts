import type { CopiesAnswer, CopyChange } from '@moorage/contract/copies';
import type { DriftPage } from '@moorage/contract/drift';
import type { OperationPage } from '@moorage/contract/operations';
import type { Problem } from '@moorage/contract/problem';
import type { RunningServer } from '../server';
import { DoomedServers } from '../testing/doomed';
import { aClaim, Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  const allowances = [{ setting: 'copies', minimum: 1, maximum: 4, namespaces: [] }];
  await moorClass(maren, 'kept', ['kelp-nvme'], { copies: 3, allowances, iopsFloor: { kind: 'fixed', value: 100 } });
  await moorClass(maren, 'array', ['basalt-broad'], { copies: 1 });
});
afterAll(() => world.end());
afterEach(() => world.kelp.faults.heal());

const at = (name: string) => `/api/claims/tide-gauges/${name}/copies`;
const change = (name: string, asked: CopyChange, caller = maren) => caller.call<Problem>('POST', at(name), asked);
const plan = (name: string, asked: CopyChange) => maren.ok<CopiesAnswer>('POST', `${at(name)}/plan`, asked);
async function bound(name: string, className = 'kept') {
  await maren.ok('POST', '/api/claims', aClaim(name, className, { size: '4Gi' }));
  return (await maren.inState(name, 'bound')).claim;
}
const held = async (uid: string) =>
  (
    await world.rows<{ raw_bytes: string; backend_iops: number; disks: string[] }>(
      `SELECT raw_bytes::text, backend_iops, (SELECT array_agg(disk ORDER BY disk) FROM reservation_copies c
         WHERE c.claim_uid = r.claim_uid AND c.role = 'data') AS disks FROM reservations r WHERE claim_uid = $1`,
      [uid],
    )
  )[0]!;
const lying = (volume: string) =>
  world.kelp.backend
    .volume(volume)
    .copies.map((c) => c.drive)
    .sort();
const annotation = (name: string) =>
  world.platform.store.find('persistentvolumeclaims', 'tide-gauges', name)?.metadata.annotations?.[
    'vast-moorage.example/copies'
  ];
const ended = (about: string, count = 1) =>
  eventually(`copies of ${about} are changed`, async () => {
    const { rows } = await maren.ok<OperationPage>('GET', '/api/operations?show=ended&kind=copies');
    const own = rows.filter((o) => o.about.endsWith(`/${about}`));
    return own.length >= count && own[0];
  });

test('one copy more is made on the node that is asked for, brought up to date, and one goes again', async () => {
  const claim = await bound('level-log');
  const before = await held(claim.uid);
  world.kelp.backend.write(claim.volumeId!, 2 * GiB);
  const { now, plan: more } = await plan('level-log', { kind: 'raise' });
  expect(now.map((c) => c.state)).toEqual(['Synchronized', 'Synchronized', 'Synchronized']);
  if (more.kind !== 'reckoned') throw new Error(more.kind);
  const { node, disk } = more.choices.at(-1)!;
  expect(more).toMatchObject({ fits: true, copies: 4, addedRaw: 4 * GiB, after: { withoutLoss: 3 } });

  world.kelp.backend.holdsResync = true;
  expect((await change('level-log', { kind: 'raise', node })).status).toBe(202);
  expect(await ended('level-log')).toMatchObject({ state: 'changed' });
  expect(lying(claim.volumeId!)).toEqual([...before.disks, disk].sort());
  const after = await held(claim.uid);
  expect([Number(after.raw_bytes), after.disks]).toEqual([16 * GiB, [...before.disks, disk].sort()]);
  // writes are a third of what its class promises: one more copy of each
  expect(after.backend_iops).toBeGreaterThan(before.backend_iops);
  expect(annotation('level-log')).toBe('4');
  await eventuallyHolds('it is being copied', async () =>
    expect((await plan('level-log', { kind: 'raise' })).now.find((c) => c.disk === disk)?.state).toBe('Synchronizing'),
  );
  world.kelp.backend.holdsResync = false;
  await eventuallyHolds('it is whole', async () =>
    expect((await plan('level-log', { kind: 'raise' })).now.every((c) => c.state === 'Synchronized')).toBe(true),
  );
  // what we changed ourselves is no drift
  expect((await maren.ok<DriftPage>('GET', `/api/drift?claim=${claim.uid}`)).rows).toEqual([]);

  expect((await change('level-log', { kind: 'lower', disk: before.disks[0]! })).status).toBe(202);
  await ended('level-log', 2);
  expect(lying(claim.volumeId!)).toEqual([...before.disks.slice(1), disk].sort());
  const back = await held(claim.uid);
  expect([back.raw_bytes, back.backend_iops]).toEqual([before.raw_bytes, before.backend_iops]);
  expect(back.disks).toEqual(lying(claim.volumeId!));
  // as its class has it: nothing that the claim tunes
  expect(annotation('level-log')).toBeUndefined();
});

test('what cannot be is refused before anything is done', async () => {
  const claim = await bound('refused');
  const before = await held(claim.uid);
  const onNode = world.kelp.backend.drive(before.disks[0]!).node;
  expect((await change('refused', { kind: 'raise', node: onNode })).data).toMatchObject({
    ...{ status: 409, detail: expect.stringContaining(`No disk in ${onNode} can take one`) as string },
  });
  await bound('on-array', 'array');
  expect((await change('on-array', { kind: 'raise' })).data.detail).toMatch(/backend's own affair/);
  const ivo = await new Caller(server.url).signIn('ivo');
  expect((await change('refused', { kind: 'raise' }, ivo)).status).toBe(403);
  expect((await change('nothing', { kind: 'raise' })).status).toBe(404);
  expect([await held(claim.uid), lying(claim.volumeId!)]).toEqual([before, before.disks]);
});

test('the only whole copy does not go, whoever asks for it', async () => {
  const claim = await bound('one-whole');
  world.kelp.backend.write(claim.volumeId!, GiB);
  const { disks } = await held(claim.uid);
  world.kelp.backend.holdsResync = true;
  for (const drive of disks.slice(1)) {
    world.kelp.backend.setDrive(drive, false);
    world.kelp.backend.setDrive(drive, true);
  }
  await eventuallyHolds('two are out of step', async () =>
    expect((await plan('one-whole', { kind: 'lower' })).now.filter((c) => c.state === 'Synchronized')).toHaveLength(1),
  );
  const { data } = await change('one-whole', { kind: 'lower', disk: disks[0]! });
  expect(data).toMatchObject({ status: 409, detail: expect.stringContaining('No other copy is whole') as string });
  world.kelp.backend.holdsResync = false;
  expect(lying(claim.volumeId!)).toEqual(disks);
});

test('what its backend refuses for good goes back: held, said and laid as it was', async () => {
  const claim = await bound('goes-back');
  const before = await held(claim.uid);
  world.kelp.faults.add({ kind: 'refuse', method: 'POST', path: 'ChangeRAIDLayout', status: 400, times: 1 });
  await change('goes-back', { kind: 'raise' });
  expect(await ended('goes-back')).toMatchObject({ state: 'returned' });
  expect([await held(claim.uid), lying(claim.volumeId!)]).toEqual([before, before.disks]);
  expect(annotation('goes-back')).toBeUndefined();
});

test('where other copies lie is not undone: a copy that was made elsewhere meanwhile stays', async () => {
  const claim = await bound('elsewhere');
  const [first, ...others] = (await held(claim.uid)).disks;
  // the backend does not take it for a while, and lays a copy elsewhere by itself
  world.kelp.faults.add({ kind: 'refuse', method: 'POST', path: 'ChangeRAIDLayout', status: 503 });
  const { plan: more } = await plan('elsewhere', { kind: 'raise' });
  if (more.kind !== 'reckoned') throw new Error(more.kind);
  const { node, disk } = more.choices[0]!;
  await change('elsewhere', { kind: 'raise', node });
  await eventually('it was asked for', () =>
    Promise.resolve(
      world.kelp.faults.calls.some((c) => c.path.includes('ChangeRAIDLayout') && c.path.includes(claim.volumeId!)),
    ),
  );
  const elsewhere = more.choices.find((c) => c.disk !== disk)!.disk;
  world.kelp.backend.relayVolume(claim.volumeId!, [...others, elsewhere]);
  world.kelp.faults.heal();
  expect(await ended('elsewhere')).toMatchObject({ state: 'changed' });
  expect(lying(claim.volumeId!)).toEqual([...others, elsewhere, disk].sort());
  expect(lying(claim.volumeId!)).not.toContain(first);
  await eventuallyHolds('what is held follows', async () =>
    expect((await held(claim.uid)).disks).toEqual(lying(claim.volumeId!)),
  );
});

test('a copy that was the last whole one by the time it is to go stays, and everything goes back', async () => {
  const claim = await bound('stays-whole');
  world.kelp.backend.write(claim.volumeId!, GiB);
  const before = await held(claim.uid);
  const [first, ...others] = before.disks;
  world.kelp.faults.add({ kind: 'refuse', method: 'POST', path: 'ChangeRAIDLayout', status: 503 });
  await change('stays-whole', { kind: 'lower', disk: first! });
  await eventually('it was asked for', () =>
    Promise.resolve(
      world.kelp.faults.calls.some((c) => c.path.includes('ChangeRAIDLayout') && c.path.includes(claim.volumeId!)),
    ),
  );
  world.kelp.backend.holdsResync = true;
  for (const drive of others) {
    world.kelp.backend.setDrive(drive, false);
    world.kelp.backend.setDrive(drive, true);
  }
  world.kelp.faults.heal();
  expect(await ended('stays-whole')).toMatchObject({ state: 'returned' });
  world.kelp.backend.holdsResync = false;
  expect([await held(claim.uid), lying(claim.volumeId!)]).toEqual([before, before.disks]);
  expect(annotation('stays-whole')).toBeUndefined();
});

test('an answer that is lost is not a second copy', async () => {
  const claim = await bound('lost-answer');
  world.kelp.faults.add({ kind: 'lose-answer', method: 'POST', path: 'ChangeRAIDLayout', times: 1 });
  await change('lost-answer', { kind: 'raise' });
  expect(await ended('lost-answer')).toMatchObject({ state: 'changed' });
  expect(lying(claim.volumeId!)).toHaveLength(4);
  expect((await held(claim.uid)).disks).toEqual(lying(claim.volumeId!));
});

test('two at once are one, and what grows waits for its turn', async () => {
  const claim = await bound('twice');
  world.kelp.faults.add({ kind: 'refuse', method: 'POST', path: 'ChangeRAIDLayout', status: 503 });
  const answers = await Promise.all([1, 2].map(() => change('twice', { kind: 'raise' })));
  expect(answers.map((a) => a.status).sort()).toEqual([202, 409]);
  await maren.ok('POST', '/api/claims/tide-gauges/twice/growth', { size: '6Gi' });
  world.kelp.faults.heal();
  await ended('twice');
  await eventuallyHolds('it grew with all its copies', async () => {
    const { raw_bytes, disks } = await held(claim.uid);
    expect([Number(raw_bytes), disks.length]).toEqual([24 * GiB, 4]);
  });
});

describe('a server that dies', () => {
  let servers: DoomedServers;
  beforeAll(() => (servers = new DoomedServers(world)));
  afterAll(() => servers.end());

  test.each<[string, CopyChange['kind']]>([
    ['telling', 'raise'],
    ['asking', 'raise'],
    ['asking', 'lower'],
    ['changed', 'lower'],
  ])('killed once it is "%s" of a %s: another carries it to its end, once', async (state, kind) => {
    const name = `dies-${state}-${kind}`;
    const claim = await bound(name);
    const doomed = await servers.start(state);
    const dying = await new Caller(doomed.url).signIn();
    void change(name, { kind }, dying).catch(() => undefined);
    expect(await doomed.exit).toBe('SIGKILL');
    expect(await ended(name)).toMatchObject({ state: 'changed' });
    const count = kind === 'raise' ? 4 : 2;
    expect(lying(claim.volumeId!)).toHaveLength(count);
    await eventuallyHolds('what is held is what lies there', async () => {
      const { raw_bytes, disks } = await held(claim.uid);
      expect([Number(raw_bytes), disks]).toEqual([count * 4 * GiB, lying(claim.volumeId!)]);
    });
    expect(annotation(name)).toBe(String(count));
  });
});
