import fc from 'fast-check';
import type { ClaimRow } from '@moorage/contract/claims';
import type { OperationPage } from '@moorage/contract/operations';
import type { Round, RoundChange, RoundPlan } from '@moorage/contract/rounds';
import { logbook } from '../logbook/logbook-model';
import { platformObjects } from '../mirror/mirror-model';
import { noteMade } from '../mirror/mirror';
import { beginOperations } from '../operations/operations';
import { operations } from '../operations/operation-model';
import type { Work } from '../operations/kind';
import type { RunningServer } from '../server';
import { carryByHand } from '../testing/by-hand';
import { migratedDatabase } from '../testing/databases';
import type { Fate } from '../testing/fate';
import { MemoryPlatform } from '../testing/memory-platform';
import { aClaim, Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';
import { RoundCarrier } from './carry';
import { growing } from '../growth/kind';
import { tuning } from '../tuning/kind';
import { tunings } from '../tuning/tuning-model';
import { goingRound } from './kind';
import { roundClaims, rounds } from './round-model';

const GiB = 2 ** 30;

describe('between the stand-ins', () => {
  let world: World;
  let server: RunningServer;
  let caller: Caller;
  beforeAll(async () => {
    world = await makeWorld();
    server = await world.start();
    caller = await world.operator(server);
    await moorClass(caller, 'plain', ['basalt-swift'], { copies: 1, expansion: true });
    await moorClass(caller, 'tuned', ['basalt-swift'], {
      ...{ copies: 1, iopsFloor: { kind: 'fixed', value: 200 }, iopsCeiling: { kind: 'fixed', value: 5000 } },
      allowances: (['iops-floor', 'iops-ceiling'] as const).map((setting) => ({
        ...{ setting, minimum: 100, maximum: 60_000, namespaces: [] },
      })),
    });
    await moorClass(caller, 'kept', ['basalt-broad'], { copies: 1, reclaim: 'Retain' });
  }, 90_000);
  afterAll(() => world.end());
  afterEach(() => world.platform.faults.heal());

  const named = (names: readonly string[], namespace = 'tide-gauges') => names.map((name) => ({ namespace, name }));
  const made = async (names: readonly string[], className = 'plain', size = '10Gi') => {
    for (const name of names) await caller.ok('POST', '/api/claims', aClaim(name, className, { size }));
    return Promise.all(names.map(async (name) => (await caller.inState(name, 'bound')).claim));
  };
  const plan = (names: readonly string[], change: RoundChange, by = caller) =>
    by.ok<RoundPlan>('POST', '/api/rounds/plan', { claims: named(names), change });
  const begin = (names: readonly string[], change: RoundChange, part: object = {}) =>
    caller.call<Round>('POST', '/api/rounds', { claims: named(names), change, ...part });
  const ended = (id: string) =>
    eventually('the round ends', async () => {
      const round = await caller.ok<Round>('GET', `/api/rounds/${id}`);
      return round.waiting === 0 && round;
    });
  const claim = async (name: string) => (await caller.claim(name)).claim;

  test('many grow in one round; what does not fit beside the others is named, and left as it is', async () => {
    await made(['r-a', 'r-b', 'r-c', 'r-d']);
    await caller.ok('PUT', '/api/namespaces/tide-gauges/enforcement', { byPlatform: false });
    await caller.ok('PUT', '/api/namespaces/tide-gauges/limit', { bytes: 65 * GiB });
    const change = { kind: 'grow-by', by: '12Gi' } as const;
    const names = ['r-a', 'r-b', 'r-c', 'r-d', 'r-none'];
    const seen = await plan(names, change);
    expect(seen.rows.map((r) => [r.name, r.from, r.to, r.refusal, r.failed?.check.rule])).toEqual([
      ['r-a', 10 * GiB, 22 * GiB, null, undefined],
      ['r-b', 10 * GiB, 22 * GiB, null, undefined],
      ['r-c', 10 * GiB, null, 'does-not-fit', 'namespace-quota'],
      ['r-d', 10 * GiB, null, 'does-not-fit', 'namespace-quota'],
      ['r-none', null, null, 'gone', undefined],
    ]);
    expect(seen).toMatchObject({ goes: 2, refused: 3, added: 24 * GiB, addedRaw: 24 * GiB, confirm: null });
    const { status, data: round } = await begin(names, change);
    expect(status).toBe(202);
    expect(await ended(round.id)).toMatchObject({ done: 2, refused: [] });
    await eventually('both have more', async () =>
      (await Promise.all(['r-a', 'r-b'].map(claim))).every((c) => c.provisioned === 22 * GiB),
    );
    expect((await claim('r-c')).requested).toBe(10 * GiB);
    await caller.ok('PUT', '/api/namespaces/tide-gauges/limit', { bytes: null });
    const none = await begin(['r-none'], change);
    expect([none.status, none.data]).toEqual([409, expect.objectContaining({ code: 'nothing-to-do' })]);
  });

  test('many are tuned in one round: what a claim tunes besides stays, what its class does not allow is named, and all go back', async () => {
    const [own] = await made(['t-own', 't-plain'], 'tuned', '1Gi');
    await made(['t-fixed'], 'plain', '1Gi');
    await caller.ok('POST', '/api/claims/tide-gauges/t-own/tuning', { tuned: { 'iops-floor': 300 } });
    const reserved = async () =>
      Object.fromEntries(
        (
          await world.rows<{ claim_name: string; iops_floor: number; iops_ceiling: number }>(
            `SELECT claim_name, iops_floor, iops_ceiling FROM reservations WHERE claim_name LIKE 't-%' AND state = 'bound'`,
          )
        ).map((r) => [r.claim_name, [r.iops_floor, r.iops_ceiling]]),
      );
    await eventuallyHolds('it has its own floor', async () => expect((await reserved())['t-own']).toEqual([300, 5000]));
    await eventuallyHolds('its tuning has ended', async () =>
      expect((await caller.ok<OperationPage>('GET', '/api/operations?kind=tune')).rows).toEqual([]),
    );
    const change: RoundChange = { kind: 'tune', tuned: { 'iops-ceiling': 900 } };
    const names = ['t-own', 't-plain', 't-fixed', 't-none'];
    const seen = await plan(names, change);
    expect(seen.rows.map((r) => [r.name, r.rates?.then.iopsCeiling, r.refusal, r.failed?.check.rule])).toEqual([
      ['t-own', 900, null, undefined],
      ['t-plain', 900, null, undefined],
      ['t-fixed', undefined, 'does-not-fit', 'allowance'],
      ['t-none', undefined, 'gone', undefined],
    ]);
    expect(seen.rows[0]!.rates!.now).toMatchObject({ iopsFloor: 300, iopsCeiling: 5000 });
    const { data: round } = await begin(names, change);
    expect(await ended(round.id)).toMatchObject({ done: 2, refused: [] });
    await eventuallyHolds('both are held to it', async () =>
      expect(await reserved()).toMatchObject({ 't-own': [300, 900], 't-plain': [200, 900] }),
    );
    await eventuallyHolds('their tuning has ended', async () =>
      expect((await caller.ok<OperationPage>('GET', '/api/operations?kind=tune')).rows).toEqual([]),
    );
    expect(world.basalt.backend.volumes.get(own!.volumeId!)!.serviceClass).toBe('iops-900');
    expect((await plan(['t-own'], change)).rows[0]!.refusal).toBe('as-asked');
    const back: RoundChange = { kind: 'tune', tuned: { 'iops-floor': null, 'iops-ceiling': null } };
    expect((await plan(['t-own', 't-plain'], back)).goes).toBe(2);
    await begin(['t-own', 't-plain'], back);
    await eventuallyHolds('both are as their class has it', async () =>
      expect(await reserved()).toMatchObject({ 't-own': [200, 5000], 't-plain': [200, 5000] }),
    );
  });

  test('many are deleted in one round: what is destroyed is said and typed, what is kept stays', async () => {
    const [used] = await made(['d-a', 'd-b']);
    await made(['d-c'], 'kept');
    world.basalt.backend.write(used!.volumeId!, 3 * GiB);
    await eventually('the written bytes are known', async () => ((await claim('d-a')).consumed ?? 0) > 0);
    const names = ['d-a', 'd-b', 'd-c'];
    const seen = await plan(names, { kind: 'delete' });
    expect(seen.rows.map((r) => r.fate)).toEqual([
      { kind: 'destroyed', used: 3 * GiB, graceDays: 0, pods: [] },
      { kind: 'destroyed', used: 0, graceDays: 0, pods: [] },
      { kind: 'kept', used: 0, graceDays: 0, pods: [] },
    ]);
    expect(seen).toMatchObject({ goes: 3, destroyed: 3 * GiB, confirm: '3 claims' });
    const unsure = await begin(names, { kind: 'delete' });
    expect([unsure.status, unsure.data]).toEqual([409, expect.objectContaining({ code: 'confirm-destruction' })]);
    expect((await claim('d-a')).state).toBe('bound');
    const { data: round } = await begin(names, { kind: 'delete' }, { confirm: '3 claims' });
    expect(await ended(round.id)).toMatchObject({ done: 3, refused: [] });
    await eventually('they are gone', async () => {
      const { claims } = await caller.ok<{ claims: ClaimRow[] }>('GET', '/api/claims?q=d-');
      return claims.filter((c) => names.includes(c.name)).length === 0;
    });
    const left = () =>
      world.rows<{ claim_name: string; state: string }>(
        'SELECT claim_name, state FROM reservations WHERE claim_name = ANY($1)',
        [names],
      );
    await eventuallyHolds('what is kept is all that is left', async () =>
      expect(await left()).toEqual([{ claim_name: 'd-c', state: 'adrift' }]),
    );
  });

  test('one that the platform refuses is named, and the others are changed', async () => {
    const names = Array.from({ length: 5 }, (_, i) => `p-${i}`);
    await made(names, 'plain', '1Gi');
    world.platform.faults.add({ kind: 'refuse', method: 'PATCH', path: 'persistentvolumeclaims/p-3$', status: 422 });
    const { data: round } = await begin(names, { kind: 'grow', to: '2Gi' });
    const seen = await ended(round.id);
    expect([seen.done, seen.refused.map((r) => r.name)]).toEqual([4, ['p-3']]);
  });

  test('called off, those that are not reached stay as they are, and the words say so before', async () => {
    const names = Array.from({ length: 40 }, (_, i) => `c-${i}`);
    await made(names, 'plain', '1Gi');
    world.platform.faults.add({ kind: 'latency', method: 'PATCH', path: 'persistentvolumeclaims', latencyMs: 200 });
    const { data: round } = await begin(names, { kind: 'grow', to: '2Gi' });
    const { rows } = await caller.ok<OperationPage>('GET', '/api/operations?kind=round');
    const row = rows.find((r) => r.id === round.operation)!;
    expect(row).toMatchObject({ about: '40 claims', can: expect.arrayContaining(['cancel']) as unknown });
    expect(row.callsOff).toContain('stay as they are');
    await caller.ok('POST', `/api/operations/${round.operation}/cancel`);
    await eventually('it has left the rest', async () => {
      const page = await caller.ok<OperationPage>('GET', '/api/operations?kind=round&show=ended');
      return page.rows.some((r) => r.id === round.operation && r.state === 'left');
    });
    const { done, waiting } = await caller.ok<Round>('GET', `/api/rounds/${round.id}`);
    expect([done + waiting, waiting > 0, done % 16]).toEqual([40, true, 0]);
  });

  test('a namespace owner plans with the own claims alone: the others are not there, and neither is the round of another', async () => {
    const ivo = await new Caller(server.url).signIn('ivo');
    expect((await plan(['r-a'], { kind: 'grow', to: '90Gi' }, ivo)).rows).toMatchObject([
      { refusal: 'gone', from: null },
    ]);
    const refused = await ivo.call('POST', '/api/rounds', { claims: named(['r-a']), change: { kind: 'delete' } });
    expect(refused.status).toBe(409);
    const { data: round } = await begin(['r-a'], { kind: 'grow', to: '23Gi' });
    expect((await ivo.call('GET', `/api/rounds/${round.id}`)).status).toBe(404);
    const guest = await new Caller(server.url).signIn('guest');
    expect(
      (await guest.call('POST', '/api/rounds/plan', { claims: named(['r-a']), change: { kind: 'delete' } })).status,
    ).toBe(403);
  });
});

test('one that is tuned or grows by the time its turn comes, and one that is another by then, are named; the others are tuned once', async () => {
  const { database, end } = await migratedDatabase();
  const platform = new MemoryPlatform();
  const id = '00000000-0000-4000-8000-00000000000a';
  const change: RoundChange = { kind: 'tune', tuned: { 'iops-ceiling': 900, 'iops-floor': null } };
  await rounds.in(database).create({ id, change, person: 'maren' });
  const uids: Record<string, string> = {};
  for (const [number, name] of ['free', 'tuned', 'grows', 'other'].entries()) {
    const object = await platform.create({
      ...{ apiVersion: 'v1', kind: 'PersistentVolumeClaim' },
      metadata: { name, namespace: 'tide-gauges', annotations: { 'vast-moorage.example/iops-floor': '300' } },
      spec: { accessModes: ['ReadWriteOnce'], resources: { requests: { storage: '1Gi' } } },
    });
    await noteMade(database, 'persistentvolumeclaims', object);
    uids[name] = object.metadata.uid!;
    const uid = name === 'other' ? 'of-before' : uids[name];
    await roundClaims.in(database).create({ roundId: id, number, namespace: 'tide-gauges', name, uid, size: null });
  }
  await beginOperations(database, tuning, [uids.tuned!]);
  await beginOperations(database, growing, [uids.grows!]);
  const [operation] = await beginOperations(database, goingRound, [id]);
  const begun: string[] = [];
  const carrier = new RoundCarrier(database, platform, (ids) => begun.push(...ids));
  await carryByHand(database, carrier.work as Work, operation!, () => false);
  const rows = await roundClaims.in(database).findAll({ where: { roundId: id }, order: [['number', 'ASC']], limit: 9 });
  expect(rows.map((r) => [r.name, r.state, r.problem])).toEqual([
    ['free', 'done', null],
    ['tuned', 'refused', expect.stringMatching(/being tuned already/)],
    ['grows', 'refused', expect.stringMatching(/is growing/)],
    ['other', 'refused', expect.stringMatching(/There is no claim/)],
  ]);
  const asked = await tunings.in(database).findAll({ limit: 9 });
  expect(asked.map((t) => [t.operationId, t.claimUid, t.wanted])).toEqual([
    [begun[0], uids.free, { 'iops-ceiling': 900 }],
  ]);
  await end();
}, 300_000);

test('however often answers are lost, every claim is changed once, and another of its name is left alone', async () => {
  const { database, end } = await migratedDatabase();
  const fates = fc.array(fc.constantFrom<Fate>('answered', 'lost', 'unreachable'), { maxLength: 30 });
  let count = 0;
  const property = fc.asyncProperty(fates, fc.boolean(), async (calls, deletes) => {
    const platform = new MemoryPlatform();
    const id = `00000000-0000-4000-8000-${String(++count).padStart(12, '0')}`;
    await platformObjects.in(database).destroy({ where: {} });
    await logbook.in(database).destroy({ where: {} });
    const claimAt = (name: string, uid?: string) => ({
      ...{ apiVersion: 'v1', kind: 'PersistentVolumeClaim', metadata: { name, namespace: 'tide-gauges', uid } },
      spec: { accessModes: ['ReadWriteOnce'], resources: { requests: { storage: '1Gi' } } },
    });
    await rounds
      .in(database)
      .create({ id, change: { kind: deletes ? 'delete' : 'grow', to: '2Gi' } as RoundChange, person: 'maren' });
    for (let number = 0; number < 20; number++) {
      const object = await platform.create(claimAt(`n-${number}`));
      await noteMade(database, 'persistentvolumeclaims', object);
      // the last is another one by now
      const uid = number === 19 ? 'of-before' : object.metadata.uid!;
      const size = deletes ? null : '2Gi';
      await roundClaims
        .in(database)
        .create({ roundId: id, number, namespace: 'tide-gauges', name: `n-${number}`, uid, size });
    }
    const [operation] = await beginOperations(database, goingRound, [id]);
    const left = [...calls];
    platform.fate = () => left.shift() ?? 'answered';
    const carrier = new RoundCarrier(database, platform, () => undefined);
    await carryByHand(database, carrier.work as Work, operation!, () => false);
    platform.fate = () => 'answered';
    expect((await operations.in(database).findByPk(operation!))?.state).toBe('carried');
    const { items } = platform.list('persistentvolumeclaims');
    const sizes = items.map((c) => c.spec!.resources!.requests!.storage);
    expect(sizes).toEqual(deletes ? ['1Gi'] : [...Array<string>(19).fill('2Gi'), '1Gi']);
    expect(await logbook.in(database).count()).toBe(deletes ? 20 : 19);
    expect(await roundClaims.in(database).count({ where: { roundId: id, state: 'refused' } })).toBe(deletes ? 0 : 1);
  });
  await fc.assert(property, { numRuns: 25 });
  await end();
}, 300_000);
