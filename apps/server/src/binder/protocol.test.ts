import { aClaim, makeWorld, moorClass, type Caller, type World } from '../testing/world';

let world: World;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  maren = await world.operator(await world.start());
});
afterAll(() => world.end());

const attributesOf = (volume: string) =>
  (world.platform.store.find('persistentvolumes', undefined, volume)?.spec as { csi?: { volumeAttributes?: object } })
    .csi?.volumeAttributes;

test.each([
  ['any', [], /^(iSCSI|NVMeOverFabrics)$/],
  ['by-iscsi', ['iSCSI'], /^iSCSI$/],
  ['by-nvme', ['NVMe/TCP', 'Fibre Channel'], /^NVMeOverFabrics$/],
])('a class that asks for %s: its volumes are reached so', async (name, protocols, expected) => {
  await moorClass(maren, name, ['kelp-nvme', 'basalt-swift'], { copies: 1, protocols });
  await maren.ok('POST', '/api/claims', aClaim(`claim-${name}`, name));
  const { claim } = await maren.inState(`claim-${name}`, 'bound');
  expect(attributesOf(claim.volumeName!)).toMatchObject({ protocol: expect.stringMatching(expected) as string });
});

test('a protocol that no moored pool has keeps a claim waiting, with the rule and its remedy', async () => {
  await moorClass(maren, 'by-file', ['basalt-swift'], { copies: 1, protocols: ['NFS'] });
  await maren.ok('POST', '/api/claims', aClaim('claim-by-file', 'by-file'));
  const { claim, decisions } = await maren.inState('claim-by-file', 'nothing-fits');
  expect(claim.reason!.failed).toMatchObject([{ pool: 'basalt-swift', check: { rule: 'protocol', need: 'NFS' } }]);
  expect(decisions[0]!.remedies.flatMap((r) => r.changes)).toContainEqual({ kind: 'drop-demand', demand: 'protocol' });
});
