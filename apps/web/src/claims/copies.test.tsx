import type { CopiesAnswer } from '@moorage/contract/copies';
import userEvent from '@testing-library/user-event';
import { waitFor } from '@testing-library/react';
import { FakeServer, Refused, screen, show } from '../testing/render';
import { aClaimRow } from '../testing/rows';
import { Copies } from './Copies';
import { copiesSentence, copyWord, planSentence, refusedWords } from './copies-words';

const GiB = 2 ** 30;
type Plan = CopiesAnswer['plan'];
type Reckoned = Extract<Plan, { kind: 'reckoned' }>;
const choice = (n: number) => ({ disk: `eui.${n}`, node: `quay-0${n}`, domain: `quay-0${n}`, left: n * 100 * GiB });
const reckoned = (part: Partial<Reckoned> = {}): Reckoned => ({
  ...{ kind: 'reckoned', fits: true, checks: [], copy: choice(6), choices: [choice(6), choice(7)], copies: 4 },
  ...{ before: { withoutLoss: 2, withoutInterruption: 1 }, after: { withoutLoss: 3, withoutInterruption: 2 } },
  ...{ raw: 320 * GiB, addedRaw: 80 * GiB, backendIops: 0, backendThroughput: 0 },
  ...part,
});
const now = [3, 4, 5].map((n) => ({ disk: `eui.${n}`, node: `quay-0${n}`, state: 'Synchronized', percent: 100 }));
const drawn = (planOf: (body: unknown) => Plan, changed: () => unknown = () => aClaimRow('a')) => {
  const closed = jest.fn();
  const server = new FakeServer({
    planCopies: ({ body }) => ({ now, plan: planOf(body) }),
    changeCopies: changed,
  });
  show(<Copies claim={aClaimRow('a')} close={closed} />);
  return { server, closed };
};

test('one more goes where it is best, or to the node that is chosen', async () => {
  const { server, closed } = drawn((body) =>
    (body as { node?: string }).node === 'quay-07' ? reckoned({ copy: choice(7) }) : reckoned(),
  );
  await screen.findByText(/A copy is made on eui.6 in quay-06, and takes 80 GiB of raw space/);
  await userEvent.click(screen.getByRole('combobox', { name: 'Where' }));
  await userEvent.click(await screen.findByRole('option', { name: 'quay-07, eui.7, 700 GiB left then' }));
  await screen.findByText(/A copy is made on eui.7 in quay-07/);
  await userEvent.click(screen.getByRole('button', { name: 'Make one more copy' }));
  await waitFor(() => expect(closed).toHaveBeenCalled());
  expect(server.of('changeCopies').map((c) => c.body)).toEqual([{ kind: 'raise', node: 'quay-07' }]);
});

test('one fewer names the disk that goes', async () => {
  const fewer = reckoned({ copy: choice(4), choices: [choice(4), choice(5)], copies: 2, addedRaw: -80 * GiB });
  const { server } = drawn((body) => ((body as { kind: string }).kind === 'lower' ? fewer : reckoned()));
  await userEvent.click(await screen.findByRole('combobox', { name: 'Keep' }));
  await userEvent.click(await screen.findByRole('option', { name: 'one fewer' }));
  await screen.findByText(/The copy on eui.4 in quay-04 goes, and gives 80 GiB of raw space back/);
  await userEvent.click(screen.getByRole('combobox', { name: 'Which' }));
  await userEvent.click(await screen.findByRole('option', { name: 'quay-05, eui.5' }));
  await waitFor(() => expect(server.of('planCopies').at(-1)!.body).toEqual({ kind: 'lower', disk: 'eui.5' }));
  await userEvent.click(screen.getByRole('button', { name: 'Take the copy away' }));
  await waitFor(() => expect(server.of('changeCopies').map((c) => c.body)).toEqual([{ kind: 'lower', disk: 'eui.5' }]));
});

test('what does not fit is told with its figures and cannot be asked for', async () => {
  const checks = [
    { rule: 'subscription' as const, passed: false, need: 80 * GiB, have: 20 * GiB, unit: 'bytes' as const },
  ];
  drawn(() => reckoned({ fits: false, checks }));
  await screen.findByText(/80 GiB.*20 GiB/);
  expect(screen.getByRole('button', { name: 'Make one more copy' })).toHaveProperty('disabled', true);
});

test('a refusal is told, and the panel stays', async () => {
  const { closed } = drawn(
    () => reckoned(),
    () => new Refused(409, 'It is being tuned.'),
  );
  const send = await screen.findByRole('button', { name: 'Make one more copy' });
  await waitFor(() => expect(send).toHaveProperty('disabled', false));
  await userEvent.click(send);
  await screen.findByText(/It is being tuned/);
  expect(closed).not.toHaveBeenCalled();
});

test.each<[Plan, RegExp]>([
  [{ kind: 'not-ours' }, /backend.s own affair/],
  [{ kind: 'pool-gone', pool: 'k' }, /pool k is not known/],
  [{ kind: 'no-place', need: GiB }, /No disk in another failure domain has room for 1 GiB more/],
  [{ kind: 'no-place', need: GiB, node: 'quay-01' }, /No disk in quay-01 has room/],
  [{ kind: 'last-whole' }, /No other copy is whole/],
  [
    reckoned(),
    /With 4 copies it survives 3 failures of a node without loss, 2 without interruption \(now: 2 failures of a node without loss, 1 without interruption\)/,
  ],
  [
    reckoned({ copies: 1, after: { withoutLoss: 0, withoutInterruption: 0 } }),
    /With 1 copy it survives no failure: its node or disk lost is its data lost/,
  ],
])('what it comes to is said: %j', (plan, words) => {
  expect(planSentence(plan, 'raise')).toMatch(words);
  expect(refusedWords(plan)).toEqual([]);
});

test('copies as they are', () => {
  expect(copiesSentence(now)).toBe('3 copies, all in step.');
  expect(copiesSentence([...now, { disk: 'x', node: 'y', state: 'Synchronizing', percent: 41.7 }])).toBe(
    '4 copies, 3 in step.',
  );
  expect(
    ['Synchronized', 'Synchronizing', 'Failed', 'unknown'].map((state) =>
      copyWord({ disk: 'x', node: 'y', state, percent: 41.7 }),
    ),
  ).toEqual(['in step', 'brought up to date: 41 %', 'failed', 'not told of yet']);
});
