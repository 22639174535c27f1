import type { Line } from '@moorage/contract/claims';
import type { FindingRow } from '@moorage/contract/findings';
import type { RunningServer } from '../server';
import { aClaim, type Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'general', ['basalt-broad'], { copies: 1 });
  await moorClass(maren, 'copied', ['kelp-nvme'], { copies: 2 });
});
afterAll(() => world.end());

const findingOf = (kind: string) =>
  eventually(kind, async () => (await maren.ok<FindingRow[]>('GET', '/api/findings')).find((f) => f.kind === kind));
const lineOf = (name: string) => maren.ok<Line>('GET', `/api/line?claim=tide-gauges/${name}`);

test('a volume deleted on its backend is shown lost on claim, Line and Watch, first of all findings', async () => {
  for (const name of ['gone', 'stays']) await maren.ok('POST', '/api/claims', aClaim(name, 'general'));
  const { claim } = await maren.inState('gone', 'bound');
  await maren.inState('stays', 'bound');
  world.basalt.backend.remove(claim.volumeId!);
  const lost = await maren.inState('gone', 'lost');
  expect(lost.claim.reason!.missingSince).not.toBeNull();
  expect((await maren.claim('stays')).claim.state).toBe('bound');
  const volume = (await lineOf('gone')).links.find((l) => l.kind === 'volume')!;
  expect([volume.mark, volume.note]).toEqual(['lost', 'its backend does not list it any more']);
  const finding = await findingOf('volumes-lost');
  expect(finding.facts.some).toEqual(['tide-gauges/gone']);
  expect((await maren.ok<FindingRow[]>('GET', '/api/findings'))[0]!.kind).toBe('volumes-lost');
});

test('a volume made a moment ago is not taken for lost before the backend was asked again', async () => {
  for (let i = 0; i < 10; i++) {
    await maren.ok('POST', '/api/claims', aClaim(`fresh-${i}`, 'general'));
    await maren.inState(`fresh-${i}`, 'bound');
  }
  expect(await world.rows(`SELECT claim_name FROM reservations WHERE missing_since IS NOT NULL`)).toEqual([
    { claim_name: 'gone' },
  ]);
});

test('a volume none of whose copies answers is out of reach on its claim, and no longer among those that miss copies', async () => {
  await maren.ok('POST', '/api/claims', aClaim('dark', 'copied'));
  const { claim } = await maren.inState('dark', 'bound');
  const { volumes } = await eventually('its copies', async () => {
    const page = await maren.ok<{ volumes: { id: string; copies: { disk: string; node: string }[] }[] }>(
      'GET',
      '/api/backends/kelp/volumes',
    );
    return page.volumes.length === 1 && page.volumes[0]!.copies.length === 2 && page;
  });
  expect(volumes[0]!.id).toBe(claim.volumeId);
  for (const { node } of volumes[0]!.copies) world.kelp.backend.setNode(node, false);
  await maren.inState('dark', 'unreachable');
  const volume = (await lineOf('dark')).links.find((l) => l.kind === 'volume')!;
  expect(volume.note).toBe('no copy answers');
  expect((await findingOf('volumes-unreachable')).facts.some).toEqual(['tide-gauges/dark']);
  await eventually(
    'nothing else is told of its copies',
    async () => !(await maren.ok<FindingRow[]>('GET', '/api/findings')).some((f) => f.kind === 'copies-missing'),
  );
  for (const { node } of volumes[0]!.copies) world.kelp.backend.setNode(node, true);
  await maren.inState('dark', 'bound');
});
