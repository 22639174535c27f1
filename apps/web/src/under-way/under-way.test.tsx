import type { OperationPage, OperationRow } from '@moorage/contract/operations';
import { waitFor, within } from '@testing-library/react';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import UnderWay from './UnderWay';
import { pathOf } from './words';

const row = (part: Partial<OperationRow> = {}): OperationRow => ({
  ...{ id: 'a', kind: 'bind', title: 'Binding a claim', about: 'ferry-desk/log', person: null },
  ...{ state: 'making', words: 'volume is being made', status: 'running', isUndone: false, cause: null },
  ...{ progress: null, attempts: 0, error: null, nextAttemptAt: null, stoppedBy: null },
  ...{ createdAt: '2026-11-26T10:00:00Z', updatedAt: '2026-11-26T10:00:00Z', endedAt: null, can: [] },
  callsOff: null,
  ...part,
});
const page = (rows: OperationRow[], part: Partial<OperationPage> = {}): OperationPage => ({
  ...{ rows, next: null, underWay: rows.length, stopped: 0 },
  kinds: [
    { kind: 'bind', title: 'Binding a claim' },
    { kind: 'draft', title: 'Applying a draft' },
  ],
  ...part,
});

test('nothing under way is said in words, with where waiting claims are', async () => {
  new FakeServer({ listOperations: () => page([]) });
  show(<UnderWay />);
  expect(await screen.findByText('Nothing is under way')).toBeTruthy();
  expect(screen.getByText(/wait for a pod, or for room, are under Claims/)).toBeTruthy();
});

test('an operation says what it is, how far, and leads to its subject', async () => {
  new FakeServer({
    listOperations: () =>
      page([row({ progress: { total: 2 ** 40, remaining: 2 ** 38, unit: 'bytes', etaSeconds: 240 } })]),
  });
  show(<UnderWay />);
  expect(await screen.findByText('256 GiB of 1 TiB to move, about 4 min left')).toBeTruthy();
  expect(screen.getByText('volume is being made')).toBeTruthy();
  const link = screen.getByRole('link', { name: 'ferry-desk/log' });
  expect(link.getAttribute('href')).toBe('/claims/ferry-desk/log');
  expect(screen.getByRole('progressbar').getAttribute('aria-valuenow')).toBe('75');
});

test('one that failed says why, how often, and is tried at once when asked', async () => {
  const server = new FakeServer({
    listOperations: () =>
      page([
        row({
          ...{ status: 'retrying', attempts: 3, can: ['pause', 'retry'] },
          error: { code: 'backend-timed-out', detail: 'basalt did not answer.' },
          nextAttemptAt: '2026-11-26T10:00:09Z',
        }),
      ]),
    steerOperation: () => row(),
  });
  const { user } = show(<UnderWay />);
  expect(await screen.findByText(/Basalt did not answer\. Tried 3 times; again at/)).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Try now' }));
  await screen.findByText('Binding a claim · ferry-desk/log is tried again now.');
  expect(server.of('steerOperation').map((c) => c.params)).toEqual([{ id: 'a', act: 'retry' }]);
  // the list is asked for again
  await waitFor(() => expect(server.of('listOperations').length).toBeGreaterThan(1));
});

test('it is taken back only after a second look, which can be left', async () => {
  const server = new FakeServer({
    listOperations: () => page([row({ kind: 'draft', title: 'Applying a draft', about: 'ledger', can: ['cancel'] })]),
    steerOperation: () => row(),
  });
  const { user } = show(<UnderWay />);
  await user.click(await screen.findByRole('button', { name: 'Take back' }));
  const dialog = within(screen.getByRole('dialog'));
  expect(dialog.getByText('Take back: applying a draft · ledger?')).toBeTruthy();
  await user.click(dialog.getByRole('button', { name: 'Leave it' }));
  await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  expect(server.of('steerOperation')).toEqual([]);
  await user.click(screen.getByRole('button', { name: 'Take back' }));
  await user.click(within(screen.getByRole('dialog')).getByRole('button', { name: 'Take back' }));
  await waitFor(() => expect(server.of('steerOperation').map((c) => c.params.act)).toEqual(['cancel']));
});

test('what the server refuses is told with its reason', async () => {
  new FakeServer({
    listOperations: () => page([row({ status: 'paused', stoppedBy: 'tom', can: ['resume'] })]),
    steerOperation: () => new Refused(409, 'This has ended already.'),
  });
  const { user } = show(<UnderWay />);
  expect(await screen.findByText('paused by tom')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Go on' }));
  expect(await screen.findByText('Refused: This has ended already.')).toBeTruthy();
});

describe('what has stopped', () => {
  const stopped = () => page([row({ status: 'refused', error: { code: 'x', detail: 'no' } })], { stopped: 1 });

  test('is tried again all at once', async () => {
    const server = new FakeServer({ listOperations: stopped, retryRefused: () => ({ tried: 500, more: true }) });
    const { user } = show(<UnderWay />, { at: '/under-way?show=stopped' });
    await user.click(await screen.findByRole('button', { name: 'Try all that were refused' }));
    expect(await screen.findByText('500 are tried again; there are more.')).toBeTruthy();
    expect(server.of('listOperations')[0]!.query).toMatchObject({ show: 'stopped' });
  });

  test('is not steered by who may only look', async () => {
    new FakeServer({ listOperations: stopped });
    show(<UnderWay />, { at: '/under-way?show=stopped', person: { ...maren, role: 'viewer' } });
    expect(await screen.findByText('refused; waits for you')).toBeTruthy();
    expect(screen.queryByRole('button', { name: 'Try all that were refused' })).toBeNull();
  });
});

test('older ones follow on demand, and one kind can be looked at alone', async () => {
  const server = new FakeServer({
    listOperations: ({ query }) =>
      query.cursor
        ? page([row({ id: 'old', about: 'ferry-desk/old', status: 'ended', endedAt: '2026-11-25T10:00:00Z' })])
        : page([row({ id: 'new', status: 'ended', endedAt: '2026-11-26T10:00:00Z' })], { next: 'c1' }),
  });
  const { user } = show(<UnderWay />, { at: '/under-way?show=ended' });
  await user.click(await screen.findByRole('button', { name: 'Older ones' }));
  expect(await screen.findByText('ferry-desk/old')).toBeTruthy();
  expect(server.of('listOperations').map((c) => c.query.cursor)).toEqual([undefined, 'c1']);
  await user.click(screen.getByRole('combobox', { name: 'Kind' }));
  await user.click(await screen.findByRole('option', { name: 'Applying a draft' }));
  await waitFor(() => expect(server.of('listOperations').at(-1)!.query).toMatchObject({ kind: 'draft' }));
});

test('a server that does not answer is said, with a way to try again', async () => {
  let isThere = false;
  new FakeServer({ listOperations: () => (isThere ? page([]) : new Refused(503, 'PostgreSQL cannot be reached.')) });
  const { user } = show(<UnderWay />);
  expect(await screen.findByText('PostgreSQL cannot be reached.')).toBeTruthy();
  isThere = true;
  await user.click(screen.getByRole('button', { name: 'Try again' }));
  expect(await screen.findByText('Nothing is under way')).toBeTruthy();
});

test.each([
  ['bind', '/claims/tide-gauges/level-log'],
  ['grow', '/claims/tide-gauges/level-log'],
  ['tune', '/claims/tide-gauges/level-log'],
  ['copies', '/claims/tide-gauges/level-log'],
  // the claim is gone, or there are many
  ['release', undefined],
  ['round', undefined],
])('what is done to a claim leads to it: %s', (kind, path) =>
  expect(pathOf(row({ kind, about: 'tide-gauges/level-log' }))).toBe(path),
);
