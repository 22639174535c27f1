import type { DeletionPlan } from '@moorage/contract/deletion';
import type { SalvagePage } from '@moorage/contract/salvage';
import type { RoundPlan } from '@moorage/contract/rounds';
import type { RunningServer } from '../server';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'gone', ['basalt-broad'], { copies: 1, reclaim: 'Delete', graceDays: 0 });
  await moorClass(maren, 'graced', ['basalt-broad'], { copies: 1, reclaim: 'Delete', graceDays: 7 });
});
afterAll(() => world.end());

const planOf = (name: string, caller = maren) =>
  caller.ok<DeletionPlan>('GET', `/api/claims/tide-gauges/${name}/deletion`);
async function bound(name: string, className: string, used = 0) {
  await maren.ok('POST', '/api/claims', aClaim(name, className, { size: '4Gi' }));
  const { claim } = await maren.inState(name, 'bound');
  if (used > 0) {
    world.basalt.backend.write(claim.volumeId!, used);
    await eventually('what is written is known', async () => (await maren.claim(name)).claim.consumed === used);
  }
  return claim;
}
/** Pods of one set, each with its claim. */
function podsOf(set: string, names: readonly string[]) {
  const { uid } = world.platform.store.create('statefulsets', {
    metadata: { name: set, namespace: 'tide-gauges' },
    spec: {
      ...{ replicas: names.length, updateStrategy: { type: 'OnDelete' } },
      ...{ selector: { matchLabels: { app: set } }, template: { metadata: {}, spec: {} } },
    },
  }).metadata;
  for (const [i, claim] of names.entries())
    world.platform.store.create('pods', {
      metadata: {
        name: `${set}-${i}`,
        namespace: 'tide-gauges',
        ownerReferences: [{ apiVersion: 'apps/v1', kind: 'StatefulSet', name: set, uid: uid!, controller: true }],
      },
      spec: { volumes: [{ name: 'data', persistentVolumeClaim: { claimName: claim } }] },
      status: { phase: 'Running' },
    });
}

test('what is destroyed, what is kept for a grace, and when a name has to be typed', async () => {
  await bound('empty', 'gone');
  await bound('full', 'gone', 2 * GiB);
  await bound('later', 'graced', GiB);
  expect(await planOf('empty')).toMatchObject({ claims: [{ fate: 'destroyed', used: 0 }], confirm: false });
  expect(await planOf('full')).toMatchObject({ destroyed: 2 * GiB, confirm: true });
  expect(await planOf('later')).toMatchObject({
    claims: [{ fate: 'grace', graceDays: 7 }],
    ...{ destroyed: 0, inGrace: GiB, confirm: false },
  });
  expect((await maren.call('DELETE', '/api/claims/tide-gauges/full')).status).toBe(409);
  const ivo = await new Caller(server.url).signIn('ivo');
  expect((await ivo.call('GET', '/api/claims/tide-gauges/full/deletion')).status).toBe(404);
});

test('an application is told with its majority, for one claim and for many', async () => {
  const names = [0, 1, 2].map((i) => `data-votes-${i}`);
  for (const name of names) await bound(name, 'gone');
  podsOf('votes', names);
  const application = { application: 'votes', replicas: 3, before: 3 };
  await eventually(
    'the pods are mirrored',
    async () => (await planOf(names[0]!)).applications[0]?.application === 'votes',
  );
  const one = await planOf(names[0]!);
  expect(one.applications).toMatchObject([{ ...application, after: 2, keepsMajority: true, losesAll: false }]);
  expect(one.claims[0]!.pods).toEqual(['votes-0']);
  const claims = names.map((name) => ({ namespace: 'tide-gauges', name }));
  const planRound = (some: typeof claims) =>
    maren.ok<RoundPlan>('POST', '/api/rounds/plan', { claims: some, change: { kind: 'delete' } });
  expect((await planRound(claims.slice(1))).applications).toMatchObject([{ after: 1, keepsMajority: false }]);
  expect((await planRound(claims)).applications).toMatchObject([{ after: 0, losesAll: true }]);
});

test('one that was deleted and waits for its pod keeps its volume when somebody says so in time', async () => {
  const claim = await bound('data-regret-0', 'gone', 3 * GiB);
  podsOf('regret', ['data-regret-0']);
  await eventually('its pod is known', async () => (await planOf('data-regret-0')).claims[0]!.pods.length === 1);
  await maren.ok('DELETE', '/api/claims/tide-gauges/data-regret-0?confirm=data-regret-0');
  await maren.inState('data-regret-0', 'deleting');
  await maren.ok('POST', '/api/claims/tide-gauges/data-regret-0/keep');
  expect((await planOf('data-regret-0')).claims[0]).toMatchObject({ fate: 'kept' });
  world.platform.store.delete('pods', 'tide-gauges', 'regret-0');
  await eventually('it is adrift', async () =>
    (await maren.ok<SalvagePage>('GET', '/api/salvage?q=data-regret')).rows.some((r) => r.origin === 'kept'),
  );
  expect(world.basalt.backend.volumes.get(claim.volumeId!)!.consumed).toBe(3 * GiB);
});
