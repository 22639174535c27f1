import type { Line } from '@moorage/contract/claims';
import type { FindingRow } from '@moorage/contract/findings';
import type { OperationPage } from '@moorage/contract/operations';
import { aClaim, eventually, makeWorld, moorClass, type Caller, type World } from '../testing/world';

let world: World;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  maren = await world.operator(await world.start());
  await moorClass(maren, 'swift', ['basalt-swift'], { copies: 1, reclaim: 'Delete' });
});
afterAll(() => world.end());
afterEach(() => {
  world.basalt.faults.heal();
  world.platform.faults.heal();
});

const asked = () => world.basalt.faults.calls.filter((c) => c.method === 'POST' && c.path.endsWith('Volumes')).length;
const refuse = () => world.basalt.faults.add({ kind: 'refuse', method: 'POST', path: 'Volumes$', status: 400 });

test('a volume that its backend refuses for good stops the claim, everywhere it is seen, and is not asked for again', async () => {
  refuse();
  await maren.ok('POST', '/api/claims', aClaim('refused', 'swift', { size: '5Gi' }));
  const { claim } = await maren.inState('refused', 'stopped');
  expect(claim.reason).toMatchObject({ stopped: 'refused', nextAttemptAt: null, attempts: 1 });
  const times = asked();
  const { links } = await maren.ok<Line>('GET', '/api/line?claim=tide-gauges/refused');
  expect(links.find((l) => l.kind === 'claim')!.mark).toBe('person');
  expect(links.find((l) => l.kind === 'volume')!.mark).toBe('waiting');
  await eventually('the finding', async () =>
    (await maren.ok<FindingRow[]>('GET', '/api/findings')).some(
      (f) => f.kind === 'claims-stuck' && f.facts.state === 'stopped',
    ),
  );
  const { rows } = await maren.ok<OperationPage>('GET', '/api/operations?show=stopped');
  expect(rows).toMatchObject([{ id: claim.reason!.operation, about: 'tide-gauges/refused', status: 'refused' }]);
  expect(asked()).toBe(times);
});

test('it is bound once the backend takes it and a person says so', async () => {
  const { claim } = await maren.claim('refused');
  await maren.ok('POST', `/api/operations/${claim.reason!.operation}/retry`);
  const bound = await maren.inState('refused', 'bound');
  expect(bound.claim.pool).toBe('basalt-swift');
  expect((await maren.ok<OperationPage>('GET', '/api/operations?show=stopped')).rows).toEqual([]);
});

test('what the platform refuses stops as well, and one press tries all of it again', async () => {
  world.platform.faults.add({ kind: 'refuse', method: 'POST', path: 'persistentvolumes$', status: 403 });
  for (const name of ['barred-a', 'barred-b'])
    await maren.ok('POST', '/api/claims', aClaim(name, 'swift', { size: '1Gi' }));
  for (const name of ['barred-a', 'barred-b']) await maren.inState(name, 'stopped');
  world.platform.faults.heal();
  expect(await maren.ok('POST', '/api/operations/retry')).toEqual({ tried: 2, more: false });
  for (const name of ['barred-a', 'barred-b']) await maren.inState(name, 'bound');
});

test('a claim that has stopped is deleted as any other, with what was reserved for it', async () => {
  refuse();
  await maren.ok('POST', '/api/claims', aClaim('left', 'swift', { size: '5Gi' }));
  const { claim } = await maren.inState('left', 'stopped');
  world.basalt.faults.heal();
  await maren.ok('DELETE', '/api/claims/tide-gauges/left');
  await eventually(
    'nothing is reserved',
    async () => (await world.rows('SELECT 1 FROM reservations WHERE claim_uid = $1', [claim.uid])).length === 0,
  );
  expect((await maren.ok<OperationPage>('GET', '/api/operations?show=stopped')).rows).toEqual([]);
});
