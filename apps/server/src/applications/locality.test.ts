import { eventually, eventuallyHolds, makeWorld, moorClass, type Caller, type World } from '../testing/world';
import { startStore, storeSeen } from '../testing/store-set';

let world: World;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  maren = await world.operator(await world.start());
  await moorClass(maren, 'kept', ['kelp-nvme'], { copies: 2, locality: true, binding: 'WaitForFirstConsumer' });
  await startStore(maren, 1);
});
afterAll(() => world.end());
const seen = () => storeSeen(maren);

test('a pod that has left the node of its copy is told what would bring them together again', async () => {
  const { store } = world.platform;
  const copies = (await seen()).claims[0]!.parts[0]!.copies.map((c) => c.node);
  const without = store
    .list('nodes')
    .map((n) => n.metadata.name)
    .find((n) => world.kelp.backend.seed.nodes.includes(n) && !copies.includes(n))!;
  const cordon = (but?: string) => {
    for (const { metadata } of store.list('nodes'))
      store.amend('nodes', store.get('nodes', undefined, metadata.name), (copy) => {
        copy.spec!.unschedulable = but !== undefined && metadata.name !== but;
      });
  };
  cordon(without);
  await maren.ok('DELETE', '/api/applications/tide-gauges/store/pods/store-0');
  await eventually('it runs elsewhere', async () => {
    const [replica] = (await seen()).replicas;
    return replica?.node === without && replica.ready;
  });
  cordon();
  await eventuallyHolds('what would help is told', async () => {
    const [replica] = (await seen()).locality;
    expect(replica).toMatchObject({ pod: 'store-0', node: without, podTo: { local: 1 } });
    expect(copies).toContain(replica!.podTo!.node);
    expect(replica!.claims).toMatchObject([{ claim: 'data-store-0', isLocal: false, copyTo: { bytes: 0 } }]);
    expect(copies).toContain(replica!.claims[0]!.copyTo!.fromNode);
  });
  // and back beside a copy
  cordon(copies[0]);
  await maren.ok('DELETE', '/api/applications/tide-gauges/store/pods/store-0');
  await eventuallyHolds('it reads from its own node', async () =>
    expect((await seen()).locality).toMatchObject([{ node: copies[0], podTo: null, claims: [{ isLocal: true }] }]),
  );
});
