import type { History } from '@moorage/contract/history';
import type { LimitEffect, NamespaceLimits } from '@moorage/contract/limits';
import type { UseGrid } from '@moorage/contract/usage';
import { waitFor, within } from '@testing-library/react';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { aUseGrid } from '../testing/rows';
import Namespaces from './Namespaces';
import { indexOfUse, rowsShown } from './use';

const GiB = 2 ** 30;
const use = aUseGrid(
  [
    [
      'tide-gauges',
      'ledger',
      {
        claims: 3,
        unbound: 1,
        requested: 230 * GiB,
        provisioned: 240 * GiB,
        written: 60 * GiB,
        footprint: 480 * GiB,
        iops: 1200,
        price: 19_204_000,
      },
    ],
    [
      'tide-gauges',
      'deep',
      { claims: 1, requested: 10 * GiB, provisioned: 10 * GiB, written: GiB, footprint: 15 * GiB },
    ],
    [
      'ferry-desk',
      'deep',
      { claims: 2, requested: 40 * GiB, provisioned: 40 * GiB, written: null, footprint: 60 * GiB, price: null },
    ],
  ],
  [
    ['tide-gauges', '', 1000 * GiB],
    ['tide-gauges', 'ledger', 250 * GiB],
  ],
);
const scope = (className: string | null, used: number, limit: number | null) => ({
  className,
  ...{ bytes: { limit, used }, claims: { limit: null, used: 3 }, iops: { limit: 5000, used: 1200 }, snapshots: null },
});
const limits = (part: Partial<NamespaceLimits> = {}): NamespaceLimits => ({
  namespace: 'tide-gauges',
  scopes: [scope(null, 250 * GiB, 1000 * GiB), scope('ledger', 240 * GiB, 250 * GiB)],
  platform: { byPlatform: true, state: 'settled', problem: null, object: 'vast-moorage-limits' },
  requests: [],
  ...part,
});
const effect = (part: Partial<LimitEffect> = {}): LimitEffect => ({
  ...{ used: 240 * GiB, over: 0, left: 60 * GiB, runway: null, frees: [], keeps: [], enforced: true },
  ...part,
});
const values = (n: number, value: number | null) => Array.from({ length: n }, () => value);
const history = (part: Partial<History> = {}): History => {
  const at = [0, 1, 2].map((i) => Date.parse('2026-11-26T09:00:00Z') + i * 300_000);
  const spread = { mean: values(3, 5), most: values(3, 9), p95: values(3, 8) };
  return {
    ...({ step: '5m', from: '2026-11-26T09:00:00.000Z', to: '2026-11-26T09:30:00.000Z', at } as const),
    written: { least: [GiB, null, 2 * GiB], mean: [GiB, null, 2 * GiB], most: [GiB, null, 3 * GiB] },
    ...{ iops: spread, throughput: spread, latency: spread, claims: [1, 1, 1], limit: values(3, null) },
    ...{ requested: [9, 9, 9], provisioned: [9 * GiB, 9 * GiB, 9 * GiB], footprint: [9, 9, 9], events: [], more: 0 },
    ...part,
  };
};
const cell = (key: string) => document.querySelector<HTMLElement>(`[data-cell="${key}"]`)!;
const drawn = async (
  answers: ConstructorParameters<typeof FakeServer>[0] = {},
  at = '/namespaces',
  person = maren,
  shown: UseGrid = use,
) => {
  const server = new FakeServer({
    ...{ getUse: () => shown, getHistory: () => history(), getLimits: () => limits() },
    ...{ getLimitEffect: () => effect(), ...answers },
  });
  const page = show(<Namespaces />, { at, person });
  await screen.findByRole('grid');
  return { server, ...page };
};

test('each cell says its figure and its share of the limit, and the totals add up', async () => {
  await drawn();
  expect(cell('tide-gauges/ledger').textContent).toBe('96 %240 GiB');
  expect(cell('tide-gauges/').textContent).toBe('25 %250 GiB');
  expect(cell('ferry-desk/ledger').textContent).toBe('–');
  const total = within(screen.getByRole('row', { name: /^All / }));
  expect(total.getAllByRole('gridcell').map((c) => c.textContent)).toEqual(['290 GiB', '50 GiB', '240 GiB']);
});

test('by another measure no limit is shown, and what a backend did not tell is open in every sum of it', async () => {
  const { user } = await drawn();
  await user.click(screen.getByRole('button', { name: 'raw, with copies' }));
  expect(cell('tide-gauges/ledger').textContent).toBe('1 unbound480 GiB');
  expect(window.location.search).toBe('?measure=footprint');
  await user.click(screen.getByRole('button', { name: 'written' }));
  expect(cell('ferry-desk/deep').textContent).toBe('–');
  const total = within(screen.getByRole('row', { name: /^All / }));
  expect(total.getAllByRole('gridcell').map((c) => c.textContent)).toEqual(['–', '–', '60 GiB']);
});

test('the share of limits is of what is limited alone, and what has no price leaves every sum of it open', async () => {
  const { user } = await drawn();
  await user.click(screen.getByRole('button', { name: 'of the limit' }));
  expect(cell('tide-gauges/ledger').textContent).toBe('96 %');
  expect(cell('tide-gauges/').textContent).toBe('25 %');
  expect(cell('ferry-desk/').textContent).toBe('–');
  const total = within(screen.getByRole('row', { name: /^All / }));
  expect(total.getAllByRole('gridcell').map((c) => c.textContent)).toEqual(['25 %', '–', '96 %']);
  await user.click(screen.getByRole('button', { name: 'price' }));
  expect(cell('tide-gauges/ledger').textContent).toBe('19.20 EUR');
  expect(cell('ferry-desk/deep').textContent).toBe('–');
  expect(total.getAllByRole('gridcell').map((c) => c.textContent)).toEqual(['–', '–', '19.20 EUR']);
});

test('the arrow keys choose a cell, which says what it is made of and leads to its claims', async () => {
  const { user } = await drawn();
  await user.click(cell('tide-gauges/ledger'));
  expect(window.location.search).toBe('?namespace=tide-gauges&class=ledger');
  expect(screen.getByRole('heading', { name: 'tide-gauges in ledger' })).toBeTruthy();
  expect(screen.getByRole('link', { name: '3 claims' }).getAttribute('href')).toBe(
    '/claims?namespace=tide-gauges&class=ledger',
  );
  screen.getByRole('grid').focus();
  await user.keyboard('{ArrowUp}');
  expect(screen.getByRole('heading', { name: 'ferry-desk in ledger' })).toBeTruthy();
  expect(screen.getByText('No claim here.')).toBeTruthy();
  await user.keyboard('{Home}');
  expect(screen.getByRole('heading', { name: 'ferry-desk' })).toBeTruthy();
  await user.keyboard('{ArrowDown}{ArrowRight}{Enter}');
  expect(window.location.pathname + window.location.search).toBe('/claims?namespace=tide-gauges&class=deep');
});

test('rows and columns are asked for as they are chosen, and stand in the address', async () => {
  const { server, user } = await drawn();
  await user.click(screen.getByLabelText('Columns'));
  await user.click(await screen.findByRole('option', { name: 'backend' }));
  await waitFor(() => expect(server.of('getUse').at(-1)!.query).toEqual({ rows: 'namespace', columns: 'backend' }));
  await user.click(screen.getByLabelText('Rows'));
  await user.click(await screen.findByRole('option', { name: 'team' }));
  await waitFor(() => expect(server.of('getUse').at(-1)!.query).toEqual({ rows: 'team', columns: 'backend' }));
  expect(window.location.search).toBe('?columns=backend&rows=team');
});

test('pods are told of one namespace at a time, the chosen one; several that share a claim are named so', async () => {
  const pods = aUseGrid([
    ['tide-gauges', '*', { provisioned: GiB }],
    ['tide-gauges', 'store-0', { provisioned: GiB }],
  ]);
  const { server, user } = await drawn({
    getUse: ({ query }) => (query.columns === 'pod' ? pods : use),
    listNamespaces: () => [],
  });
  await user.click(cell('tide-gauges/'));
  await user.click(screen.getByLabelText('Columns'));
  await user.click(await screen.findByRole('option', { name: 'pod' }));
  expect(await screen.findByRole('columnheader', { name: 'several pods' })).toBeTruthy();
  expect(server.of('getUse').at(-1)!.query).toEqual({ rows: 'namespace', columns: 'pod', namespace: 'tide-gauges' });
});

test('what has no name and what is shown as one are columns of their own, named so', async () => {
  const cells = [
    ['tide-gauges', 'a', { provisioned: GiB }],
    ['tide-gauges', '', { provisioned: 2 * GiB }],
  ] as const;
  const { unmount, user } = await drawn({}, '/namespaces?namespace=tide-gauges', maren, aUseGrid(cells));
  await user.click(cell('tide-gauges/~'));
  expect(screen.getByRole('heading', { name: 'tide-gauges in no class' })).toBeTruthy();
  expect(window.location.search).toBe('?namespace=tide-gauges&class=%7E');
  unmount();
  const merged = aUseGrid([cells[0], ['tide-gauges', 'b', { provisioned: 5 * GiB }]]);
  await drawn({}, '/namespaces?namespace=tide-gauges&class=%2B', maren, { ...merged, columns: ['a', ''], merged: 31 });
  expect(screen.getByRole('heading', { name: 'tide-gauges in 31 others' })).toBeTruthy();
  expect(screen.getByRole('columnheader', { name: '31 others' })).toBeTruthy();
});

test('rows are found by a part of their name and ordered by what they use', () => {
  const index = indexOfUse(use);
  expect(rowsShown(index, 'TIDE', 'name', 'provisioned').names).toEqual(['tide-gauges']);
  expect(rowsShown(index, '', 'largest', 'provisioned').names).toEqual(['tide-gauges', 'ferry-desk']);
  expect(rowsShown(index, '', 'deep', 'provisioned').names).toEqual(['ferry-desk', 'tide-gauges']);
});

test('a moment in the past is asked for, changes nothing, and leads to the claims that were', async () => {
  const past = { ...use, isPast: true, at: '2026-11-20T14:00:00.000Z' };
  const at = '/namespaces?at=2026-11-20T14:00:00.000Z&namespace=tide-gauges';
  const { server } = await drawn({ getUse: () => past }, at);
  expect(server.of('getUse')[0]!.query).toMatchObject({ at: '2026-11-20T14:00:00.000Z' });
  expect(screen.getByRole('link', { name: '4 claims' }).getAttribute('href')).toBe(
    '/claims?namespace=tide-gauges&at=2026-11-20T14%3A00%3A00.000Z',
  );
  expect(screen.queryByRole('table', { name: 'Limits of tide-gauges' })).toBeNull();
  expect(server.of('getHistory')[0]!.query.to).toBe('2026-11-20T14:00:00.000Z');
});

test('over time: what was not told of is said to be open, and the same stands in a table', async () => {
  const events: History['events'] = [
    {
      at: Date.parse('2026-11-26T09:03:00Z'),
      kind: 'grown',
      subject: 'level-log',
      namespace: 'tide-gauges',
      ...{ from: GiB, to: 2 * GiB, fromPool: null, toPool: null, backend: null, until: null, changes: [] },
    },
  ];
  const { user } = await drawn({ getHistory: () => history({ events }) }, '/namespaces?namespace=tide-gauges');
  const chart = within(await screen.findByRole('region', { name: 'History of tide-gauges' }));
  expect(await chart.findByText('1 span was not told of: left open, not drawn as nothing.')).toBeTruthy();
  expect(chart.getByText('level-log grew from 1 GiB to 2 GiB')).toBeTruthy();
  await user.click(chart.getByRole('button', { name: 'As a table' }));
  const rows = within(chart.getByRole('table', { name: 'The same as a table' })).getAllByRole('row');
  expect(rows.map((r) => r.textContent!.replace(/^.*\d\d:\d\d/, ''))).toEqual([
    'FromWritten, meanPeakProvisioned',
    '1 GiB1 GiB9 GiB',
    'not told–9 GiB',
    '2 GiB3 GiB9 GiB',
  ]);
});

test('it stands beside itself a month before, or beside another, on the same spans', async () => {
  const other = history({
    written: { least: [4 * GiB, null, null], mean: [4 * GiB, null, null], most: [4 * GiB, null, null] },
  });
  const { server, user } = await drawn(
    { getHistory: ({ query }) => (query.name === 'ferry-desk' ? other : history()) },
    '/namespaces?namespace=tide-gauges&range=1w',
  );
  const chart = within(await screen.findByRole('region', { name: 'History of tide-gauges' }));
  await user.click(chart.getByLabelText('Beside'));
  await user.click(await screen.findByRole('option', { name: 'itself a month before' }));
  expect(await chart.findByText(/Grey: the same, 30 days before/)).toBeTruthy();
  const [now, then] = [server.of('getHistory').at(-2)!.query, server.of('getHistory').at(-1)!.query];
  expect(Math.round((Date.parse(now.to!) - Date.parse(then.to!)) / 86_400_000)).toBe(30);
  await user.click(chart.getByLabelText('Beside'));
  await user.click(await screen.findByRole('option', { name: 'ferry-desk' }));
  expect(await chart.findByText(/Grey: ferry-desk/)).toBeTruthy();
  expect(window.location.search).toContain('beside=of%3Aferry-desk');
  await user.click(chart.getByRole('button', { name: 'As a table' }));
  const rows = within(chart.getByRole('table', { name: 'The same as a table' })).getAllByRole('row');
  expect(rows.slice(1).map((r) => within(r).getAllByRole('cell').at(-1)!.textContent)).toEqual([
    '4 GiB',
    'not told',
    'not told',
  ]);
});

const changing = async (
  answers: ConstructorParameters<typeof FakeServer>[0],
  name = 'Provisioned in all',
  person = maren,
) => {
  const so = await drawn(answers, '/namespaces?namespace=tide-gauges&class=ledger', person);
  await so.user.click(await screen.findByRole('button', { name: new RegExp(`^${name}:`) }));
  return { ...so, field: screen.getByRole<HTMLInputElement>('textbox', { name: /^(Limit of|Ask for)/ }) };
};

test('a limit is set in bytes, and taken back', async () => {
  const { server, user, field } = await changing({ setClassLimit: () => undefined }, 'Provisioned in ledger');
  await user.clear(field);
  await user.type(field, '300Gi{Enter}');
  await screen.findByText('The limit of provisioned in ledger of tide-gauges is 300 GiB.');
  expect(server.of('setClassLimit')[0]).toMatchObject({
    params: { namespace: 'tide-gauges', className: 'ledger' },
    body: { bytes: 300 * GiB },
  });
  await user.click(screen.getByRole('button', { name: 'Undo' }));
  await waitFor(() => expect(server.of('setClassLimit')).toHaveLength(2));
  expect(server.of('setClassLimit')[1]!.body).toEqual({ bytes: 250 * GiB, evenIfOver: true });
});

test('an empty field takes the limit of all classes away', async () => {
  const { server, user, field } = await changing({ setNamespaceLimit: () => undefined });
  await user.clear(field);
  await user.click(screen.getByRole('button', { name: 'Take it away' }));
  await screen.findByText('The limit of provisioned in all of tide-gauges is taken away.');
  expect(server.of('setNamespaceLimit')[0]!.body).toEqual({ bytes: null });
});

test('what a limit would do is told before it is set, and one below what is used is set by who saw it', async () => {
  const { server, user, field } = await changing({
    setNamespaceLimit: () => undefined,
    getLimitEffect: ({ query }) =>
      query.amount === String(200 * GiB)
        ? effect({ over: 50 * GiB, left: 0, keeps: [{ namespace: 'tide-gauges', name: 'level-log', takes: GiB }] })
        : effect(),
  });
  await user.clear(field);
  await user.type(field, '200Gi');
  const told = await screen.findByText(/^Over at once, by 50 GiB/);
  expect(told.parentElement!.textContent).toContain('Does not reach for 1 waiting claim: level-log.');
  await user.click(screen.getByRole('button', { name: 'Set it all the same' }));
  await waitFor(() => expect(server.of('setNamespaceLimit')[0]!.body).toEqual({ bytes: 200 * GiB, evenIfOver: true }));
});

test.each([
  ['Provisioned in all', '80 apples', /Not a size/],
  ['Provisioned in all', '0', /above zero/],
  ['Provisioned in all', '-5Gi', /negative/],
  ['Claims in all', '4.5', /whole number/],
  ['Claims in ledger', '0', /above zero/],
])('%s: "%s" is no limit: it is said beside the field, and not sent', async (name, text, said) => {
  const { server, user, field } = await changing({ setNamespaceLimit: () => undefined }, name);
  await user.clear(field);
  await user.type(field, `${text}{Enter}`);
  expect(screen.getByText(said)).toBeTruthy();
  expect(server.of('setNamespaceLimit')).toEqual([]);
});

test('what the server refuses is told, and what was typed stays', async () => {
  const { user, field } = await changing({
    setNamespaceLimit: () => new Refused(409, 'tide-gauges has 250 GiB already.'),
  });
  await user.clear(field);
  await user.type(field, '2Ti{Enter}');
  expect(await screen.findByText(/has 250 GiB already/)).toBeTruthy();
  expect(field.value).toBe('2Ti');
});

test('a viewer sees limits and cannot set them; an owner asks for more, with a reason', async () => {
  const { unmount } = await drawn({}, '/namespaces?namespace=tide-gauges', { ...maren, role: 'viewer' });
  expect((await screen.findByRole<HTMLButtonElement>('button', { name: /^Provisioned in all:/ })).disabled).toBe(true);
  unmount();
  const owner = { ...maren, role: 'namespace-owner' as const, namespaces: ['tide-gauges'] };
  const { server, user, field } = await changing({ askForLimit: () => ({}) }, 'Reserved IOPS in all', owner);
  await user.clear(field);
  await user.type(field, '4000');
  expect(screen.getByText('Ask for more than 5,000 IOPS.')).toBeTruthy();
  await user.clear(field);
  await user.type(field, '8000{Enter}');
  expect(server.of('askForLimit')).toEqual([]);
  await user.type(screen.getByLabelText('Why'), 'the spring tides{Enter}');
  await waitFor(() =>
    expect(server.of('askForLimit')[0]!.body).toEqual({
      ...{ className: null, measure: 'iops', asked: 8000, reason: 'the spring tides', neededBy: null },
    }),
  );
});

const request = (part: Partial<NamespaceLimits['requests'][number]> = {}) => ({
  ...{ id: '00000000-0000-4000-8000-000000000001', namespace: 'tide-gauges', className: null, was: 1000 * GiB },
  ...({ measure: 'bytes', asked: 2000 * GiB, reason: 'the spring tides', neededBy: '2027-03-01' } as const),
  ...{ person: 'ivo', at: '2026-11-20T10:00:00.000Z', granted: null, endsAt: null, answer: null },
  ...({ answeredBy: null, answeredAt: null, state: 'open' } as const),
  ...part,
});

test('what was asked for is given in part until a day, with words, or not given', async () => {
  const { server, user } = await drawn(
    {
      answerLimitRequest: () => request(),
      getLimits: () =>
        limits({
          requests: [
            request(),
            request({
              id: '00000000-0000-4000-8000-000000000002',
              state: 'granted',
              granted: 1500 * GiB,
              endsAt: '2027-02-01T00:00:00.000Z',
              answeredBy: 'maren',
              answer: 'until the disks are here',
            }),
          ],
        }),
    },
    '/namespaces?namespace=tide-gauges',
  );
  const table = within(await screen.findByRole('table', { name: 'Asked for' }));
  expect(table.getByText(/^given in part, 1.46 TiB until .* by maren: until the disks are here$/)).toBeTruthy();
  const give = table.getByLabelText('Give');
  await user.clear(give);
  await user.type(give, '3000Gi');
  expect(table.getByText('1.95 TiB were asked for.')).toBeTruthy();
  await user.clear(give);
  await user.type(give, '1200Gi');
  await user.type(table.getByLabelText('Words to them'), 'half of it');
  await user.click(table.getByRole('button', { name: 'Give it' }));
  await waitFor(() =>
    expect(server.of('answerLimitRequest')[0]!.body).toEqual({
      granted: 1200 * GiB,
      until: null,
      answer: 'half of it',
    }),
  );
});

test('no namespace yet, and no answer, are told apart', async () => {
  new FakeServer({ getUse: () => aUseGrid([]) });
  show(<Namespaces />);
  expect(await screen.findByText('No namespace is known yet')).toBeTruthy();
});
