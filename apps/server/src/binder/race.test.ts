import type { ClaimPage } from '@moorage/contract/claims';
import { Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

const GiB = 2 ** 30;
const each = 8;
let world: World;

beforeAll(async () => {
  // 70 claims fit on one pool of the array and 50 on the other: 120 of 200
  world = await makeWorld({
    basalt: (seed) => ({
      ...seed,
      createMs: 5,
      pools: seed.pools.map((p) => ({ ...p, usable: (p.id === 'basalt-swift' ? 70 : 50) * each * GiB })),
    }),
  });
});
afterAll(() => world.end());

test('two servers, 200 claims at once, room for 120: 120 bound, 80 pending with a reason, no ceiling exceeded at any moment', async () => {
  const steps = { one: 0, two: 0 };
  const one = await world.start({ onStep: () => void (steps.one += 1) });
  const two = await world.start({ onStep: () => void (steps.two += 1) });
  const caller = await world.operator(one);
  await moorClass(caller, 'crowd', ['basalt-swift', 'basalt-broad'], { copies: 1, strategy: 'spread' });

  let watching = true;
  const excesses: object[] = [];
  let looks = 0;
  const watch = (async () => {
    while (watching) {
      const over = await world.rows<{ id: string }>(
        `SELECT id, reserved_raw FROM pools p WHERE reserved_raw > (facts #>> '{redundancy,usable}')::bigint * overcommit`,
      );
      excesses.push(...over);
      for (const pool of world.basalt.backend.seed.pools) {
        const { allocated, provisioned } = world.basalt.backend.figures(pool);
        if (provisioned > allocated) excesses.push({ pool: pool.id, provisioned });
      }
      looks += 1;
      await new Promise((resolve) => setImmediate(resolve));
    }
  })();

  for (let i = 0; i < 200; i++)
    world.platform.store.create('persistentvolumeclaims', {
      metadata: { name: `crowd-${i}`, namespace: 'wave-model', finalizers: ['kubernetes.io/pvc-protection'] },
      spec: {
        accessModes: ['ReadWriteOnce'],
        volumeMode: 'Filesystem',
        storageClassName: 'crowd',
        resources: { requests: { storage: `${each}Gi` } },
      },
      status: { phase: 'Pending' },
    });

  const page = await eventually(
    '120 bound and 80 that fit nowhere',
    async () => {
      const seen = await caller.ok<ClaimPage>('GET', '/api/claims?limit=500&namespace=wave-model');
      const count = (state: string) => seen.claims.filter((c) => c.state === state).length;
      return count('bound') === 120 && count('nothing-fits') === 80
        ? seen
        : Promise.reject(new Error(JSON.stringify(seen.counts)));
    },
    240_000,
  );
  watching = false;
  await watch;
  expect(excesses).toEqual([]);
  expect(looks).toBeGreaterThan(10);
  for (const claim of page.claims.filter((c) => c.state === 'nothing-fits'))
    expect(claim.reason!.failed.map((f) => f.check.rule)).toEqual(['subscription', 'subscription']);
  expect(world.basalt.backend.volumes.size).toBe(120);
  // the platform may tell of the last ones before their own step has
  await eventually('120 bound reservations', async () => {
    const [row] = await world.rows<{ pvs: number }>(
      `SELECT count(*)::int AS pvs FROM reservations WHERE state = 'bound'`,
    );
    return row!.pvs === 120;
  });
  // both servers took part, and both tell the same
  expect(Math.min(steps.one, steps.two)).toBeGreaterThan(20);
  const other = await new Caller(two.url).signIn();
  expect((await other.ok<ClaimPage>('GET', '/api/claims?limit=1')).counts).toEqual({
    bound: 120,
    unbound: 80,
    stuck: 80,
  });
}, 400_000);
