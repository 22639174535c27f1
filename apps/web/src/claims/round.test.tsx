import type { RoundPlan, RoundRow } from '@moorage/contract/rounds';
import { waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { FakeServer, maren, screen, show } from '../testing/render';
import { aClaimPage, aClaimRow, aUsage } from '../testing/rows';
import Claims from './Claims';
import { Round } from './Round';
import { planSentence, rowSentence } from './round-words';

const GiB = 2 ** 30;
const aRow = (name: string, part: Partial<RoundRow> = {}): RoundRow => ({
  ...{ namespace: 'tide-gauges', name, uid: `uid-${name}`, pool: 'kelp-nvme', from: 80 * GiB, to: null },
  ...{ addedRaw: 0, rates: null, refusal: null, failed: null, fate: null },
  ...part,
});
const aPlan = (rows: RoundRow[], part: Partial<RoundPlan> = {}): RoundPlan => ({
  ...{
    rows,
    goes: rows.filter((r) => r.refusal === null).length,
    refused: rows.filter((r) => r.refusal !== null).length,
  },
  ...{ added: 0, addedRaw: 0, destroyed: 0, kept: 0, confirm: null, applications: [] },
  ...part,
});
const picked = ['a', 'b'].map((name) => ({ namespace: 'tide-gauges', name }));

test('a round of growing is planned as one types, and begun with what was planned', async () => {
  const full = {
    pool: 'kelp-nvme',
    check: { rule: 'allotment', need: 30 * GiB, have: GiB, unit: 'bytes', passed: false } as const,
  };
  const server = new FakeServer({
    planRound: () =>
      aPlan([aRow('a', { to: 110 * GiB }), aRow('b', { refusal: 'does-not-fit', failed: full })], {
        ...{ added: 30 * GiB, addedRaw: 90 * GiB },
      }),
    beginRound: () => ({ id: 'r-1' }),
    getRound: () => ({
      ...{ id: 'r-1', operation: 'o', change: { kind: 'grow-by', by: '30Gi' }, done: 0, waiting: 0 },
      refused: [{ namespace: 'tide-gauges', name: 'a', detail: 'not today' }],
    }),
  });
  show(<Round act="grow" claims={picked} close={() => undefined} />, { person: maren });
  expect(server.of('planRound')).toEqual([]);
  await userEvent.type(screen.getByLabelText('Size'), '30Gi');
  await screen.findByText(
    /1 claim would grow by 30 GiB in all, 90 GiB raw with copies counted. 1 claim is left as it is/,
  );
  expect(await screen.findByText(/kelp-nvme: Needs 30 GiB; our allotment has 1 GiB left/)).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'Grow 1 claim' }));
  await screen.findByText(/tide-gauges\/a was refused: not today/);
  expect(server.of('beginRound').map((c) => c.body)).toEqual([
    { claims: picked, change: { kind: 'grow-by', by: '30Gi' } },
  ]);
});

test('a round of tuning says which rates change, sends what was typed alone, or gives all back to their classes', async () => {
  const rates = (iopsCeiling: number) => ({ iopsFloor: 500, iopsCeiling, throughputFloor: 0, throughputCeiling: null });
  const server = new FakeServer({
    planRound: () =>
      aPlan([
        aRow('a', { rates: { now: rates(4000), then: rates(800) } }),
        aRow('b', { refusal: 'floor-above-ceiling' }),
      ]),
    beginRound: () => ({ id: 'r-1' }),
    getRound: () => ({
      id: 'r-1',
      operation: 'o',
      change: { kind: 'tune', tuned: {} },
      done: 1,
      waiting: 0,
      refused: [],
    }),
  });
  show(<Round act="tune" claims={picked} close={() => undefined} />, { person: maren });
  expect(server.of('planRound')).toEqual([]);
  await userEvent.type(screen.getByLabelText('IOPS ceiling'), '8oo');
  await screen.findByText('A whole number is needed.');
  expect(server.of('planRound')).toEqual([]);
  await userEvent.clear(screen.getByLabelText('IOPS ceiling'));
  await userEvent.type(screen.getByLabelText('IOPS ceiling'), '800');
  await screen.findByText(
    /1 claim would be tuned, in force at once; no pod has to start again. 1 claim is left as it is/,
  );
  expect(await screen.findByText('IOPS ceiling 4,000 IOPS → 800 IOPS')).toBeTruthy();
  expect(screen.getByText('Its floor would be above its ceiling.')).toBeTruthy();
  await userEvent.click(screen.getByRole('combobox', { name: 'Each of them' }));
  await userEvent.click(screen.getByRole('option', { name: 'goes back to its class' }));
  await waitFor(() =>
    expect(server.of('planRound').at(-1)!.body).toMatchObject({
      change: { tuned: { 'iops-floor': null, 'iops-ceiling': null, 'throughput-floor': null } },
    }),
  );
  await userEvent.click(screen.getByRole('combobox', { name: 'Each of them' }));
  await userEvent.click(screen.getByRole('option', { name: 'gets these' }));
  const go = screen.getByRole('button', { name: 'Tune 1 claim' });
  await waitFor(() => expect(go).toHaveProperty('disabled', false));
  await userEvent.click(go);
  await screen.findByText(/The claim was asked for/);
  expect(server.of('beginRound').map((c) => c.body)).toEqual([
    { claims: picked, change: { kind: 'tune', tuned: { 'iops-ceiling': 800 } } },
  ]);
});

test('a round that destroys data is begun only when its words are typed', async () => {
  const fate = { kind: 'destroyed', used: 3 * GiB, graceDays: 0, pods: ['log-0', 'log-1'] } as const;
  const server = new FakeServer({
    planRound: () =>
      aPlan([aRow('a', { fate: { ...fate, pods: [...fate.pods] } })], { destroyed: 3 * GiB, confirm: '1 claim' }),
    beginRound: () => ({ id: 'r-1' }),
    getRound: () => ({ id: 'r-1', operation: 'o', change: { kind: 'delete' }, done: 1, waiting: 0, refused: [] }),
  });
  show(<Round act="delete" claims={picked} close={() => undefined} />, { person: maren });
  await screen.findByText(/1 claim would be deleted. 3 GiB of written data is destroyed for good/);
  const go = screen.getByRole('button', { name: 'Delete 1 claim' });
  expect(go).toHaveProperty('disabled', true);
  await userEvent.type(screen.getByLabelText('Type "1 claim" to destroy their data'), '1 claim');
  await userEvent.click(go);
  await screen.findByText(/The claim was asked for/);
  expect(server.of('beginRound').map((c) => c.body)).toMatchObject([{ confirm: '1 claim' }]);
});

test('claims are picked in the list, all that the filter lets through as well, and another filter begins anew', async () => {
  const rows = ['a', 'b', 'c'].map((name) => aClaimRow(name));
  const server = new FakeServer({
    listClaims: ({ query }) =>
      query.limit === '500' ? aClaimPage(rows) : aClaimPage(rows.slice(0, 2), { total: 3, next: 'more' }),
    listClasses: () => [],
    listNamespaces: () => [aUsage('tide-gauges', [])],
    planRound: () => aPlan(['a', 'b', 'c'].map((name) => aRow(name))),
  });
  show(<Claims />, { at: '/claims', person: maren });
  await userEvent.click((await screen.findAllByRole('checkbox', { name: 'Select row' }))[1]!);
  expect(screen.getByRole('toolbar', { name: 'With the picked claims' }).textContent).toContain('1 picked');
  await userEvent.click(screen.getByRole('button', { name: 'Pick all 3' }));
  await waitFor(() => expect(screen.getByRole('toolbar').textContent).toContain('3 picked'));
  await userEvent.click(screen.getByRole('button', { name: 'Delete them' }));
  await screen.findByRole('heading', { name: 'Delete 3 claims' });
  await waitFor(() =>
    expect(server.of('planRound').at(-1)?.body).toMatchObject({ claims: [{}, {}, {}], change: { kind: 'delete' } }),
  );
  await userEvent.click(screen.getByRole('button', { name: 'Back to the list' }));
  expect(await screen.findByRole('grid', { name: 'Claims' })).toBeTruthy();
  expect(screen.queryByRole('toolbar')).toBeNull();
});

test('the manifests of those that are picked are saved as one text; all of the filter is had as CSV and JSON', async () => {
  const made: Blob[] = [];
  URL.createObjectURL = (blob: Blob) => {
    made.push(blob);
    return 'blob:x';
  };
  URL.revokeObjectURL = () => undefined;
  const manifest = {
    metadata: { name: 'a', namespace: 'tide-gauges', uid: 'u' },
    spec: { storageClassName: 'ledger' },
  };
  const server = new FakeServer({
    listClaims: () => aClaimPage([aClaimRow('a')]),
    listClasses: () => [],
    listNamespaces: () => [],
    getClaim: () => ({ manifest }),
  });
  show(<Claims />, { at: '/claims?q=a', person: maren });
  await userEvent.click((await screen.findAllByRole('checkbox', { name: 'Select row' }))[0]!);
  await userEvent.click(screen.getByRole('button', { name: 'Save their manifests' }));
  await screen.findByText('1 manifest is saved as claims.yaml.');
  expect(server.of('getClaim').map((c) => c.params)).toEqual([{ namespace: 'tide-gauges', name: 'a' }]);
  expect([made.length, made[0]!.type]).toEqual([1, 'application/yaml']);
  const [csv] = screen.getAllByRole<HTMLAnchorElement>('link', { name: 'CSV' });
  expect(csv!.getAttribute('href')).toBe('/api/claims/export?q=a&sort=created&direction=desc&format=csv');
});

test('a viewer picks nothing', async () => {
  new FakeServer({ listClaims: () => aClaimPage([aClaimRow('a')]), listClasses: () => [], listNamespaces: () => [] });
  show(<Claims />, { at: '/claims', person: { ...maren, role: 'viewer' } });
  await screen.findByText('a');
  expect(screen.queryAllByRole('checkbox')).toEqual([]);
});

test.each<[Partial<RoundRow>, RegExp]>([
  [{ refusal: 'gone' }, /no such claim/],
  [{ refusal: 'fixed' }, /class does not let/],
  [{ to: 90 * GiB }, /^10 GiB more$/],
  [{ fate: { kind: 'no-volume', used: 0, graceDays: 0, pods: [] } }, /no volume yet/],
  [
    { fate: { kind: 'kept-for-days', used: 0, graceDays: 1, pods: ['x'] } },
    /kept for 1 day, then destroyed. The claim goes when x is gone/,
  ],
  [
    { fate: { kind: 'kept', used: 0, graceDays: 0, pods: ['x', 'y', 'z'] } },
    /adrift. The claim goes when x and 2 other pods are gone/,
  ],
])('what becomes of a claim is said: %o', (part, words) => {
  expect(rowSentence(aRow('a', part))).toMatch(words);
});

test('a round of which nothing goes says so', () => {
  const none = aPlan([aRow('a', { refusal: 'fixed' })]);
  expect([planSentence('grow', none), planSentence('delete', none)]).toEqual([
    'None of these claims can be grown so.',
    'None of these claims can be deleted.',
  ]);
});
