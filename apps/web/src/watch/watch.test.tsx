import type { FindingRow } from '@moorage/contract/findings';
import { fireEvent, waitFor, within } from '@testing-library/react';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import Watch from './Watch';
import { findingWords } from './words';

const finding = (part: Partial<FindingRow> = {}): FindingRow => ({
  ...{ id: 'f-1', kind: 'no-default-class', subject: 'classes', weight: 1, facts: {} },
  ...{ since: '2026-11-26T09:00:00Z', aside: null },
  ...part,
});
const filling = finding({
  ...{ id: 'f-2', kind: 'pool-filling', subject: 'kelp-nvme' },
  facts: { pool: 'kelp-nvme', share: 0.83, softMark: 0.8 },
});
const aside = { reason: 'a disk is ordered', until: '2026-12-24', person: 'tom' };

const drawn = async (
  findings: FindingRow[],
  more: ConstructorParameters<typeof FakeServer>[0] = {},
  person = maren,
) => {
  const server = new FakeServer({ listFindings: () => findings, ...more });
  const shown = show(<Watch />, { at: '/watch', person });
  await waitFor(() => expect(server.of('listFindings').length).toBeGreaterThan(0));
  return { server, ...shown };
};
const shownKinds = () => [...document.querySelectorAll('[data-finding]')].map((f) => f.getAttribute('data-finding'));

test('what blocks claims comes before what fills up, each with its number', async () => {
  await drawn([filling, finding()]);
  await screen.findAllByRole('region');
  expect(shownKinds()).toEqual(['no-default-class', 'pool-filling']);
  expect(screen.getAllByRole('region').map((r) => within(r).getByRole('heading').textContent)).toEqual([
    expect.stringMatching(/ 1$/),
    expect.stringMatching(/ 1$/),
  ]);
});

test('nothing to do is said in words', async () => {
  await drawn([]);
  expect(await screen.findByText('Nothing needs you')).toBeTruthy();
});

test('setting aside asks for a reason and a date; neither is sent without the other', async () => {
  const { user, server } = await drawn([finding()], { setAside: () => undefined, takeUp: () => undefined });
  await user.click(await screen.findByRole('button', { name: 'Set aside' }));
  const form = within(screen.getByRole('presentation'));
  await user.click(form.getByRole('button', { name: 'Set aside' }));
  expect(await screen.findByText('Say why, in a few words.')).toBeTruthy();
  expect(server.of('setAside')).toEqual([]);
  await user.type(screen.getByLabelText('Why'), 'a disk is ordered');
  fireEvent.change(screen.getByLabelText('Until'), { target: { value: '2026-12-24' } });
  await user.click(form.getByRole('button', { name: 'Set aside' }));
  expect(await screen.findByText('Set aside until 24 Dec 2026.')).toBeTruthy();
  expect(server.of('setAside')[0]).toMatchObject({
    params: { id: 'f-1' },
    body: { reason: 'a disk is ordered', until: '2026-12-24' },
  });
  await user.click(screen.getByRole('button', { name: 'Undo' }));
  await waitFor(() => expect(server.of('takeUp')[0]?.params).toEqual({ id: 'f-1' }));
});

test('what was set aside is out of the list, counted, found with its reason, and taken up again', async () => {
  const { user, server } = await drawn([finding({ aside }), filling], {
    takeUp: () => undefined,
    setAside: () => undefined,
  });
  await screen.findAllByRole('region');
  expect(shownKinds()).toEqual(['pool-filling']);
  await user.click(screen.getByRole('button', { name: '1 set aside' }));
  expect(shownKinds()).toEqual(['no-default-class']);
  expect(screen.getByText('Set aside by tom until 24 Dec 2026: a disk is ordered')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Take up again' }));
  expect(await screen.findByText('It is on the list again.')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Undo' }));
  await waitFor(() =>
    expect(server.of('setAside')[0]).toMatchObject({
      params: { id: 'f-1' },
      body: { reason: aside.reason, until: aside.until },
    }),
  );
});

test('what the server refuses is told, and the form keeps what was typed', async () => {
  const { user } = await drawn([finding()], { setAside: () => new Refused(422, 'That day is past.') });
  await user.click(await screen.findByRole('button', { name: 'Set aside' }));
  await user.type(screen.getByLabelText('Why'), 'later');
  await user.click(within(screen.getByRole('presentation')).getByRole('button', { name: 'Set aside' }));
  expect(await screen.findByText(/That day is past\./)).toBeTruthy();
  expect(screen.getByLabelText<HTMLInputElement>('Why').value).toBe('later');
});

test('a viewer finds the remedy and no buttons', async () => {
  await drawn([finding()], {}, { ...maren, role: 'viewer' });
  await screen.findAllByRole('region');
  expect(screen.queryByRole('button', { name: 'Set aside' })).toBeNull();
  expect(screen.getAllByRole('link').length).toBeGreaterThan(0);
});

test('claims that cannot grow are told as such, and lead to those that have a volume', () => {
  const facts = { state: 'cannot-grow', claims: 2, bytes: 50 * 2 ** 30, some: ['a/b', 'a/c'] };
  const words = findingWords({ kind: 'claims-stuck', subject: 'ledger', facts });
  expect(words).toMatchObject({ title: '2 claims of ledger cannot grow', path: '/claims?state=bound&class=ledger' });
  expect(words.detail).toMatch(/^50 GiB more asked for/);
});
