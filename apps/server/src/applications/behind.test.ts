import { atOnce } from '@moorage/standins/platform/pace';
import type { RunningServer } from '../server';
import { eventually, eventuallyHolds, makeWorld, moorClass, type Caller, type World } from '../testing/world';
import { startStore, storeSeen } from '../testing/store-set';

/** A machine that runs a pod and holds a copy of its data is lost while the pod writes, and comes back. */
const resyncRate = 30 * 1024;
let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld({
    writes: true,
    pace: { ...atOnce, writeMs: 15, evictMs: 50, graceMs: 30, forceMs: 600_000 },
    kelp: (seed) => ({ ...seed, createMs: 5, resyncRate }),
  });
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'kept', ['kelp-nvme'], { copies: 2 });
  await startStore(maren, 1);
});
afterAll(() => world.end());

const seen = () => storeSeen(maren);
const pod = () => world.platform.store.find('pods', 'tide-gauges', 'store-0');
const acknowledged = () => world.platform.processes.acknowledged('tide-gauges', 'data-store-0')!;
const set = (node: string, up: boolean) => {
  world.platform.setNode(node, up);
  world.kelp.backend.setNode(node, up);
};
const writes = (more: number) => {
  const from = acknowledged()?.writes ?? 0;
  return eventually('it writes', () => Promise.resolve(acknowledged() && acknowledged().writes >= from + more));
};

test('no acknowledged write is lost with its node, and the copy that was there is followed until it is in step', async () => {
  // its pod runs beside one of its copies
  const { store } = world.platform;
  const claim = (await seen()).claims[0]!;
  const nodes = claim.parts[0]!.copies.map((c) => c.node);
  const node = nodes[0]!;
  if (pod()!.spec!.nodeName !== node) {
    for (const n of store.list('nodes').filter((n) => n.metadata.name !== node))
      store.amend('nodes', n, (copy) => void (copy.spec!.unschedulable = true));
    await maren.ok('DELETE', '/api/applications/tide-gauges/store/pods/store-0');
    await eventually(
      'it is there',
      async () => pod()?.spec?.nodeName === node && (await seen()).application.ready === 1,
    );
    for (const n of store.list('nodes')) store.amend('nodes', n, (copy) => void delete copy.spec!.unschedulable);
  }
  await writes(20);
  set(node, false);
  const last = acknowledged();
  await eventuallyHolds('the copy is out of reach', async () =>
    expect((await seen()).behind).toMatchObject([
      { claim: 'data-store-0', node, state: 'lost', rate: null, ready: null },
    ]),
  );
  const since = (await seen()).behind[0]!.since;
  await eventually('its pod cannot end', () => Promise.resolve(pod()?.metadata.deletionTimestamp));
  expect(acknowledged()).toEqual(last);
  await maren.ok('PUT', `/api/nodes/${node}/off`, { off: true, confirm: node });
  const back = await eventually('it is back', async () => {
    const [move] = (await seen()).moves;
    return move?.readyAt && move.from === node ? move : undefined;
  });
  // it wrote until its machine went off, and may not have said so any more; all that was acknowledged is there
  expect(back.to).not.toBe(node);
  expect(back.data[0]!.comparison).toMatch(/same|continued/);
  expect(back.data[0]!.after!.writes).toBeGreaterThanOrEqual(last.writes);
  const told = JSON.parse(pod()!.metadata.annotations!['vast-moorage.example/data']!) as Record<string, string>;
  expect(told['data-store-0']).toContain(`${last.writes}:${last.fingerprint}`);
  await writes(20);
  world.kelp.backend.busy.set('kelp-nvme', 0.9);
  set(node, true);
  await maren.ok('PUT', `/api/nodes/${node}/off`, { off: false });
  await eventuallyHolds('it is brought up to date, at a rate', async () => {
    const [behind] = (await seen()).behind;
    expect(behind).toMatchObject({ node, state: 'resyncing', since });
    expect(behind!.rate).toBeGreaterThan(0);
    expect(behind!.ready).toBeGreaterThan(0);
    expect(behind!.left).toBeLessThan(4 * 2 ** 30);
  });
  // applications leave it a tenth of what it can
  expect((await seen()).behind[0]!.rate).toBeLessThan(0.4 * resyncRate);
  world.kelp.backend.busy.set('kelp-nvme', 0);
  await eventuallyHolds('all are in step', async () => expect((await seen()).behind).toEqual([]));
  expect((await seen()).application.worst).toBe('in-sync');
}, 120_000);
