import type { ClaimRow } from '@moorage/contract/claims';
import type { GrowthAnswer } from '@moorage/contract/growth';
import { waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { FakeServer, maren, screen, show } from '../testing/render';
import { aClaimRow } from '../testing/rows';
import { boughtFor, growthSentence, limitsOf, stepsDone } from './growth-words';
import { Grow, GrowthUnderWay } from './Growth';
import { standing } from './words';

const GiB = 2 ** 30;
type Growing = NonNullable<ClaimRow['growth']>;
const check = (rule: string, need: number, have: number) =>
  ({ rule, need, have, unit: 'bytes', passed: need <= have }) as const;
/** An answer for the claim of 80 GiB that asks for more, with what its limits have left. */
function anAnswer(size: number, room: number, part: Partial<GrowthAnswer> = {}): GrowthAnswer {
  const more = size - 80 * GiB;
  const checks = [check('subscription', more, 900 * GiB), check('namespace-quota', more, room)];
  const on = { pool: 'kelp-nvme', from: 80 * GiB, to: size, addedRaw: 3 * more, raw: 3 * size, checks };
  const rates = { backendIops: 0, backendThroughput: 0, iopsFloor: 0, throughputFloor: 0 };
  return {
    ...{
      requested: 80 * GiB,
      provisioned: 80 * GiB,
      wanted: size,
      most: 80 * GiB + room,
      remedies: [],
      elsewhere: null,
    },
    ...{ reaches: 'while-running', growth: { kind: 'reckoned', fits: more <= room, on: [{ ...on, ...rates }] } },
    ...part,
  };
}
const aGrowth = (part: Partial<Growing> = {}): Growing => ({
  ...{
    operation: 'op-1',
    state: 'asking',
    waitingFor: null,
    failed: null,
    error: null,
    stopped: null,
    nextAttemptAt: null,
  },
  ...part,
});
const sizeOf = (text: string) => Number.parseInt(text, 10) * GiB;

function drawn(room: number, part: Partial<GrowthAnswer> = {}) {
  const server = new FakeServer({
    getGrowth: ({ query }) => anAnswer(sizeOf(query.size!), room, part),
    growClaim: () => aClaimRow('level-log'),
    setNamespaceLimit: () => undefined,
    placementState: () => ({ limits: [], pools: [] }),
  });
  const close = jest.fn();
  show(<Grow claim={aClaimRow('level-log')} close={close} />, { person: maren });
  const type = async (size: string) => {
    await userEvent.clear(screen.getByLabelText('New size'));
    await userEvent.type(screen.getByLabelText('New size'), size);
  };
  return { server, close, type };
}

test('a size that fits: what it takes and leaves is seen before it is sent', async () => {
  const { server, close, type } = drawn(125 * GiB);
  expect(screen.getByRole('button', { name: 'Grow' })).toHaveProperty('disabled', true);
  await type('110Gi');
  await screen.findByText(/Fits where it is: 30 GiB more on kelp-nvme \(90 GiB raw, its copies counted\)/);
  const row = screen.getByRole('row', { name: /Namespace quota/ });
  expect(row.textContent).toMatch(/Namespace quota30 GiB125 GiB95 GiB/);
  await userEvent.click(screen.getByRole('button', { name: 'Grow' }));
  await waitFor(() => expect(close).toHaveBeenCalled());
  expect(server.of('growClaim').map((c) => c.body)).toEqual([{ size: '110Gi' }]);
});

test('a size that does not fit: why, the largest that does, and the way to it', async () => {
  const { server, type } = drawn(20 * GiB, {
    remedies: [
      {
        changes: [{ kind: 'raise-quota', scope: 'namespace', limit: 900 * GiB, by: 50 * GiB }],
        pool: 'kelp-nvme',
        cost: 3,
      },
      { changes: [{ kind: 'ask-less', size: 100 * GiB, by: 50 * GiB }], pool: 'kelp-nvme', cost: 5 },
    ],
    elsewhere: 'basalt-swift',
  });
  await type('150Gi');
  await screen.findByText(/150 GiB does not fit where it is; 100 GiB is the most that does/);
  expect(screen.getByText(/Needs 70 GiB; the namespace may take 20 GiB more/)).toBeTruthy();
  expect(screen.getByText(/basalt-swift would take the whole of it/)).toBeTruthy();
  expect(screen.getByRole('button', { name: 'Ask all the same, and let it wait' })).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'Raise the limit' }));
  await waitFor(() => expect(server.of('setNamespaceLimit').map((c) => c.body)).toEqual([{ bytes: 900 * GiB }]));
  await userEvent.click(screen.getByRole('button', { name: 'Take that size' }));
  await screen.findByText(/Fits where it is: 20 GiB more/);
  expect(screen.getByLabelText('New size')).toHaveProperty('value', '100Gi');
});

test('what is no size, and what is smaller, is said at the field and not asked', async () => {
  const { server, type } = drawn(20 * GiB);
  await type('lots');
  await screen.findByText(/Not a size/);
  await type('40Gi');
  await screen.findByText(/volumes never shrink/);
  expect(server.of('getGrowth')).toEqual([]);
});

test('a class that does not allow it is said with the ways that there are', async () => {
  const { type } = drawn(20 * GiB, { growth: { kind: 'fixed' } });
  await type('150Gi');
  await screen.findByText(/Its class does not let its claims grow. Let the class allow it under Classes/);
  expect(screen.getByRole('button', { name: 'Grow' })).toHaveProperty('disabled', true);
});

test('one that was refused is tried again or called off by hand, and says that its room stays reserved', async () => {
  const steered: string[] = [];
  new FakeServer({ steerOperation: ({ params }) => void steered.push(`${params.id} ${params.act}`) });
  const growth = aGrowth({ stopped: 'refused', error: { code: 'backend-refused', detail: 'not today' } });
  show(<GrowthUnderWay claim={aClaimRow('level-log', { requested: 110 * GiB })} growth={growth} />, { person: maren });
  expect(screen.getByText(/Growing to 110 GiB was refused: not today. Its room stays reserved/)).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'Try now' }));
  await waitFor(() => expect(steered).toEqual(['op-1 retry']));
  await userEvent.click(screen.getByRole('button', { name: 'Call off' }));
  const asked = await screen.findByRole('dialog');
  expect(asked.textContent).toContain('goes on asking for the larger size');
  await userEvent.click([...asked.querySelectorAll('button')].find((b) => b.textContent === 'Call off')!);
  await waitFor(() => expect(steered).toEqual(['op-1 retry', 'op-1 cancel']));
});

test('one that waits for room shows what would help, and no smaller size: the platform takes none', async () => {
  const less = { changes: [{ kind: 'ask-less', size: 90 * GiB, by: GiB }], pool: 'kelp-nvme', cost: 5 };
  const more = {
    changes: [{ kind: 'raise-quota', scope: 'namespace', limit: GiB, by: GiB }],
    pool: 'kelp-nvme',
    cost: 3,
  };
  new FakeServer({ getGrowth: () => anAnswer(110 * GiB, 10 * GiB, { remedies: [more, less] }) });
  const failed = { pool: 'kelp-nvme', check: check('namespace-quota', 30 * GiB, 10 * GiB) };
  const growth = aGrowth({ state: 'waiting', waitingFor: 'capacity', failed });
  show(<GrowthUnderWay claim={aClaimRow('level-log', { requested: 110 * GiB })} growth={growth} />, { person: maren });
  expect(screen.getByText(/Cannot grow to 110 GiB yet. kelp-nvme: Needs 30 GiB/)).toBeTruthy();
  await screen.findByRole('button', { name: 'Raise the limit' });
  expect(screen.queryByText(/Ask for 90 GiB/)).toBeNull();
});

test.each<[string, Partial<Growing>, RegExp, string]>([
  ['decided', { state: 'deciding' }, /^Grows to 110 GiB\.$/, 'progress'],
  ['waiting for its node', { state: 'seeing', waitingFor: 'node' }, /file system grows on the node/, 'progress'],
  ['held by its class', { state: 'waiting', waitingFor: 'class' }, /class does not let/, 'person'],
  ['without its pool', { state: 'waiting', waitingFor: 'pool' }, /not known any more/, 'person'],
  ['failing', { error: { code: 'x', detail: 'no answer' } }, /failed: no answer. It is tried again/, 'degraded'],
  ['paused', { stopped: 'paused' }, /is paused/, 'person'],
])('a growth that is %s is told in words, and marked', (_what, part, words, kind) => {
  const claim = aClaimRow('level-log', { requested: 110 * GiB, growth: aGrowth(part) });
  expect(growthSentence(claim, claim.growth!)).toMatch(words);
  expect(standing(claim).kind).toBe(kind);
});

test('limits without a figure are left out while they let it pass, and the steps go in their order', () => {
  const open = { rule: 'allotment', need: GiB, have: 'no cap', unit: 'bytes', passed: true } as const;
  expect(limitsOf([open, { ...open, passed: false }, check('subscription', GiB, 3 * GiB)])).toEqual([
    { check: { ...open, passed: false } },
    { check: check('subscription', GiB, 3 * GiB), left: 2 * GiB },
  ]);
  expect(['deciding', 'asking', 'writing', 'seeing'].map(stepsDone)).toEqual([0, 1, 2, 3]);
});

test.each([
  [undefined, ''],
  [{ id: 'i0', added: 0 }, ''],
  [{ id: 'i0', added: 2 ** 38 }, '; 256 GiB more of its instance i0 are bought for that'],
])('what growing buys of an instance, %j: %s', (instance, said) => expect(boughtFor(instance)).toBe(said));
