import type { ClassRow, Grants, Succession } from '@moorage/contract/classes';
import type { Line } from '@moorage/contract/claims';
import type { BackendRow } from '@moorage/contract/backends';
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

const GiB = 2 ** 30;
const claim = (name: string, className: string, part: object = {}) => ({
  namespace: 'ferry-desk',
  name,
  className,
  size: '20Gi',
  modes: ['ReadWriteOnce'],
  volumeMode: 'Filesystem',
  ...part,
});
const make = (name: string, className: string, part: object = {}) =>
  maren.ok('POST', '/api/claims', claim(name, className, part));
const failedOf = async (name: string) => {
  const { decisions } = await maren.inState(name, 'nothing-fits', 'ferry-desk');
  return decisions[0]!.trace.candidates[0]!.checks.filter((c) => !c.passed).map((c) => c.rule);
};
const poolOf = async (id: string) =>
  (await maren.ok<BackendRow[]>('GET', '/api/backends')).flatMap((b) => b.pools).find((p) => p.id === id)!;

describe('grants', () => {
  test('a class kept for some binds claims of those alone; granting binds what waited', async () => {
    await moorClass(maren, 'kept', ['basalt-swift'], { copies: 1 });
    await maren.ok('PATCH', '/api/classes/kept/grants', {
      open: false,
      set: [{ namespace: 'tide-gauges', granted: true }],
    });
    await make('waits', 'kept');
    expect(await failedOf('waits')).toEqual(['grant']);
    const { decisions } = await maren.claim('waits', 'ferry-desk');
    expect(decisions[0]!.remedies[0]!.changes).toEqual([{ kind: 'grant', namespace: 'ferry-desk' }]);
    await maren.ok('PUT', '/api/namespaces/ferry-desk/enforcement', { byPlatform: false });
    await maren.ok('PATCH', '/api/classes/kept/grants', {
      set: [{ namespace: 'ferry-desk', granted: true, quota: 30 * GiB }],
    });
    await maren.inState('waits', 'bound', 'ferry-desk');
    await make('beyond', 'kept');
    expect(await failedOf('beyond')).toEqual(['class-quota']);
    const grants = await maren.ok<Grants>('GET', '/api/classes/kept/grants');
    expect(grants.namespaces.find((n) => n.namespace === 'ferry-desk')).toMatchObject({
      granted: true,
      quota: 30 * GiB,
      claims: 2,
      provisioned: 20 * GiB,
    });
  });

  test('two people at once: the second is told; strangers are refused; nothing changes', async () => {
    const { version } = await maren.ok<Grants>('GET', '/api/classes/kept/grants');
    const change = (open: boolean) =>
      maren.call('PATCH', '/api/classes/kept/grants', { open }, { 'If-Match': `"${version}"` });
    const answers = await Promise.all([change(true), change(true)]);
    expect(answers.map((a) => a.status).sort()).toEqual([200, 412]);
    const nobody = await maren.call('PATCH', '/api/classes/kept/grants', {
      set: [{ namespace: 'nowhere', granted: true }],
    });
    expect(nobody.status).toBe(404);
    expect((await maren.call('PATCH', '/api/classes/ghost/grants', { open: false })).status).toBe(404);
    const tom = await new Caller(server.url).signIn('tom');
    expect((await tom.call('PATCH', '/api/classes/kept/grants', { open: false })).status).toBe(403);
  });
});

describe('what a class promises', () => {
  test('a throughput floor is reserved, counted in the pool, enforced on the backend, and refused beyond what is left', async () => {
    await moorClass(maren, 'stream', ['basalt-broad'], {
      copies: 1,
      throughputFloor: { kind: 'fixed', value: 100 },
      throughputCeiling: { kind: 'fixed', value: 400 },
    });
    await make('reel', 'stream');
    const { claim: bound } = await maren.inState('reel', 'bound', 'ferry-desk');
    expect((await poolOf('basalt-broad')).promisedThroughput).toBe(100e6);
    const volume = [...world.basalt.backend.volumes.values()].find((v) => v.name === bound.volumeName)!;
    expect(world.basalt.backend.serviceClasses.get(volume.serviceClass!)).toMatchObject({ maxBytesPerSecond: 400e6 });
    await maren.ok('PATCH', '/api/pools/basalt-broad', { allotmentThroughput: 150_000_000 });
    await make('reel-2', 'stream');
    expect(await failedOf('reel-2')).toEqual(['throughput']);
    await maren.ok('DELETE', '/api/claims/ferry-desk/reel');
    await maren.inState('reel-2', 'bound', 'ferry-desk');
    await maren.ok('PATCH', '/api/pools/basalt-broad', { allotmentThroughput: null });
  });

  test('what a claim tunes within its allowance is what it gets; beyond it nothing binds', async () => {
    await moorClass(maren, 'tuned', ['basalt-swift'], {
      copies: 1,
      iopsFloor: { kind: 'fixed', value: 100 },
      allowances: [{ setting: 'iops-floor', minimum: 100, maximum: 2000, namespaces: [] }],
    });
    await make('quick', 'tuned', { tuned: { 'iops-floor': 1500 } });
    const { decisions } = await maren.inState('quick', 'bound', 'ferry-desk');
    expect(decisions[0]!.trace.iopsFloor).toBe(1500);
    await make('greedy', 'tuned', { tuned: { 'iops-floor': 9000 } });
    expect(await failedOf('greedy')).toEqual(['allowance']);
    const { decisions: refused } = await maren.claim('greedy', 'ferry-desk');
    expect(refused[0]!.remedies[0]!.changes).toEqual([{ kind: 'tune-within', setting: 'iops-floor', value: 2000 }]);
  });

  test('two copies and a witness: the vote lies on a third node, takes no space, and is no copy on the backend', async () => {
    await moorClass(maren, 'watched', ['kelp-nvme'], { copies: 2, witness: true });
    await make('watched', 'watched');
    const { claim: bound } = await maren.inState('watched', 'bound', 'ferry-desk');
    const copies = await world.rows<{ role: string; domain: string; bytes: string }>(
      'SELECT role, domain, bytes FROM reservation_copies WHERE claim_uid = $1 ORDER BY role',
      [bound.uid],
    );
    expect(copies.map((c) => [c.role, Number(c.bytes)])).toEqual([
      ['data', 20 * GiB],
      ['data', 20 * GiB],
      ['witness', 0],
    ]);
    expect(new Set(copies.map((c) => c.domain)).size).toBe(3);
    const { links } = await maren.ok<Line>('GET', '/api/line?claim=ferry-desk/watched');
    expect(links.at(-1)).toMatchObject({ kind: 'copy', note: 'a witness, without data' });
    expect([...world.kelp.backend.volumes.values()].find((v) => v.name === bound.volumeName)!.copies).toHaveLength(2);
  });

  describe('a second copy on another backend', () => {
    const on = (backend: World['basalt'], name: string) =>
      [...backend.backend.volumes.values()].find((v) => v.name === name);

    test('is made before the claim binds, is written at the same time, counts in its pool, and goes with the claim', async () => {
      const before = await poolOf('kelp-nvme');
      await moorClass(maren, 'twice', ['basalt-swift', 'kelp-nvme'], {
        copies: 2,
        secondCopy: true,
        reclaim: 'Delete',
      });
      await make('logbook', 'twice');
      const { claim: bound, decisions } = await maren.inState('logbook', 'bound', 'ferry-desk');
      expect(decisions[0]!.trace.second).toMatchObject({ pool: 'kelp-nvme', footprintFactor: 2 });
      const [first, second] = [on(world.basalt, bound.volumeName!)!, on(world.kelp, bound.volumeName!)!];
      expect([first.capacity, second.capacity, second.copies.length]).toEqual([20 * GiB, 20 * GiB, 2]);
      expect(first.mirrors).toEqual([{ target: `urn:vast-moorage:kelp:${second.id}`, mode: 'Synchronous' }]);
      const { links } = await maren.ok<Line>('GET', '/api/line?claim=ferry-desk/logbook');
      expect(links.at(-1)).toMatchObject({
        kind: 'copy',
        name: 'kelp',
        backendId: second.id,
        note: 'the second copy, on kelp-nvme',
      });
      const now = await poolOf('kelp-nvme');
      expect(now.reservedBytes - before.reservedBytes).toBe(20 * GiB);
      expect(now.reservedRaw - before.reservedRaw).toBe(40 * GiB);
      await eventuallyHolds('no stranger on either', async () =>
        expect((await poolOf('kelp-nvme')).foreignRaw).toBe(before.foreignRaw),
      );
      await eventuallyHolds('the reservation', async () =>
        expect(
          (await world.rows<{ state: string }>('SELECT state FROM reservations WHERE claim_uid = $1', [bound.uid]))[0]!
            .state,
        ).toBe('bound'),
      );
      await maren.ok('DELETE', '/api/claims/ferry-desk/logbook');
      await eventuallyHolds('both gone', async () => {
        expect([on(world.basalt, bound.volumeName!), on(world.kelp, bound.volumeName!)]).toEqual([
          undefined,
          undefined,
        ]);
        expect((await poolOf('kelp-nvme')).reservedBytes).toBe(before.reservedBytes);
      });
    });

    test('that has no backend to go to keeps the claim pending, with that reason', async () => {
      await moorClass(maren, 'twice-alone', ['basalt-swift', 'basalt-broad'], { copies: 1, secondCopy: true });
      await make('lonely', 'twice-alone');
      expect(await failedOf('lonely')).toEqual(['second-copy']);
      await maren.ok('PUT', '/api/moorings/twice-alone/kelp-nvme', { enabled: true });
      await maren.inState('lonely', 'bound', 'ferry-desk');
    });

    test('whose answers are lost is found again: one volume on each backend, one tie between them', async () => {
      world.kelp.faults.add({ kind: 'lose-answer', method: 'POST', path: '/Volumes$', times: 1 });
      world.basalt.faults.add({ kind: 'lose-answer', method: 'POST', path: '/Volumes$', times: 1 });
      world.basalt.faults.add({ kind: 'lose-answer', method: 'POST', path: 'AssignReplicaTarget$', times: 1 });
      await make('stormy', 'twice');
      const { claim: bound } = await maren.inState('stormy', 'bound', 'ferry-desk');
      for (const backend of [world.basalt, world.kelp])
        expect([...backend.backend.volumes.values()].filter((v) => v.name === bound.volumeName)).toHaveLength(1);
      expect(on(world.basalt, bound.volumeName!)!.mirrors).toHaveLength(1);
    });
  });

  test.each([
    ['a witness for three copies', { copies: 3, witness: true }, 'witness'],
    ['shared files on raw devices', { purpose: 'shared-files', volumeMode: 'Block' }, 'volumeMode'],
    [
      'a floor above its ceiling',
      { throughputFloor: { kind: 'fixed', value: 9 }, throughputCeiling: { kind: 'fixed', value: 8 } },
      'throughputFloor',
    ],
    ['too many shards', { shards: { data: 40, parity: 2 } }, 'shards.data'],
    [
      'an allowance upside down',
      { allowances: [{ setting: 'copies', minimum: 3, maximum: 1, namespaces: [] }] },
      'allowances.0.minimum',
    ],
  ])('%s is refused at its setting', async (_what, part, field) => {
    const refused = await maren.call<{ field: string }>('POST', '/api/classes', { name: 'wrong', ...part });
    expect([refused.status, refused.data.field]).toEqual([422, field]);
  });
});

describe('grace', () => {
  const onBackend = (name: string) => [...world.basalt.backend.volumes.values()].some((v) => v.name === name);

  test('a deleted claim’s volume is kept until its grace ends, counts until then, and is destroyed after it', async () => {
    await moorClass(maren, 'graceful', ['basalt-swift'], { copies: 1, reclaim: 'Delete', graceDays: 7 });
    await make('regretted', 'graceful');
    const { claim: bound } = await maren.inState('regretted', 'bound', 'ferry-desk');
    await eventuallyHolds('the reservation', async () =>
      expect(
        (await world.rows<{ state: string }>('SELECT state FROM reservations WHERE claim_uid = $1', [bound.uid]))[0]!
          .state,
      ).toBe('bound'),
    );
    await maren.ok('DELETE', '/api/claims/ferry-desk/regretted');
    await eventuallyHolds('adrift', async () => {
      const [row] = await world.rows<{ state: string; days: string }>(
        `SELECT state, extract(epoch FROM keep_until - now()) / 86400 AS days FROM reservations WHERE claim_uid = $1`,
        [bound.uid],
      );
      expect(row!.state).toBe('adrift');
      expect(Math.round(Number(row!.days))).toBe(7);
    });
    expect(onBackend(bound.volumeName!)).toBe(true);
    expect(world.platform.store.find('persistentvolumes', '', bound.volumeName!)).toBeDefined();
    await world.rows(`UPDATE reservations SET keep_until = now() - interval '1 minute' WHERE claim_uid = $1`, [
      bound.uid,
    ]);
    await eventuallyHolds('destroyed', async () => {
      expect(onBackend(bound.volumeName!)).toBe(false);
      expect(await world.rows('SELECT 1 FROM reservations WHERE claim_uid = $1', [bound.uid])).toEqual([]);
    });
    expect(world.platform.store.find('persistentvolumes', '', bound.volumeName!)).toBeUndefined();
  });

  test('Retain is never destroyed by itself, grace or not', async () => {
    await moorClass(maren, 'kept-for-good', ['basalt-swift'], { copies: 1, reclaim: 'Retain', graceDays: 1 });
    await make('archive', 'kept-for-good');
    const { claim: bound } = await maren.inState('archive', 'bound', 'ferry-desk');
    await eventuallyHolds('the reservation', async () =>
      expect(
        (await world.rows<{ state: string }>('SELECT state FROM reservations WHERE claim_uid = $1', [bound.uid]))[0]!
          .state,
      ).toBe('bound'),
    );
    await maren.ok('DELETE', '/api/claims/ferry-desk/archive');
    const state = async () =>
      (await world.rows<{ state: string }>('SELECT state FROM reservations WHERE claim_uid = $1', [bound.uid]))[0]
        ?.state;
    await eventuallyHolds('adrift', async () => expect(await state()).toBe('adrift'));
    await world.rows(`UPDATE reservations SET keep_until = now() - interval '1 day' WHERE claim_uid = $1`, [bound.uid]);
    // another claim comes and goes meanwhile, so that the sweep has been round
    await make('passing', 'graceful');
    const { claim: passing } = await maren.inState('passing', 'bound', 'ferry-desk');
    await maren.ok('DELETE', '/api/claims/ferry-desk/passing');
    await eventuallyHolds('swept', async () =>
      expect(
        (await world.rows<{ state: string }>('SELECT state FROM reservations WHERE claim_uid = $1', [passing.uid]))[0]!
          .state,
      ).toBe('adrift'),
    );
    expect(await state()).toBe('adrift');
    expect(onBackend(bound.volumeName!)).toBe(true);
  });
});

describe('successors', () => {
  test('the change makes a class with the moorings and grants of the old one, and a plan that moves nothing', async () => {
    await moorClass(maren, 'ledger', ['kelp-nvme', 'basalt-swift'], { copies: 2, isDefault: true });
    await maren.ok('PATCH', '/api/classes/ledger/grants', {
      open: false,
      set: [{ namespace: 'ferry-desk', granted: true }],
    });
    for (const name of ['books', 'ferries']) await make(name, 'ledger');
    for (const name of ['books', 'ferries']) await maren.inState(name, 'bound', 'ferry-desk');
    const storageClass = { name: 'ledger-2', copies: 3, encrypted: true };
    const plan = await maren.ok<Succession>('POST', '/api/classes/ledger/successor', {
      storageClass,
      takesDefault: true,
    });
    expect(plan.moves.map((m) => [m.claim, m.from, m.to, m.bytes])).toEqual([
      ['books', 'kelp-nvme', 'kelp-nvme', 20 * GiB],
      ['ferries', 'kelp-nvme', 'kelp-nvme', 20 * GiB],
    ]);
    const rows = await maren.ok<ClassRow[]>('GET', '/api/classes');
    const made = rows.find((c) => c.storageClass.name === 'ledger-2')!;
    expect(made).toMatchObject({ succeeds: 'ledger', isDefault: true, mooredPools: 2, claims: 0 });
    expect(rows.find((c) => c.storageClass.name === 'ledger')).toMatchObject({ isDefault: false, claims: 2, bound: 2 });
    expect((await maren.ok<Grants>('GET', '/api/classes/ledger-2/grants')).open).toBe(false);
    expect((await maren.ok<Succession[]>('GET', '/api/classes/ledger/successions')).map((s) => s.to)).toEqual([
      'ledger-2',
    ]);
  });

  test('a successor that promises the same is refused, and nothing is made', async () => {
    const { storageClass } = (await maren.ok<ClassRow[]>('GET', '/api/classes')).find(
      (c) => c.storageClass.name === 'ledger',
    )!;
    const refused = await maren.call('POST', '/api/classes/ledger/successor', {
      storageClass: { ...storageClass, name: 'ledger-3' },
    });
    expect(refused.status).toBe(422);
    expect((await maren.ok<ClassRow[]>('GET', '/api/classes')).some((c) => c.storageClass.name === 'ledger-3')).toBe(
      false,
    );
    expect((await maren.call('POST', '/api/classes/ghost/successor', { storageClass: { name: 'x' } })).status).toBe(
      404,
    );
  });
});
