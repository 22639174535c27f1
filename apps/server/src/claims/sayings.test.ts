import type { ClaimSayings } from '@moorage/contract/claims';
import { aClaim, Caller, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let maren: Caller;
let url: string;
beforeAll(async () => {
  world = await makeWorld();
  const server = await world.start();
  ({ url } = server);
  maren = await world.operator(server);
  await moorClass(maren, 'with-pod', ['basalt-broad'], { copies: 1, binding: 'WaitForFirstConsumer' });
});
afterAll(() => world.end());
afterEach(() => world.platform.faults.heal());

const sayings = (name: string, caller = maren) =>
  caller.ok<ClaimSayings>('GET', `/api/claims/tide-gauges/${name}/sayings`);
const foreignClass = (name: string, provisioner: string) =>
  world.platform.store.create('storageclasses', {
    metadata: { name },
    ...{ provisioner, reclaimPolicy: 'Delete', volumeBindingMode: 'Immediate' },
  });

test('what the platform says of a claim and of its pod is told in the order in which it happened', async () => {
  await maren.ok('POST', '/api/claims', aClaim('level-log', 'with-pod'));
  await eventuallyHolds('it waits for a pod', async () => {
    const { sayings: said } = await sayings('level-log');
    expect(said).toMatchObject([{ of: 'claim', reason: 'WaitForFirstConsumer', isWarning: false, count: 1 }]);
  });
  world.platform.store.create('pods', {
    metadata: { name: 'log-0', namespace: 'tide-gauges' },
    spec: {
      volumes: ['level-log', 'not-there'].map((claimName) => ({
        name: claimName,
        persistentVolumeClaim: { claimName },
      })),
    },
    status: { phase: 'Pending' },
  });
  await eventuallyHolds('the scheduler says why not', async () => {
    const { sayings: said, problem, driver } = await sayings('level-log');
    expect(said.map((s) => [s.of, s.name, s.reason, s.by, s.isWarning])).toEqual([
      ['claim', 'level-log', 'WaitForFirstConsumer', 'persistentvolume-controller', false],
      ['pod', 'log-0', 'FailedScheduling', 'default-scheduler', true],
    ]);
    expect(said[1]!.message).toBe('persistentvolumeclaim "not-there" not found');
    expect([problem, driver]).toEqual([null, null]);
  });
});

test('a platform that does not give its events is told, and the rest is there', async () => {
  world.platform.faults.add({ kind: 'refuse', path: '/events', status: 500 });
  const { sayings: said, problem } = await sayings('level-log');
  expect([said, typeof problem]).toEqual([[], 'string']);
});

test('a class of others tells on how many nodes its driver is', async () => {
  foreignClass('theirs', 'tide.example');
  foreignClass('ours-by-name', 'vast-moorage.example');
  await maren.ok('POST', '/api/claims', aClaim('strange', undefined, { className: 'theirs' }));
  await eventuallyHolds('no node has it', async () =>
    expect((await sayings('strange')).driver).toEqual({ name: 'tide.example', nodes: 0 }),
  );
  const [node] = world.platform.store.list('csinodes');
  world.platform.store.amend('csinodes', node!, (copy) => {
    (copy.spec!.drivers as object[]).push({ name: 'tide.example', nodeID: 'x', topologyKeys: [] });
  });
  await eventuallyHolds('one has', async () => expect((await sayings('strange')).driver?.nodes).toBe(1));
});

test('what somebody does not see is not there', async () => {
  const ivo = await new Caller(url).signIn('ivo');
  expect((await ivo.call('GET', '/api/claims/tide-gauges/level-log/sayings')).status).toBe(404);
  expect((await maren.call('GET', '/api/claims/tide-gauges/nothing/sayings')).status).toBe(404);
});
