import { limpetSeed } from '../../../standins/src/backend-seeds';
import type { BindState, ReleaseState } from './kinds';
import { DoomedServers } from '../testing/doomed';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let doomedServers: DoomedServers;

beforeAll(async () => {
  world = await makeWorld({ more: [limpetSeed], estate: ['limpet'] });
  world.config.estate.backends.find((b) => b.id === 'limpet')!.sites = ['gull-rock'];
  // backends that take two volumes of one name: only our own care keeps them apart
  for (const { backend } of backends()) backend.duplicateNames = true;
  doomedServers = new DoomedServers(world);
});
afterAll(async () => {
  doomedServers.end();
  await world.end();
});
const backends = () => [world.kelp, world.basalt, ...world.more];
/** Volumes of a name on each backend: kelp, basalt, limpet. */
const volumesOf = (name: string) =>
  backends().map(({ backend }) => [...backend.volumes.values()].filter((v) => v.name === name).length);
const startDoomed = (dieAfter: string) => doomedServers.start(dieAfter);
const afterwards = () => doomedServers.lasting();

const bindStates: readonly BindState[] = ['making', 'made', 'written', 'bound'];

describe('a server killed after a single step of a binding', () => {
  beforeAll(async () => {
    const { caller, end } = await afterwards();
    await eventually(
      'the pools',
      async () =>
        (await caller.ok<{ pools: unknown[] }[]>('GET', '/api/backends')).flatMap((b) => b.pools).length === 5,
    );
    await eventually('the namespaces', async () => (await caller.ok<unknown[]>('GET', '/api/namespaces')).length >= 4);
    await moorClass(caller, 'tide-fast', ['kelp-nvme']);
    // the same volume three times: here, on another backend, and at another site
    await moorClass(caller, 'thrice', ['basalt-swift', 'kelp-nvme', 'limpet-main'], {
      copies: 2,
      secondCopy: true,
      offsite: true,
      reclaim: 'Delete',
    });
    await end();
  });

  test.each(
    bindStates.flatMap((state) => [[state, 'tide-fast', [1, 0, 0]] as const, [state, 'thrice', [1, 1, 1]] as const]),
  )('%s, class %s: after the restart there is one of everything', async (state, className, expected) => {
    const name = `${className}-${state}`;
    const doomed = await startDoomed(state);
    const before = await new Caller(doomed.url).signIn();
    // the answer may come after the end
    await before.call('POST', '/api/claims', aClaim(name, className)).catch(() => undefined);
    // the last step may be seen by the watch instead of the operation: then the server simply lives on
    const signal = await Promise.race([
      doomed.exit,
      eventually(
        'bound',
        async () =>
          world.platform.store.find('persistentvolumeclaims', 'tide-gauges', name)?.status?.phase === 'Bound' &&
          state === 'bound',
        60_000,
      ).then(() => 'lived'),
    ]);
    if (signal === 'lived') doomed.child.kill('SIGKILL');
    else expect(signal).toBe('SIGKILL');
    await doomed.exit;

    const { caller, end } = await afterwards();
    const { claim } = await caller.inState(name, 'bound');
    await eventually(
      'the operation is finished',
      async () =>
        (await world.rows(`SELECT 1 FROM operations WHERE subject = $1 AND state = 'bound'`, [claim.uid])).length === 1,
    );
    expect(volumesOf(`pvc-${claim.uid}`)).toEqual(expected);
    expect(
      world.platform.store.list('persistentvolumes').filter((v) => v.spec?.claimRef?.uid === claim.uid),
    ).toHaveLength(1);
    expect(await world.rows('SELECT state FROM reservations WHERE claim_uid = $1', [claim.uid])).toEqual([
      { state: 'bound' },
    ]);
    await end();
  });

  test('a volume that comes when its claim is gone does not stay, also where taking it away is refused', async () => {
    const { caller, end } = await afterwards();
    world.kelp.faults.add({ kind: 'latency', method: 'POST', path: '/Volumes$', latencyMs: 1500, times: 1 });
    world.kelp.faults.add({ kind: 'refuse', method: 'DELETE', path: '/Volumes/', times: 2 });
    const before = world.kelp.faults.calls.length;
    const called = (method: string) => world.kelp.faults.calls.slice(before).filter((c) => c.method === method).length;
    await caller.ok('POST', '/api/claims', aClaim('late', 'tide-fast'));
    await eventually('the backend is asked', () => Promise.resolve(called('POST') > 0));
    const { uid } = world.platform.store.get('persistentvolumeclaims', 'tide-gauges', 'late').metadata;
    world.platform.store.delete('persistentvolumeclaims', 'tide-gauges', 'late');
    await eventually(
      'it is let go of',
      async () =>
        (await world.rows(`SELECT 1 FROM operations WHERE subject = $1 AND state = 'released'`, [uid])).length === 1,
    );
    await eventually('it came, and was not taken away at once', () => Promise.resolve(called('DELETE') > 0));
    await eventually('it is gone', () => Promise.resolve(volumesOf(`pvc-${uid}`)[0] === 0));
    expect(called('DELETE')).toBeGreaterThan(1);
    await end();
  });
});

const releaseStates: readonly ReleaseState[] = ['unmade', 'cleared', 'released'];

describe('a server killed after a single step of a release', () => {
  test.each(releaseStates)('%s: after the restart nothing is left, here or elsewhere', async (state) => {
    const name = `gone-${state}`;
    const first = await afterwards();
    await first.caller.ok('POST', '/api/claims', aClaim(name, 'thrice'));
    const { claim } = await first.caller.inState(name, 'bound');
    await first.end();
    const doomed = await startDoomed(state);
    const caller = await new Caller(doomed.url).signIn();
    await caller.call('DELETE', `/api/claims/tide-gauges/${name}`).catch(() => undefined);
    expect(await doomed.exit).toBe('SIGKILL');
    const { end } = await afterwards();
    await eventually(
      'the reservation is gone',
      async () => (await world.rows('SELECT 1 FROM reservations WHERE claim_uid = $1', [claim.uid])).length === 0,
    );
    expect(volumesOf(`pvc-${claim.uid}`)).toEqual([0, 0, 0]);
    expect(await world.rows('SELECT 1 FROM further_copies WHERE claim_uid = $1', [claim.uid])).toEqual([]);
    await eventually(
      'the persistent volume is gone',
      async () => world.platform.store.find('persistentvolumes', undefined, claim.volumeName!) === undefined,
    );
    await end();
  });
});
