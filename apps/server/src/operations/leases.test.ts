import type { RunningServer } from '../server';
import { aClaim, eventually, eventuallyHolds, makeWorld, moorClass, type Caller, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;

beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'swift', ['basalt-swift'], { copies: 1, reclaim: 'Delete' });
});
afterAll(() => world.end());

/** As when PostgreSQL is killed and starts again: every connection of the server ends in the middle of what it did. */
const dropConnections = () =>
  world.rows(
    `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()`,
  );
const leases = async () =>
  (
    await world.rows<{ lease: number }>(
      `SELECT DISTINCT objid::int AS lease FROM pg_locks WHERE locktype = 'advisory' AND classid = 4411
         AND database = (SELECT oid FROM pg_database WHERE datname = current_database())`,
    )
  ).map((l) => l.lease);

test('what a burst had under way when PostgreSQL dropped all connections is carried to its end, under a new lease', async () => {
  const [before] = await leases();
  const names = Array.from({ length: 40 }, (_, i) => `burst-${i}`);
  const made = names.map((name) =>
    eventually(`${name} is made`, async () => {
      const { status, data } = await maren.call<{ code?: string }>(
        'POST',
        '/api/claims',
        aClaim(name, 'swift', { size: '1Gi' }),
      );
      // the answer may be lost with the connection: the same claim once more is refused as being there
      return status < 300 || data.code === 'platform-exists';
    }),
  );
  for (let i = 0; i < 4; i++) {
    await eventuallyHolds('something is under way', async () =>
      expect((await world.rows(`SELECT 1 FROM operations WHERE state <> 'deciding'`)).length).toBeGreaterThan(i),
    );
    await dropConnections();
  }
  await Promise.all(made);
  await eventuallyHolds('every claim is bound and nothing is under way', async () => {
    const states = await world.rows(`SELECT state, count(*)::int FROM operations WHERE kind = 'bind' GROUP BY 1`);
    expect(states).toEqual([{ state: 'bound', count: names.length }]);
  });
  const after = await leases();
  expect(after).toHaveLength(1);
  expect(after[0]).not.toBe(before);
  expect([...world.basalt.backend.volumes.values()].map((v) => v.name).sort()).toEqual(
    (await world.rows<{ volume_name: string }>('SELECT volume_name FROM reservations'))
      .map((r) => r.volume_name)
      .sort(),
  );
}, 120_000);
