import type { PlacementState } from '@moorage/contract/moorings';
import { aClaim, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
beforeAll(async () => {
  world = await makeWorld();
});
afterAll(() => world.end());

test('disks that fail between two looks at their backend: the refusal makes us look again and choose others', async () => {
  // as good as never: only a refusal makes the server look again
  const server = await world.start(undefined, { backendSyncMs: 3_600_000 });
  const maren = await world.operator(server);
  await moorClass(maren, 'tide-fast', ['kelp-nvme'], { copies: 3 });
  const { pools } = await maren.ok<PlacementState>('GET', '/api/placement');
  const disks = pools.find((p) => p.id === 'kelp-nvme')!.facts.disks;
  const roomOf = (node: string) => disks.filter((d) => d.node === node).reduce((sum, d) => sum + d.capacity, 0);
  const nodes = [...new Set(disks.map((d) => d.node))].sort((a, b) => roomOf(b) - roomOf(a));
  // copies go where most room is: there nothing works any more, but for three nodes
  const failed = disks.filter((d) => nodes.slice(0, -3).includes(d.node)).map((d) => d.id);
  for (const disk of failed) world.kelp.backend.setDrive(disk, false);
  await maren.ok('POST', '/api/claims', aClaim('level-log', 'tide-fast', { size: '1Gi' }));
  const { claim, decisions } = await maren.inState('level-log', 'bound');
  const held = await world.rows<{ disk: string }>('SELECT disk FROM reservation_copies WHERE claim_uid = $1', [
    claim.uid,
  ]);
  expect(held.map((c) => c.disk).filter((d) => failed.includes(d))).toEqual([]);
  expect(held).toHaveLength(3);
  expect(decisions).toHaveLength(2);
});
