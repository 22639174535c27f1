import type { DriftRow } from '@moorage/contract/drift';
import { driftKinds } from '@moorage/core/drift/drift';
import { waitFor } from '@testing-library/react';
import { queryClient } from '../api/queries';
import { FakeServer, maren, screen, show } from '../testing/render';
import Drift from './Drift';
import { DriftOf } from './DriftOf';
import { driftSentence, kindTitles, remedyOf } from './words';

const GiB = 2 ** 30;
const row = (part: Partial<DriftRow> = {}): DriftRow => ({
  ...{ claimUid: 'u1', kind: 'larger', namespace: 'tide-gauges', name: 'level-log', className: 'general' },
  ...{ pool: 'basalt-broad', backend: 'basalt', volumeName: 'pvc-u1', volumeId: 'v1', declared: 4 * GiB },
  ...{ actual: 6 * GiB, by: 'backend', remedy: 'count-as-it-is', since: '2026-11-20T08:00:00Z', asked: false },
  problem: null,
  ...part,
});
const page = (...rows: DriftRow[]) => ({ rows, counts: { larger: rows.length }, next: null });
const drawn = async (rows: DriftRow[], person = maren) => {
  const server = new FakeServer({
    listDrifts: () => page(...rows),
    mendDrifts: () => ({ begun: 1, left: 0 }),
  });
  const shown = show(<Drift />, { at: '/claims/drift', person });
  await screen.findByText(/declared/);
  return { server, ...shown };
};

test('each difference is told from both sides, with whose doing it is, and put right from its row', async () => {
  const { server, user } = await drawn([row()]);
  expect(await screen.findByText('It has 6 GiB; 4 GiB are counted.')).toBeTruthy();
  expect(screen.getByText("the backend's doing")).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Count it as it is' }));
  await screen.findByText('1 difference is being put right.');
  expect(server.of('mendDrifts')[0]!.body).toEqual({ drifts: [{ claimUid: 'u1', kind: 'larger' }] });
});

test('what only a person can put right says what to do, and who may not is offered no act', async () => {
  await drawn([row({ kind: 'encryption', declared: 'encrypted', actual: 'not encrypted', remedy: null })], {
    ...maren,
    role: 'viewer',
  });
  expect(await screen.findByText('Only a new volume on a pool that encrypts puts this right.')).toBeTruthy();
  expect(screen.queryByRole('button', { name: /right/ })).toBeNull();
});

test('one that is being put right says so, or why not', async () => {
  await drawn([row({ asked: true }), row({ claimUid: 'u2', asked: true, problem: 'basalt does not answer' })]);
  expect(await screen.findByText('is being put right')).toBeTruthy();
  expect(screen.getByText('basalt does not answer')).toBeTruthy();
});

test('what differs of one claim is told on its page, with its remedy', async () => {
  new FakeServer({ listDrifts: () => page(row()) });
  show(<DriftOf claim="u1" />);
  expect((await screen.findByRole('region')).textContent).toMatch(
    /It has 6 GiB; 4 GiB are counted\. It is the backend's doing, since/,
  );
  expect(screen.getByRole('button', { name: 'Count it as it is' })).toBeTruthy();
});

test('a claim whose volume is as declared shows nothing of it', async () => {
  const server = new FakeServer({ listDrifts: () => ({ rows: [], counts: {}, next: null }) });
  show(<DriftOf claim="u1" />);
  await waitFor(() => expect(queryClient.isFetching() === 0 && server.calls.length === 1).toBe(true));
  expect(server.of('listDrifts')[0]!.query).toMatchObject({ claim: 'u1' });
  expect(screen.queryByRole('region')).toBeNull();
});

test.each(driftKinds)('%s has a title, a sentence from both sides, and a way to put it right', (kind) => {
  const sentence = driftSentence(row({ kind, declared: 1, actual: 2 }));
  expect(sentence).toMatch(/^.+ .+\.$/);
  expect(kindTitles[kind]).not.toBe('');
  const by = remedyOf({ kind, remedy: null, declared: 1 });
  // those that have a remedy of their own need no other
  const own = [
    'not-on-platform',
    'pool',
    'smaller',
    'larger',
    'iops-ceiling',
    'throughput-ceiling',
    'size-told',
    'reclaim',
  ];
  if (!own.includes(kind)) expect('todo' in by && by.todo).toMatch(/\.$/);
});
