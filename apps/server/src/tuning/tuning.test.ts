import type { OperationPage } from '@moorage/contract/operations';
import type { Problem } from '@moorage/contract/problem';
import type { TuningAnswer } from '@moorage/contract/tuning';
import type { DriftPage } from '@moorage/contract/drift';
import type { RunningServer } from '../server';
import { DoomedServers } from '../testing/doomed';
import { aClaim, Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;
const allowances = (['iops-floor', 'iops-ceiling', 'throughput-ceiling'] as const).map((setting) => ({
  ...{ setting, minimum: 100, maximum: 60_000, namespaces: [] },
}));
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'tuned', ['basalt-swift'], {
    ...{
      copies: 1,
      allowances,
      iopsFloor: { kind: 'fixed', value: 500 },
      iopsCeiling: { kind: 'fixed', value: 50_000 },
    },
  });
});
afterAll(() => world.end());

const at = (name: string) => `/api/claims/tide-gauges/${name}/tuning`;
const tune = (name: string, tuned: object, caller = maren) => caller.call<Problem>('POST', at(name), { tuned });
const plan = (name: string, tuned: object) => maren.ok<TuningAnswer>('POST', `${at(name)}/plan`, { tuned });
async function bound(name: string) {
  await maren.ok('POST', '/api/claims', aClaim(name, 'tuned', { size: '4Gi' }));
  return (await maren.inState(name, 'bound')).claim;
}
const reservedFor = async (uid: string) =>
  (
    await world.rows<{ iops_floor: number; iops_ceiling: number | null; throughput_ceiling: number | null }>(
      'SELECT iops_floor, iops_ceiling, throughput_ceiling FROM reservations WHERE claim_uid = $1',
      [uid],
    )
  )[0]!;
const annotationsOf = (name: string) =>
  world.platform.store.find('persistentvolumeclaims', 'tide-gauges', name)?.metadata.annotations ?? {};
const classOf = (volume: string) => world.basalt.backend.volumes.get(volume)!.serviceClass;
/** Its backend refuses the next change of this claim's volume, for good. */
const refuseOnce = ({ volumeId }: { readonly volumeId: string | null }) =>
  world.basalt.faults.add({ kind: 'refuse', method: 'PATCH', path: `Volumes/${volumeId}`, status: 400, times: 1 });
const prefix = 'vast-moorage.example/';
const promised = async () =>
  (await world.rows<{ promised_iops: number }>(`SELECT promised_iops FROM pools WHERE id = 'basalt-swift'`))[0]!
    .promised_iops;
const ended = (about: string) =>
  eventually(`tuning of ${about} has ended`, async () =>
    (await maren.ok<OperationPage>('GET', '/api/operations?show=ended&kind=tune')).rows.find((o) =>
      o.about.endsWith(about),
    ),
  );

test('a claim is tuned at once: reserved, said in the claim, kept by the backend; and back again', async () => {
  const claim = await bound('up-and-down');
  const before = await promised();
  expect(await plan('up-and-down', { 'iops-ceiling': 2000 })).toMatchObject({
    now: { iopsFloor: 500, iopsCeiling: 50_000 },
    tuning: { kind: 'reckoned', fits: true, rates: { iopsCeiling: 2000 } },
  });
  expect((await tune('up-and-down', { 'iops-ceiling': 2000, 'iops-floor': 900 })).status).toBe(202);
  expect(await ended('up-and-down')).toMatchObject({ state: 'tuned' });
  expect(await reservedFor(claim.uid)).toMatchObject({ iops_floor: 900, iops_ceiling: 2000 });
  expect(annotationsOf('up-and-down')).toMatchObject({
    [`${prefix}iops-floor`]: '900',
    [`${prefix}iops-ceiling`]: '2000',
  });
  expect(classOf(claim.volumeId!)).toBe('iops-2000');
  expect(await promised()).toBeGreaterThan(before);
  await tune('up-and-down', {});
  await eventually('it is as its class has it', async () => (await reservedFor(claim.uid)).iops_ceiling === 50_000);
  await eventually('so is its volume', () => Promise.resolve(classOf(claim.volumeId!) === 'iops-50000'));
  expect(annotationsOf('up-and-down')).not.toHaveProperty(`${prefix}iops-floor`);
  expect(await promised()).toBe(before);
  // what we changed ourselves is no drift
  expect((await maren.ok<DriftPage>('GET', `/api/drift?claim=${claim.uid}`)).rows).toEqual([]);
});

test('a ceiling that only the claim set is lifted again when it is given up', async () => {
  const claim = await bound('lifted');
  await tune('lifted', { 'throughput-ceiling': 120 });
  await ended('lifted');
  expect(classOf(claim.volumeId!)).toBe('iops-50000-bytes-120000000');
  await tune('lifted', {});
  await eventually('it is lifted', () => Promise.resolve(classOf(claim.volumeId!) === 'iops-50000'));
  expect((await reservedFor(claim.uid)).throughput_ceiling).toBeNull();
});

test.each<[string, object, RegExp]>([
  ['below what its class allows', { 'iops-floor': 5 }, /by the rule "allowance"/],
  ['what its class does not let it tune', { 'throughput-floor': 5 }, /by the rule "allowance"/],
  ['a floor above its ceiling', { 'iops-floor': 55_000 }, /floor of 55000 would be above its ceiling of 50000/],
  ['more than its pool can promise', { 'iops-floor': 59_000, 'iops-ceiling': 60_000 }, /by the rule "iops"/],
])('%s is refused before anything is done', async (_what, tuned, detail) => {
  await world.rows(`UPDATE pools SET allotment_iops = 20000 WHERE id = 'basalt-swift' RETURNING id`);
  await maren.call('POST', '/api/claims', aClaim('refused', 'tuned', { size: '4Gi' }));
  const { claim } = await maren.inState('refused', 'bound');
  const before = await reservedFor(claim.uid);
  const { status, data } = await tune('refused', tuned);
  expect([status, data.code, data.detail]).toEqual([409, 'cannot-tune', expect.stringMatching(detail)]);
  expect(await reservedFor(claim.uid)).toEqual(before);
  expect(annotationsOf('refused')).not.toHaveProperty(`${prefix}iops-floor`);
  await world.rows(`UPDATE pools SET allotment_iops = NULL WHERE id = 'basalt-swift' RETURNING id`);
});

test('what its backend refuses for good goes back: reserved, said and kept as it was', async () => {
  const claim = await bound('goes-back');
  const before = await reservedFor(claim.uid);
  refuseOnce(claim);
  await tune('goes-back', { 'iops-ceiling': 3000 });
  expect(await ended('goes-back')).toMatchObject({ state: 'returned' });
  expect(await reservedFor(claim.uid)).toEqual(before);
  expect(annotationsOf('goes-back')).not.toHaveProperty(`${prefix}iops-ceiling`);
  expect(classOf(claim.volumeId!)).toBe('iops-50000');
});

test('a claim that grows is not tuned meanwhile: its rates follow its size', async () => {
  await bound('grows');
  world.basalt.faults.add({ kind: 'refuse', method: 'PATCH', path: 'Volumes/', status: 503 });
  await maren.ok('POST', '/api/claims/tide-gauges/grows/growth', { size: '6Gi' });
  const { status, data } = await tune('grows', { 'iops-ceiling': 3000 });
  expect([status, data.detail]).toEqual([409, expect.stringMatching(/is growing/)]);
  world.basalt.faults.heal();
});

describe('rates that somebody writes into the claim on the platform', () => {
  const write = (name: string, rates: Record<string, string | undefined>) => {
    const { store } = world.platform;
    const found = store.find('persistentvolumeclaims', 'tide-gauges', name)!;
    const annotations = { ...found.metadata.annotations };
    for (const [rate, value] of Object.entries(rates))
      if (value === undefined) delete annotations[prefix + rate];
      else annotations[prefix + rate] = value;
    store.update('persistentvolumeclaims', { ...found, metadata: { ...found.metadata, annotations } });
  };
  const rates = async (uid: string) => {
    const { iops_floor, iops_ceiling } = await reservedFor(uid);
    return [iops_floor, iops_ceiling];
  };
  const tuningsOf = async (uid: string) =>
    (
      await world.rows<{ state: string }>(
        `SELECT o.state FROM tunings t JOIN operations o ON o.id = t.operation_id WHERE t.claim_uid = $1 ORDER BY o.created_at`,
        [uid],
      )
    ).map((t) => t.state);

  test('are followed as if they were asked for here, and so is their going', async () => {
    const claim = await bound('written');
    write('written', { 'iops-ceiling': '2500', 'iops-floor': '700' });
    await eventuallyHolds('it is followed', async () => expect(await rates(claim.uid)).toEqual([700, 2500]));
    await eventually('its volume is held to it', () => Promise.resolve(classOf(claim.volumeId!) === 'iops-2500'));
    write('written', { 'iops-floor': undefined });
    await eventuallyHolds('one goes', async () => expect(await rates(claim.uid)).toEqual([500, 2500]));
    write('written', { 'iops-ceiling': undefined });
    await eventuallyHolds('all are gone', async () => expect(await rates(claim.uid)).toEqual([500, 50_000]));
    await eventuallyHolds('each once', async () => expect(await tuningsOf(claim.uid)).toEqual(Array(3).fill('tuned')));
  });

  test('that its class does not allow are refused once, and not again for every other word of the claim', async () => {
    const claim = await bound('written-wrong');
    write('written-wrong', { 'iops-ceiling': '70000' });
    await eventuallyHolds('it is refused', async () => expect(await tuningsOf(claim.uid)).toEqual(['refused']));
    const { timeline } = await maren.claim('written-wrong');
    expect(timeline.at(-1)).toMatchObject({
      title: 'Tuning a claim',
      words:
        'cannot be tuned so. The pool basalt-swift refuses it by the rule "allowance": needs iops-ceiling 70000, has 100 to 60000.',
    });
    const { store } = world.platform;
    const found = store.find('persistentvolumeclaims', 'tide-gauges', 'written-wrong')!;
    store.update('persistentvolumeclaims', {
      ...found,
      metadata: { ...found.metadata, labels: { team: 'gauges' } },
    });
    write('written-wrong', { 'iops-ceiling': '3000' });
    await eventuallyHolds('what is allowed is followed', async () =>
      expect(await rates(claim.uid)).toEqual([500, 3000]),
    );
    await eventuallyHolds('each once', async () => expect(await tuningsOf(claim.uid)).toEqual(['refused', 'tuned']));
  });

  test('that its backend refuses for good stay in the claim, which is theirs, and what is reserved goes back', async () => {
    const claim = await bound('written-vain');
    refuseOnce(claim);
    write('written-vain', { 'iops-ceiling': '2600' });
    await eventuallyHolds('it goes back', async () => expect(await tuningsOf(claim.uid)).toEqual(['returned']));
    expect(await rates(claim.uid)).toEqual([500, 50_000]);
    expect(classOf(claim.volumeId!)).toBe('iops-50000');
    expect(annotationsOf('written-vain')).toMatchObject({ [`${prefix}iops-ceiling`]: '2600' });
  });

  test('while it is being tuned are followed once that has ended', async () => {
    const claim = await bound('written-late');
    world.basalt.faults.add({ kind: 'refuse', method: 'PATCH', path: `Volumes/${claim.volumeId}`, status: 503 });
    await tune('written-late', { 'iops-ceiling': 4000 });
    await eventually('the claim says so', () =>
      Promise.resolve(annotationsOf('written-late')[`${prefix}iops-ceiling`] === '4000'),
    );
    write('written-late', { 'iops-ceiling': '4500' });
    await eventuallyHolds('the mirror saw it', async () =>
      expect(
        await world.rows(
          `SELECT 1 FROM platform_objects WHERE name = 'written-late' AND body #>> ARRAY['metadata', 'annotations', $1] = '4500'`,
          [`${prefix}iops-ceiling`],
        ),
      ).toHaveLength(1),
    );
    expect(await tuningsOf(claim.uid)).toEqual(['asking']);
    world.basalt.faults.heal();
    await eventuallyHolds('both came, one after the other', async () =>
      expect([await tuningsOf(claim.uid), await rates(claim.uid)]).toEqual([
        ['tuned', 'tuned'],
        [500, 4500],
      ]),
    );
  });
});

test('of a tuning and a change of copies begun in the same instant one is refused', async () => {
  await moorClass(maren, 'copied', ['kelp-nvme'], {
    ...{ copies: 2, iopsFloor: { kind: 'fixed', value: 100 } },
    allowances: [
      { setting: 'iops-floor', minimum: 50, maximum: 5000, namespaces: [] },
      { setting: 'copies', minimum: 2, maximum: 3, namespaces: [] },
    ],
  });
  for (let round = 0; round < 6; round++) {
    const name = `both-${round}`;
    await maren.ok('POST', '/api/claims', aClaim(name, 'copied', { size: '1Gi' }));
    await maren.inState(name, 'bound');
    // neither ends before the other was asked for
    world.platform.faults.add({
      kind: 'refuse',
      method: 'PATCH',
      path: `persistentvolumeclaims/${name}$`,
      status: 503,
    });
    const answers = await Promise.all([
      tune(name, { 'iops-floor': 90 }),
      maren.call<Problem>('POST', `/api/claims/tide-gauges/${name}/copies`, { kind: 'raise' }),
    ]);
    expect(answers.map((a) => a.status).sort()).toEqual([202, 409]);
    world.platform.faults.heal();
  }
});

test('an owner tunes claims of the own namespaces alone', async () => {
  await bound('not-theirs');
  const ivo = await new Caller(server.url).signIn('ivo');
  expect((await tune('not-theirs', { 'iops-ceiling': 3000 }, ivo)).status).toBe(403);
});

describe('a server that dies', () => {
  let servers: DoomedServers;
  beforeAll(() => (servers = new DoomedServers(world)));
  afterAll(() => servers.end());

  test.each(['telling', 'asking', 'tuned'])(
    'killed once it is "%s": another carries it to its end, once',
    async (state) => {
      const name = `dies-${state}`;
      const claim = await bound(name);
      const doomed = await servers.start(state);
      const dying = await new Caller(doomed.url).signIn();
      void tune(name, { 'iops-floor': 700, 'iops-ceiling': 4000 }, dying).catch(() => undefined);
      expect(await doomed.exit).toBe('SIGKILL');
      expect(await ended(name)).toMatchObject({ state: 'tuned' });
      expect(await reservedFor(claim.uid)).toMatchObject({ iops_floor: 700, iops_ceiling: 4000 });
      expect(annotationsOf(name)).toMatchObject({ [`${prefix}iops-ceiling`]: '4000' });
      expect(classOf(claim.volumeId!)).toBe('iops-4000');
    },
  );
});
